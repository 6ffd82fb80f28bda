"use client";

import { useRouter } from "next/navigation";
import { useEffect, useEffectEvent, useRef, useState } from "react";
import * as z from "zod";
import { stackSettings } from "@/core/stack";
import { UserError } from "@/core/job";
import type { ProjectSession } from "@/state/project";
import { Button } from "../kit/button";
import { useSession } from "./session";

const manifest = z.object({ frames: z.array(z.object({ file: z.string(), index: z.number().int() })) });

async function fetchOk(url: string, signal?: AbortSignal): Promise<Response> {
  const response = await fetch(url, { signal });
  if (!response.ok)
    throw new UserError(`${url}: the server answered ${response.status}`, "Start the application again.");
  return response;
}

/** Brings in what the demo still lacks, stacks it, and shows where to go at each step. */
async function runDemo(session: ProjectSession, go: (stage: "subs" | "stack" | "compare") => void): Promise<void> {
  go("subs");
  if (session.project.demoKind === "video") return videoDemo(session);
  if (session.project.demoKind === "raw") return rawDemo(session);
  const { frames } = manifest.parse(await (await fetchOk("/api/demo/manifest")).json());
  const here = new Set(session.store.getState().subs.map(({ name }) => name));
  const missing = frames.filter(({ file }) => !here.has(file));
  await session.subs.importFiles(
    missing.map(({ file, index }) => ({
      name: file,
      load: async (signal) => (await fetchOk(`/api/demo/frames/${index}`, signal)).blob(),
    })),
    "Receiving and measuring",
  );
  if (session.store.getState().subs.length < frames.length) return;
  go("stack");
  const stack = await session.stacks.make("First stack", stackSettings.parse({}));
  if (stack) go("compare");
}

/** Raw lights with their darks, flats and bias: brought in, masters made, lights calibrated and measured. */
async function rawDemo(session: ProjectSession): Promise<void> {
  const opening = session.jobs.run("demo", "Opening the simulated camera", async ({ signal }) =>
    manifest.parse(await (await fetchOk("/api/demo/raw/manifest", signal)).json()),
  );
  const frames = (await opening)?.frames;
  if (!frames) return;
  const here = new Set(session.store.getState().subs.map(({ name }) => name));
  await session.subs.importFiles(
    frames
      .filter(({ file }) => !here.has(file))
      .map(({ file, index }) => ({
        name: file,
        load: async (signal) => (await fetchOk(`/api/demo/raw/frames/${index}`, signal)).blob(),
      })),
    "Receiving and measuring",
  );
  if (session.store.getState().subs.length < frames.length) return;
  if (session.store.getState().masters.length === 0) await session.calibration.makeMasters();
  await session.subs.measureAgain();
}

async function videoDemo(session: ProjectSession): Promise<void> {
  if (session.store.getState().subs.length > 0) return;
  await session.subs.importFiles(
    [{ name: "oru.ser", load: async (signal) => (await fetchOk("/api/demo/video", signal)).blob() }],
    "Receiving and measuring",
  );
}

/** What the demo of a project ends with. */
function isDone(session: ProjectSession): boolean {
  const { stacks, subs, project } = session.store.getState();
  if (project.demoKind === "night") return stacks.length > 0;
  return project.demoKind === "video"
    ? subs.length > 0
    : subs.length > 0 && session.calibration.staleLights().length === 0 && session.store.getState().masters.length > 0;
}

/** Runs the demo of a demo project that has no stack yet; after a stop it offers to go on. */
export function DemoGuide() {
  const session = useSession();
  const router = useRouter();
  const started = useRef(false);
  const [paused, setPaused] = useState<string | null>(null);
  const { id, demo } = session.project;
  const run = () => {
    setPaused(null);
    // Whoever left the project meanwhile is not called back.
    const isHere = () => window.location.pathname.startsWith(`/p/${id}/`);
    runDemo(session, (stage) => isHere() && router.push(`/p/${id}/${stage}`))
      .then(() => {
        if (!isDone(session)) setPaused("The demo was stopped.");
      })
      .catch((error: unknown) => setPaused(error instanceof Error ? error.message : String(error)));
  };
  const begin = useEffectEvent(run);
  useEffect(() => {
    if (!demo || started.current || isDone(session) || session.jobs.isRunning()) return;
    started.current = true;
    begin();
  }, [demo, session]);
  if (paused === null) return null;
  return (
    <div className="flex items-center gap-3 border-l-2 border-accent bg-panel px-3 py-1.5">
      <span className="flex-1">{paused}</span>
      <Button onClick={run}>Go on with the demo</Button>
    </div>
  );
}
