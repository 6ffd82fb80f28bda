"use client";

import type { ButtonHTMLAttributes, ReactNode } from "react";

type Kind = "plain" | "primary" | "quiet";

const STYLES: Record<Kind, string> = {
  plain: "border border-line bg-raised px-2.5 py-1 hover:border-quiet",
  primary: "border border-accent bg-raised px-2.5 py-1 text-accent hover:bg-line",
  quiet: "px-1.5 py-1 text-quiet hover:text-text",
};

interface Props extends ButtonHTMLAttributes<HTMLButtonElement> {
  kind?: Kind;
  /** What it does, shown by the help and as a tooltip. */
  help?: string;
  children: ReactNode;
}

export function Button({ kind = "plain", help, className = "", children, ...rest }: Props) {
  return (
    <button
      type="button"
      title={help}
      data-help={help}
      className={`inline-flex items-center gap-1.5 rounded whitespace-nowrap disabled:opacity-40 ${STYLES[kind]} ${className}`}
      {...rest}
    >
      {children}
    </button>
  );
}

/** A button that is only an icon: it must have a label. The help may say less: it names all buttons of its kind once. */
export function IconButton({
  label,
  help = label,
  className = "",
  children,
  ...rest
}: Omit<Props, "kind"> & { label: string }) {
  return (
    <button
      type="button"
      title={label}
      aria-label={label}
      data-help={help}
      className={`inline-flex h-6 w-6 items-center justify-center rounded text-quiet hover:bg-raised hover:text-text disabled:opacity-30 ${className}`}
      {...rest}
    >
      {children}
    </button>
  );
}
