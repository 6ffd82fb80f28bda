"use client";

import { useEffect, useState } from "react";
import { askToKeep, storageUse } from "@/state/importer";
import { megabytes } from "../kit/format";

/** What the browser answered when it was asked to keep the data. */
const KEPT: Record<string, string> = {
  true: "The browser keeps it until you delete it.",
  false: "The browser may delete it when the disk gets full: it was asked to keep it, and does not promise.",
  null: "",
};

/** "58 GB free", and on pointing what the browser keeps for this application; asked again whenever `changed` does. */
export function StorageUse({ changed, isUsed }: { changed: unknown; isUsed: boolean }) {
  const [use, setUse] = useState<{ used: number; quota: number } | null>(null);
  const [isKept, setKept] = useState<boolean | null>(null);
  useEffect(() => {
    let gone = false;
    const unknown = () => undefined; // a browser that does not say shows nothing
    const timer = setTimeout(() => {
      storageUse()
        .then((found) => !gone && setUse(found))
        .catch(unknown);
    }, 500);
    // Asked once there is something to lose.
    if (isUsed)
      askToKeep()
        .then((answer) => !gone && setKept(answer))
        .catch(unknown);
    return () => {
      gone = true;
      clearTimeout(timer);
    };
  }, [changed, isUsed]);
  if (!use) return null;
  const size = (bytes: number) => (bytes > 2 ** 30 ? `${(bytes / 2 ** 30).toFixed(1)} GB` : megabytes(bytes));
  const free = Math.max(0, use.quota - use.used);
  const tight = use.used > 0.9 * use.quota;
  return (
    <span
      className={`figures text-sm ${tight ? "text-warn" : "text-quiet"}`}
      title={`Kept in this browser: ${size(use.used)}. It allows ${size(free)} more now (that changes with the disk). ${KEPT[String(isKept)]}`}
      data-testid="storage"
    >
      {size(free)} free
    </span>
  );
}
