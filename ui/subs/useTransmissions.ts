"use client";

import { useEffect, useRef, useState } from "react";
import { Stopped } from "@/core/job";
import { PRIORITY } from "@/engine/pool";
import type { SubRecord } from "@/storage";
import { useSession } from "../frame/session";

/** Starlight of each sub over the reference's, found in the workers one after the other; missing where none match. */
export function useTransmissions(subs: SubRecord[], reference: SubRecord | null): Map<string, number> {
  const session = useSession();
  const asked = useRef(new Set<string>());
  const [found, setFound] = useState<Map<string, number | null>>(new Map());
  const latest = useRef({ subs, reference });
  latest.current = { subs, reference };
  const key = `${reference?.id ?? ""} ${subs.length}`;
  useEffect(() => {
    const { subs: all, reference: against } = latest.current;
    if (!against) return;
    for (const sub of all) {
      const pair = `${against.id}:${sub.id}`;
      if (asked.current.has(pair)) continue;
      asked.current.add(pair);
      session.pool
        .run("transmission", { stars: sub.stars, reference: against.stars }, { priority: PRIORITY.measure })
        .then((value) => setFound((before) => new Map(before).set(pair, value)))
        .catch((error: unknown) => {
          if (!(error instanceof Stopped)) asked.current.delete(pair);
        });
    }
  }, [session, key]);
  const shown = new Map<string, number>();
  for (const sub of subs) {
    const value = found.get(`${reference?.id}:${sub.id}`);
    if (value !== undefined && value !== null) shown.set(sub.id, value);
  }
  return shown;
}
