"use client";

import type { ReactNode } from "react";
import { useState } from "react";

interface Props {
  testId: string;
  label: string;
  /** File endings or types that are offered. */
  accept: readonly string[];
  /** @default one file alone */
  multiple?: boolean;
  onChoose: (files: File[]) => void;
  children: (choose: () => void) => ReactNode;
}

/** What opens the browser's file dialog: `children` get the action. The same files may be chosen again. */
export function FileChooser({ testId, label, accept, multiple, onChoose, children }: Props) {
  const [input, setInput] = useState<HTMLInputElement | null>(null);
  return (
    <>
      <input
        ref={setInput}
        type="file"
        multiple={multiple}
        accept={accept.join(",")}
        className="hidden"
        aria-label={label}
        data-testid={testId}
        onChange={({ target }) => {
          const files = [...(target.files ?? [])];
          target.value = "";
          if (files.length > 0) onChoose(files);
        }}
      />
      {children(() => input?.click())}
    </>
  );
}
