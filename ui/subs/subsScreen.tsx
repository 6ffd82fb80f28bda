"use client";

import { referenceOf } from "@/state/selectors";
import { FolderInput } from "lucide-react";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useHotkeys } from "react-hotkeys-hook";
import { measureOf } from "@/core/choose";
import { FILE_ENDINGS } from "@/core/formats";
import { stretchParameters } from "@/core/operations";
import type { SubRecord } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Button } from "../kit/button";
import { duration } from "../kit/format";
import { EmptyState } from "../kit/notice";
import { useHeldKey } from "../kit/useHeldKey";
import { firstPatches, middlePatch } from "./patchOverlay";
import type { DefectMap } from "./calibratePanel";
import { CalibratePanel } from "./calibratePanel";
import { ColumnsMenu } from "./columnsMenu";
import { FlipBar } from "./flipBar";
import type { JudgingLook } from "./flipPicture";
import { FlipPicture } from "./flipPicture";
import { FrameShown } from "./frameShown";
import type { Sort } from "./grades";
import { handVerdict, selectionAfter, sortFrames, useGrades } from "./grades";
import { HeaderPanel, TypeHint } from "./headerPanel";
import { ExportMenu, ImportNotices, StorageUse } from "./importBar";
import { MeasureChart } from "./measureChart";
import { RulesPanel } from "./rulesPanel";
import { ReferenceStrip } from "./referenceStrip";
import { SetsBar } from "./setsBar";
import { SubsTable } from "./subsTable";
import type { Prepared } from "./useFlip";

const PANELS = [
  { id: "choose", label: "Choose", help: "Measures, rules and decisions" },
  { id: "calibrate", label: "Calibrate", help: "Masters, and which lights go through which" },
  { id: "header", label: "Header", help: "What the file says, and what can be typed in" },
] as const;
type PanelId = (typeof PANELS)[number]["id"];

const PLAY_MS = 250;

