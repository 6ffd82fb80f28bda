import "@fontsource-variable/inter/wght.css";
import "@fontsource-variable/jetbrains-mono/wght.css";
import type { Metadata } from "next";
import type { ReactNode } from "react";
import { Workspace } from "@/ui/frame/workspace";
import "./globals.css";

// A nonce belongs to one answer: pages are made for each.
export const dynamic = "force-dynamic";

export const metadata: Metadata = {
  title: "Dunkel",
  description: "Stack sub-exposures and compare approaches side by side.",
};

export default function RootLayout({ children }: { children: ReactNode }) {
  return (
    <html lang="en">
      <body>
        <Workspace>{children}</Workspace>
      </body>
    </html>
  );
}
