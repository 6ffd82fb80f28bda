"use client";

import { useRef, useState } from "react";
import type { ChainStep } from "@/core/chain";
import { chainToJson, stateAfter } from "@/core/chain";
import type { ShownBy } from "@/core/display";
import { untouchedState } from "@/core/operations";
import { wholeRegion } from "@/core/raster";
import { CREATOR } from "@/core/version";
import { blobRef, renderPicture } from "@/engine/jobs/render";
import { PRIORITY } from "@/engine/pool";
import type { Treatment } from "@/engine/tasks/crop";
import type { Lane, StackRecord } from "@/storage";
import { laneWords } from "../compare/laneHeader";
import { useSession } from "../frame/session";
import { download } from "./download";

interface Subject {
  lane: Lane;
  stack: StackRecord;
  /** The lane's steps on the pixels of its stack. */
  steps: ChainStep[];
  treatment: Treatment | null;
  shownBy: ShownBy;
}

/** A lane rendered whole, once for each state of it, and the files that are made of it. */
export function useExports({ lane, stack, steps, treatment, shownBy }: Subject) {
  const session = useSession();
  const [exported, setExported] = useState<{ name: string; bytes: number }[]>([]);
  const rendered = useRef<{ blob: Blob; treatment: Treatment } | null>(null);
  const [seconds, setSeconds] = useState<number | null>(null);
  const result = stateAfter(lane.steps, untouchedState(stack.facts));
  const title = `Lane ${lane.letter}: ${laneWords(lane)}`;
  const base = `${session.project.name}-${lane.letter}`.replace(/[^\p{L}\p{N}]+/gu, "-").toLowerCase();
  const hand = (name: string, blob: Blob) => {
    download(name, blob);
    setExported((before) => [...before, { name, bytes: blob.size }]);
  };

  const render = async (): Promise<Blob | null> => {
    if (!treatment) return null;
    if (rendered.current?.treatment === treatment) return rendered.current.blob;
    const started = performance.now();
    const wanted = { treatment, result, region: wholeRegion(result), title };
    const blob = await session.jobs.run("render", `Rendering lane ${lane.letter}`, (control) =>
      renderPicture(session.pool, wanted, control),
    );
    if (blob) {
      rendered.current = { blob, treatment };
      setSeconds((performance.now() - started) / 1000);
    }
    return blob;
  };

  const exportPng = async (depth: 8 | 16) => {
    const blob = await render();
    if (!blob) return;
    const bytes = await session.jobs.run("export", `Writing a ${depth}-bit PNG`, ({ signal, onProgress }) =>
      session.pool.run(
        "encodePng",
        {
          picture: blobRef(`${lane.id}-${performance.now()}`, title, blob),
          depth,
          shownBy: result.domain === "stretched" ? null : shownBy,
          text: { Software: CREATOR, Description: chainToJson(title, steps) },
        },
        { priority: PRIORITY.view, signal, onProgress },
      ),
    );
    if (bytes) hand(`${base}-${depth}bit.png`, new Blob([bytes as BlobPart], { type: "image/png" }));
  };

  return {
    result,
    seconds,
    exported,
    render,
    exportPng,
    exportFits: async () => {
      const blob = await render();
      if (blob) hand(`${base}.fits`, blob);
    },
    exportChain: () => hand(`${base}-chain.json`, new Blob([chainToJson(title, steps)], { type: "application/json" })),
  };
}
