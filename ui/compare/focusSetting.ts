/** Gives the focus to a setting of the chain, once the screen is drawn: for buttons that go away when they are pressed. */
export function focusSetting(field: string): void {
  requestAnimationFrame(() => document.querySelector<HTMLElement>(`[data-setting="${field}"] input`)?.focus());
}