/** Bring frames in, calibrate them, see what each is worth, and choose. */
export function SubsScreen() {
  const session = useSession();
  const subs = useProject((state) => state.subs);
  const columns = useProject((state) => state.project.columns);
  const patches = useProject((state) => state.project.patches);
  const currentId = useProject((state) => state.currentSubId);
  const selection = useProject((state) => state.selection);
  const proposal = useProject((state) => state.proposal);
  const masters = useProject((state) => state.masters);
  const referenceId = useProject((state) => state.project.referenceId);
  const grading = useProject((state) => state.grading);
  const grades = useGrades();
  const [sort, setSort] = useState<Sort>({ key: "order", down: false });
  const [panel, setPanel] = useState<PanelId>("choose");
  const [setKey, setSetKey] = useState<string | null>(null);
  const [thumbnails, setThumbnails] = useState(false);
  const [over, setOver] = useState(false);
  const [playing, setPlaying] = useState(false);
  const [prepared, setPrepared] = useState<Prepared | null>(null);
  const [judging, setJudging] = useState<JudgingLook>({
    asItCame: false,
    display: stretchParameters.defaults,
    patches: false,
  });
  const [heaviest, setHeaviest] = useState<number | null>(null);
  const [map, setMap] = useState<DefectMap | null>(null);
  const chooser = useRef<HTMLInputElement>(null);
  const cameFrom = useRef<string | null>(null);

  const before = useHeldKey("b");
  const byId = useMemo(() => new Map(subs.map((sub) => [sub.id, sub])), [subs]);
  const reference = useMemo(() => referenceOf(session.store.getState()), [session, subs, proposal, referenceId]); // eslint-disable-line react-hooks/exhaustive-deps -- the session reads them from the store
  const shownSet = grades.sets.find(({ key }) => key === setKey) ?? null;
  const frames = useMemo(() => shownSet?.frames ?? [...grades.frames.values()], [shownSet, grades]);
  const shownColumns = useMemo(
    () => columns.filter((id) => frames.some((frame) => measureOf(id).value(frame) !== null)),
    [columns, frames],
  );
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

  const step = useCallback(
    (by: number) => {
      const next = order[Math.min(order.length - 1, Math.max(0, at + by))];
      if (next) session.subs.select(next.id);
    },
    [order, at, session],
  );
  const pick = (id: string, keys: { ctrl: boolean; shift: boolean }) =>
    session.subs.select(
      id,
      selectionAfter(
        sorted.map((frame) => frame.id),
        selection,
        current?.id ?? null,
        id,
        keys,
      ),
    );
  const included = (id: string) => grades.verdicts.get(id)?.included ?? byId.get(id)?.decision !== "reject";
  const decide = (ids: readonly string[], include: boolean) => session.subs.decide(ids, include ? "keep" : "reject");
  const toggleDecision = () => current && decide(chosen, !included(current.id));
  const rival = subs.find((sub) => sub.rival) ?? null;
  const toRivalAndBack = () => {
    if (!current || !rival) return;
    const target = current.id === rival.id ? cameFrom.current : rival.id;
    if (target === null || target === current.id) return;
    if (current.id !== rival.id) cameFrom.current = current.id;
    session.subs.select(target);
  };
  const matchToThis = () => current?.type === "light" && session.subs.saveRules({ referenceId: current.id });
  const judge = (part: Partial<JudgingLook>) => {
    if (part.patches === true && patches.length === 0 && reference)
      session.subs.saveRules({ patches: firstPatches(reference.measuredSize) });
    setJudging((before) => ({ ...before, ...part }));
  };

  useHotkeys("left,up", (event) => (event.preventDefault(), step(-1)), [step]);
  useHotkeys("right,down", (event) => (event.preventDefault(), step(1)), [step]);
  useHotkeys("space", (event) => (event.preventDefault(), setPlaying((before) => !before)));
  useHotkeys("o", toggleDecision, [current, chosen, grades]);
  useHotkeys("shift+o", () => session.subs.decide(chosen, null), [chosen]);
  useHotkeys("l", () => current && session.subs.markRival(current.id), [current]);
  useHotkeys("t", toRivalAndBack, [current, rival]);
  useHotkeys("m", matchToThis, [current]);
  useHotkeys("a", () => judge({ asItCame: !judging.asItCame }), [judging]);
  useHotkeys("k", () => judge({ patches: !judging.patches }), [judging, patches, reference]);
  useHotkeys(
    "mod+a",
    (event) => (
      event.preventDefault(),
      current &&
        session.subs.select(
          current.id,
          sorted.map(({ id }) => id),
        )
    ),
    [current, sorted],
  );
  useHotkeys("esc", () => current && session.subs.select(current.id), [current]);

  useEffect(() => {
    if (!playing || order.length < 2) return;
    const timer = setTimeout(() => session.subs.select(order[(at + 1) % order.length].id), PLAY_MS);
    return () => clearTimeout(timer);
  }, [playing, at, order, session]);

  const take = (files: Iterable<File>) => {
    const list = [...files];
    if (list.length > 0)
      void session.subs.importFiles(list.map((file) => ({ name: file.name, load: () => Promise.resolve(file) })));
  };
  const kept = grades.lights.filter(({ id }) => included(id));
  const integration = kept.reduce((sum, sub) => sum + (sub.metadata.exposureS ?? 0), 0);

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
        accept={FILE_ENDINGS.join(",")}
        className="hidden"
        data-testid="choose-files"
        onChange={(event) => {
          take(event.target.files ?? []);
          event.target.value = "";
        }}
      />
      <ImportNotices />
      {!current ? (
        <EmptyState title="Drop your frames here">
          <p className="mb-3">
            Lights as they left the camera with their darks, flats and bias; or calibrated subs; or a video. FITS, TIFF,
            PNG, SER and AVI, as many at once as you like. Each is measured as it comes in; one that cannot be read is
            named and the others go on. They stay in this browser.
          </p>
          <Button kind="primary" onClick={() => chooser.current?.click()}>
            <FolderInput size={16} /> Choose files
          </Button>
        </EmptyState>
      ) : (
        <>
          <div className="flex min-h-0 flex-1">
            <div className="flex min-w-0 flex-1 flex-col">
              <div className="relative min-h-0 flex-1">
                <FlipPicture
                  key={session.project.id}
                  {...{ order, current, reference }}
                  judging={before ? { ...judging, asItCame: true } : judging}
                  onPrepared={setPrepared}
                  defects={map && judging.asItCame ? map : null}
                />
                <FrameShown
                  judging={judging}
                  light={current.type === "light"}
                  onJudging={judge}
                  onAddPatch={() =>
                    reference && session.subs.saveRules({ patches: [...patches, middlePatch(reference.measuredSize)] })
                  }
                />
              </div>
              <FlipBar
                {...{ current, at, playing, prepared }}
                frame={grades.frames.get(current.id) ?? null}
                verdict={grades.verdicts.get(current.id) ?? handVerdict(current)}
                count={order.length}
                onStep={step}
                onPlay={() => setPlaying(!playing)}
                onDecide={toggleDecision}
              />
            </div>
            <div className="flex w-[600px] shrink-0 flex-col border-l border-line">
              <div className="flex h-9 shrink-0 items-center gap-2 border-b border-line bg-panel px-2">
                <div role="radiogroup" aria-label="Panel" className="flex">
                  {PANELS.map(({ id, label, help }) => (
                    <button
                      key={id}
                      type="button"
                      role="radio"
                      aria-checked={panel === id}
                      title={help}
                      data-help={help}
                      className={`border-b-2 px-2 py-1 ${panel === id ? "border-accent text-text" : "border-transparent text-quiet hover:text-text"}`}
                      onClick={() => setPanel(id)}
                    >
                      {label}
                    </button>
                  ))}
                </div>
                <span className="min-w-0 flex-1 truncate text-right text-quiet" data-testid="included">
                  <span className="text-text">{kept.length}</span> of {grades.lights.length}
                  {integration > 0 ? (
                    <>
                      {" "}
                      · <span className="text-text">{duration(integration)}</span>
                    </>
                  ) : null}
                </span>
                <StorageUse />
                <ColumnsMenu thumbnails={thumbnails} onThumbnails={setThumbnails} />
                <ExportMenu frames={sorted} verdicts={grades.verdicts} />
                <Button onClick={() => chooser.current?.click()} help="Brings more files in">
                  <FolderInput size={14} /> Add
                </Button>
              </div>
              {panel === "choose" ? (
                <>
                  <SetsBar
                    sets={grades.sets}
                    shown={setKey}
                    onShow={setSetKey}
                    heaviest={heaviest}
                    rankedBy={current.video ? "sharpest" : "heaviest"}
                    total={sorted.length}
                    onHeaviest={(count) => setHeaviest(count !== null && count >= sorted.length ? null : count)}
                  />
                  <RulesPanel frames={frames} />
                  {frames.length > 0 ? (
                    <ReferenceStrip
                      {...{ current, reference, rival, selection, grading }}
                      others={subs.length - grades.lights.length}
                      reason={
                        proposal
                          ? {
                              text: `${referenceId === null ? "Reference" : "Proposed"}: ${byId.get(proposal.id)?.name ?? ""} (${proposal.reasons.join("; ")})`,
                              lines: proposal.reasons,
                            }
                          : null
                      }
                      onDecide={(include) => decide(selection, include)}
                      onRules={() => session.subs.decide(selection, null)}
                      onMatch={matchToThis}
                      onRival={toRivalAndBack}
                    />
                  ) : null}
                  {frames.length === 0 ? (
                    <TypeHint onShow={() => setPanel("header")} />
                  ) : (
                    <SubsTable
                      {...{ thumbnails, selection, sort }}
                      columns={shownColumns}
                      frames={sorted}
                      subs={byId}
                      verdicts={grades.verdicts}
                      currentId={current.id}
                      referenceId={reference?.id ?? null}
                      onSort={(key) => setSort({ key, down: sort.key === key ? !sort.down : false })}
                      onPick={pick}
                      onDecide={(id, include) => decide([id], include)}
                      onRival={(id) => session.subs.markRival(id)}
                    />
                  )}
                </>
              ) : panel === "calibrate" ? (
                <CalibratePanel
                  map={map}
                  onMap={(next) => {
                    setMap(next);
                    if (!next) return;
                    // The map belongs to the sensor: frames are shown as they came, and a dark shows its hot pixels best.
                    judge({ asItCame: true });
                    const dark = masters.find(({ id }) => id === next.masterId)?.frames.find((id) => byId.has(id));
                    if (dark) session.subs.select(dark);
                  }}
                />
              ) : (
                <HeaderPanel current={current} selected={chosen.flatMap((id) => byId.get(id) ?? [])} />
              )}
            </div>
          </div>
          <MeasureChart
            frames={frames}
            verdicts={grades.verdicts}
            currentId={current.id}
            selection={selection}
            onPick={pick}
            onSelect={(ids) => ids.length > 0 && session.subs.select(ids[0], ids)}
          />
        </>
      )}
    </div>
  );
}
