"use client";

import { ChevronLeft, ChevronRight, FolderInput } from "lucide-react";
import { useEffect, useMemo, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { stretchCurves, stretchParams } from "@/core/operations";
import type { Treatment } from "@/engine/tasks/crop";
import { failureOf } from "@/engine/protocol";
import type { SubRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Button, IconButton } from "../kit/button";
import { duration } from "../kit/format";
import { EmptyState, Problem } from "../kit/notice";
import type { Look } from "../viewer/pictureViewer";
import { PictureViewer } from "../viewer/pictureViewer";
import { MeasureStrip } from "./measureStrip";
import { SubsTable } from "./subsTable";
import { useTransmissions } from "./useTransmissions";
import { sortSubs, type SortKey } from "./subsColumns";

/** Bring frames in, look through them, leave the bad ones out. */
export function SubsScreen() {
  const session = useSession();
  const subs = useProject((state) => state.subs);
  const refused = useProject((state) => state.refused);
  const currentId = useProject((state) => state.currentSubId);
  const [sort, setSort] = useState<{ key: SortKey; down: boolean }>({ key: "order", down: false });
  const referenceId = useProject((state) => state.project.referenceId);
  const [over, setOver] = useState(false);
  const proposed = useMemo(() => session.proposedReference(), [session, subs]); // eslint-disable-line react-hooks/exhaustive-deps
  const reference = subs.find((sub) => sub.id === referenceId) ?? proposed;
  const transmission = useTransmissions(subs, reference);
  const sorted = sortSubs(subs, sort.key, sort.down, transmission);
  const at = sorted.findIndex((sub) => sub.id === currentId);
  const current = at >= 0 ? sorted[at] : (sorted[0] ?? null);
  const chooser = useRef<HTMLInputElement>(null);

  const step = (by: number) => {
    const next = sorted[Math.min(sorted.length - 1, Math.max(0, at + by))];
    if (next) session.selectSub(next.id);
  };
  useHotkeys("left,up", (event) => (event.preventDefault(), step(-1)), [sorted, at]);
  useHotkeys("right,down", (event) => (event.preventDefault(), step(1)), [sorted, at]);
  useHotkeys("x", () => current && session.setIncluded(current.id, !current.included), [current]);
  useHotkeys("r", () => current && session.saveProject({ referenceId: current.id }), [current]);

  const take = (files: Iterable<File>) => {
    const list = [...files];
    if (list.length > 0)
      void session.importFiles(list.map((file) => ({ name: file.name, load: () => Promise.resolve(file) })));
  };
  const included = subs.filter((sub) => sub.included);
  const integration = included.reduce((sum, sub) => sum + (sub.metadata.exposureS ?? 0), 0);

  return (
    <div
      className={`relative flex h-full flex-col ${over ? "outline-2 -outline-offset-2 outline-accent" : ""}`}
      onDragOver={(event) => {
        event.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault();
        setOver(false);
        take(event.dataTransfer.files);
      }}
    >
      <input
        ref={chooser}
        type="file"
        multiple
        accept=".fits,.fit,.fts"
        className="hidden"
        data-testid="choose-files"
        onChange={(event) => {
          take(event.target.files ?? []);
          event.target.value = "";
        }}
      />
      {refused.length > 0 ? (
        <div className="max-h-32 shrink-0 overflow-auto" data-testid="refused">
          {refused.map((file, i) => (
            <Problem
              key={`${file.name}${i}`}
              message={file.message.startsWith(file.name) ? file.message : `${file.name}: ${file.message}`}
              advice={file.advice}
              onDismiss={i === 0 ? () => session.dismissRefused() : undefined}
            />
          ))}
        </div>
      ) : null}
      {subs.length === 0 ? (
        <EmptyState title="Drop your subs here">
          <p className="mb-3">
            Calibrated FITS frames, mono or three planes, as many at once as you like. Each is measured as it comes in;
            one that cannot be read is named and the others go on. They stay in this browser.
          </p>
          <Button kind="primary" onClick={() => chooser.current?.click()}>
            <FolderInput size={16} /> Choose files
          </Button>
        </EmptyState>
      ) : (
        <>
          <div className="flex min-h-0 flex-1">
            <div className="flex min-w-0 flex-1 flex-col">
              <div className="min-h-0 flex-1">{current ? <SubPicture sub={current} /> : null}</div>
              <div className="flex h-9 shrink-0 items-center gap-2 border-t border-line bg-panel px-2">
                <IconButton label="Previous sub (←)" disabled={at <= 0} onClick={() => step(-1)}>
                  <ChevronLeft size={16} />
                </IconButton>
                <IconButton label="Next sub (→)" disabled={at >= sorted.length - 1} onClick={() => step(1)}>
                  <ChevronRight size={16} />
                </IconButton>
                <span className="min-w-0 flex-1 truncate" data-testid="current-sub">
                  {current?.name}
                  {current && !current.included ? <span className="text-warn"> · left out</span> : null}
                  {current?.id === reference?.id ? <span className="text-accent"> · reference</span> : null}
                </span>
                <Button
                  help="Leaves this sub out of stacks, or takes it in again (X)"
                  onClick={() => current && session.setIncluded(current.id, !current.included)}
                >
                  {current?.included ? "Leave out" : "Take in"}
                </Button>
                <Button
                  help="Transmission is told against this sub (R)"
                  onClick={() => current && session.saveProject({ referenceId: current.id })}
                >
                  Make reference
                </Button>
              </div>
            </div>
            <div className="flex w-[560px] shrink-0 flex-col border-l border-line">
              <div className="flex h-9 shrink-0 items-center gap-3 border-b border-line bg-panel px-2">
                <span className="flex-1 text-quiet">
                  <span className="text-text">{included.length}</span> of {subs.length} included ·{" "}
                  <span className="text-text">{duration(integration)}</span>
                </span>
                <Button onClick={() => chooser.current?.click()} help="Brings more FITS frames in">
                  <FolderInput size={14} /> Add subs
                </Button>
              </div>
              <SubsTable
                subs={sorted}
                transmission={transmission}
                currentId={current?.id ?? null}
                referenceId={reference?.id ?? null}
                sort={sort}
                onSort={(key) => setSort({ key, down: sort.key === key ? !sort.down : false })}
              />
            </div>
          </div>
          <MeasureStrip subs={subs} currentId={current?.id ?? null} onSelect={(id) => session.selectSub(id)} />
        </>
      )}
    </div>
  );
}

/** One sub with its own autostretch; the place that is looked at stays from sub to sub. */
function SubPicture({ sub }: { sub: SubRecord }) {
  const session = useSession();
  const [look, setLook] = useState<Look>({ x: sub.width / 2, y: sub.height / 2, scale: null });
  const [treatment, setTreatment] = useState<Treatment | null>(null);
  const [error, setError] = useState<string | null>(null);
  const curves = useMemo(() => stretchCurves(stretchParams.parse({}), sub.stretch), [sub]);
  useHotkeys("0", () => setLook((before) => ({ ...before, scale: null })));
  useHotkeys("1", () => setLook((before) => ({ ...before, scale: 1 })));
  useEffect(() => {
    let gone = false;
    session
      .frameOf(sub.id, sub.name)
      .then((picture) => {
        if (gone) return;
        setError(null);
        setTreatment({ picture, halves: null, fill: sub.measures.background, steps: [], contexts: [] });
      })
      .catch((reason: unknown) => setError(failureOf(reason).message));
    return () => {
      gone = true;
    };
  }, [session, sub]);
  if (error) return <EmptyState title="This sub cannot be shown">{error}</EmptyState>;
  return (
    <PictureViewer
      pool={session.pool}
      treatment={treatment}
      width={sub.width}
      height={sub.height}
      curves={curves}
      look={look}
      onLook={setLook}
      label={`Sub ${sub.name}`}
    />
  );
}
