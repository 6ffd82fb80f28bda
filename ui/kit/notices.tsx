"use client";

import { Toaster } from "sonner";

/** Where short notices come up, in the colours of everything else: nothing is brighter than the picture. */
export function Notices() {
  return (
    <Toaster
      theme="dark"
      position="bottom-left"
      toastOptions={{
        style: {
          background: "var(--color-raised)",
          borderColor: "var(--color-line)",
          color: "var(--color-text)",
          fontFamily: "var(--font-sans)",
        },
        actionButtonStyle: {
          background: "transparent",
          border: "1px solid var(--color-accent)",
          color: "var(--color-accent)",
        },
      }}
    />
  );
}
