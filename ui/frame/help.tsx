"use client";

import { useEffect, useState } from "react";
import { createPortal } from "react-dom";

/** Every key that does something, by where it works. */
export const KEYS: { where: string; keys: [string, string][] }[] = [
  {
    where: "Everywhere",
    keys: [
      ["?", "what each control is, and the keys"],
      ["Esc", "close"],
    ],
  },
  {
    where: "Subs",
    keys: [
      ["← → ↑ ↓", "previous and next sub"],
      ["Space", "play"],
      ["X", "leave the selected subs out, or take them in"],
      ["Shift X", "leave them to the rules"],
      ["C", "mark as candidate"],
      ["V", "to the last candidate and back"],
      ["R", "make it the reference"],
      ["N", "over the reference, or as it came"],
      ["B", "sky boxes"],
      ["Ctrl A, Esc", "select all, none"],
      ["0 1 4", "all of the picture, 1:1, 4:1"],
    ],
  },
  {
    where: "Compare",
    keys: [
      ["B (hold)", "the untouched stack in every crop"],
      ["0 1 2 3 4", "fit, 1:1, 2:1, 4:1, 8:1"],
      ["arrow keys", "move all crops"],
      ["Home", "all crops back to their spots"],
      ["Ctrl Z", "undo"],
      ["Ctrl Shift Z", "redo"],
    ],
  },
];

/** Help is opened and closed by ? (wherever that lies on the keyboard) and closed by Escape. */
export function useHelp(): { open: boolean; toggle: () => void } {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.target instanceof HTMLInputElement) return;
      if (event.key === "?") setOpen((before) => !before);
      if (event.key === "Escape") setOpen(false);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return { open, toggle: () => setOpen((before) => !before) };
}

interface Label {
  text: string;
  left: number;
  top: number;
  width: number;
  height: number;
}

/** Labels every control on the screen in place, as its own `data-help` says, and lists the keys. */
export function HelpOverlay({ onClose }: { onClose: () => void }) {
  const [labels, setLabels] = useState<Label[]>([]);
  useEffect(() => {
    const measure = () => {
      const seen = new Set<string>();
      const found: Label[] = [];
      document.querySelectorAll<HTMLElement>("[data-help]").forEach((element) => {
        const { left, top, width, height } = element.getBoundingClientRect();
        const text = element.dataset.help ?? "";
        const hidden = width === 0 || top > window.innerHeight - 10 || left > window.innerWidth - 10 || top < 0;
        if (text === "" || hidden || seen.has(text)) return;
        seen.add(text);
        found.push({ text, left, top, width, height });
      });
      setLabels(place(found));
    };
    measure();
    window.addEventListener("resize", measure);
    return () => window.removeEventListener("resize", measure);
  }, []);
  return createPortal(
    <div className="fixed inset-0 z-50 bg-black/70" role="dialog" aria-label="What is what" onClick={onClose}>
      {labels.map((label) => (
        <div
          key={label.text}
          className="absolute max-w-60 border-l-2 border-accent bg-raised px-1.5 py-0.5 text-sm"
          style={{ left: label.left, top: label.top }}
        >
          {label.text}
        </div>
      ))}
      <div className="absolute bottom-12 left-[232px] grid w-[744px] grid-cols-3 gap-4 rounded border border-line bg-panel p-3">
        {KEYS.map(({ where, keys }) => (
          <section key={where} className="mb-2">
            <h3 className="text-quiet">{where}</h3>
            {keys.map(([key, what]) => (
              <div key={key} className="flex gap-3">
                <span className="figures w-24 shrink-0 text-accent">{key}</span>
                <span>{what}</span>
              </div>
            ))}
          </section>
        ))}
        <p className="col-span-3 text-sm text-quiet">Click anywhere to close.</p>
      </div>
    </div>,
    document.body,
  );
}

/** Moves labels down where they would cover one another, and left where they would leave the window. */
function place(labels: Label[]): Label[] {
  const placed: (Label & { boxWidth: number; boxHeight: number })[] = [];
  for (const label of [...labels].sort((a, b) => a.top - b.top || a.left - b.left)) {
    const boxWidth = Math.min(240, 14 + label.text.length * 6.4);
    const boxHeight = 20 + 16 * Math.floor((label.text.length * 6.4) / 232);
    const left = Math.min(label.left, window.innerWidth - boxWidth - 4);
    let top = label.top;
    for (let guard = 0; guard < 200; guard++) {
      const hit = placed.find(
        (p) =>
          left < p.left + p.boxWidth &&
          left + boxWidth > p.left &&
          top < p.top + p.boxHeight &&
          top + boxHeight > p.top,
      );
      if (!hit) break;
      top = hit.top + hit.boxHeight + 1;
    }
    placed.push({ ...label, left, top, boxWidth, boxHeight });
  }
  return placed;
}
