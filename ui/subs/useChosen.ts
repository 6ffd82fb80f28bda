"use client";

import { useCallback, useMemo, useRef, useState } from "react";
import { measureOf } from "@/core/choose";
import type { SubRecord } from "@/storage";
import { referenceOf } from "@/state/selectors";
import { useProject, useSession } from "../frame/session";
import type { Sort } from "./grades";
import { selectionAfter, sortFrames, useGrades } from "./grades";

/** What of the subs is on show: which set, in which order, which of them is looked at and which are selected. */
export function useChosen() {
  const session = useSession();
  const subs = useProject((state) => state.subs);
  const project = useProject((state) => state.project);
  const proposal = useProject((state) => state.proposal);
  const currentId = useProject((state) => state.currentSubId);
  const selection = useProject((state) => state.selection);
  const grades = useGrades();
  const [sort, setSort] = useState<Sort>({ key: "order", down: false });
  const [setKey, setSetKey] = useState<string | null>(null);
  const [heaviest, setHeaviest] = useState<number | null>(null);

  const byId = useMemo(() => new Map(subs.map((sub) => [sub.id, sub])), [subs]);
  const reference = useMemo(() => referenceOf({ subs, project, proposal }), [subs, project, proposal]);
  const frames = useMemo(() => {
    const shown = grades.sets.find(({ key }) => key === setKey);
    return shown?.frames ?? [...grades.frames.values()];
  }, [setKey, grades]);
  const sorted = useMemo(() => sortFrames(frames, sort), [frames, sort]);
  const flipped = useMemo(() => {
    if (heaviest === null) return sorted;
    const worth = (frame: (typeof frames)[number]) =>
      measureOf("weight").value(frame) ?? measureOf("sharpness").value(frame) ?? -1;
    const ranked = [...frames].sort((a, b) => worth(b) - worth(a));
    const kept = new Set(ranked.slice(0, heaviest).map(({ id }) => id));
    return sorted.filter(({ id }) => kept.has(id));
  }, [sorted, frames, heaviest]);
  const lights = useMemo(() => flipped.flatMap(({ id }) => byId.get(id) ?? []), [flipped, byId]);
  const current: SubRecord | null = (currentId === null ? null : byId.get(currentId)) ?? lights[0] ?? subs[0] ?? null;
  // A calibration frame is flipped through with its like.
  const likeType = current && current.type !== "light" ? current.type : null;
  const order = useMemo(
    () => (likeType === null ? lights : subs.filter(({ type }) => type === likeType)),
    [lights, subs, likeType],
  );
  const at = order.findIndex(({ id }) => id === current?.id);
  const chosen = useMemo(() => (selection.length > 0 ? selection : current ? [current.id] : []), [selection, current]);
  const rival = subs.find((sub) => sub.rival) ?? null;
  const cameFrom = useRef<string | null>(null);

  const step = useCallback(
    (by: number) => {
      const next = order[Math.min(order.length - 1, Math.max(0, at + by))];
      if (next) session.subs.select(next.id);
    },
    [order, at, session],
  );
  const pick = (id: string, keys: { ctrl: boolean; shift: boolean }) => {
    const ids = sorted.map((frame) => frame.id);
    session.subs.select(id, selectionAfter(ids, selection, current?.id ?? null, id, keys));
  };
  const included = (id: string) => grades.verdicts.get(id)?.included ?? byId.get(id)?.decision !== "reject";
  const decide = (ids: readonly string[], include: boolean) => session.subs.decide(ids, include ? "keep" : "reject");
  return {
    subs,
    grades,
    byId,
    reference,
    frames,
    sorted,
    order,
    at,
    current,
    chosen,
    selection,
    rival,
    sort,
    setKey,
    setSetKey,
    heaviest,
    proposal,
    project,
    step,
    pick,
    included,
    decide,
    sortBy: (key: Sort["key"]) => setSort((before) => ({ key, down: before.key === key ? !before.down : false })),
    keepHeaviest: (count: number | null) => setHeaviest(count !== null && count >= sorted.length ? null : count),
    toggleDecision: () => current && decide(chosen, !included(current.id)),
    matchToThis: () => current?.type === "light" && session.subs.saveRules({ referenceId: current.id }),
    selectAll: () =>
      current &&
      session.subs.select(
        current.id,
        sorted.map(({ id }) => id),
      ),
    toRivalAndBack: () => {
      if (!current || !rival) return;
      const target = current.id === rival.id ? cameFrom.current : rival.id;
      if (target === null || target === current.id) return;
      if (current.id !== rival.id) cameFrom.current = current.id;
      session.subs.select(target);
    },
  };
}

export type Chosen = ReturnType<typeof useChosen>;
