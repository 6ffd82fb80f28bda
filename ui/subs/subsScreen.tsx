"use client";

import { FolderInput } from "lucide-react";
import { useEffect, useState } from "react";
import { DEFAULT_DISPLAY } from "@/core/display";
import { useProject, useSession } from "../frame/session";
import { StorageUse } from "../frame/storageUse";
import { Button } from "../kit/button";
import { duration } from "../kit/format";
import { useHeldKey } from "../kit/useHeldKey";
import type { DefectMap } from "./masterList";
import { CalibratePanel } from "./calibratePanel";
import { ChoosePanel } from "./choosePanel";
import { ColumnsMenu } from "./columnsMenu";
import { DropZone, NoFrames } from "./dropZone";
import { FlipBar } from "./flipBar";
import type { JudgingLook } from "./flipPicture";
import { FlipPicture } from "./flipPicture";
import { FrameShown } from "./frameShown";
import { handVerdict } from "./grades";
import { HeaderPanel } from "./headerPanel";
import { ExportMenu, ImportNotices } from "./importBar";
import { MeasureChart } from "./measureChart";
import { firstPatches, middlePatch } from "../viewer/placed/patchOverlay";
import type { Chosen } from "./useChosen";
import { useChosen } from "./useChosen";
import type { Prepared } from "./useFlip";
import { useSubsKeys } from "./useSubsKeys";

const PANELS = [
  { id: "choose", label: "Choose", help: "Measures, rules and decisions" },
  { id: "calibrate", label: "Calibrate", help: "Masters, and which lights go through which" },
  { id: "header", label: "Header", help: "What the file says, and what can be typed in" },
] as const;
type PanelId = (typeof PANELS)[number]["id"];

const PLAY_MS = 250;

/** Bring frames in, calibrate them, see what each is worth, and choose. */
export function SubsScreen() {
  const chosen = useChosen();
  const { judging, judge, addPatch } = useJudging(chosen);
  const { playing, togglePlaying } = usePlaying(chosen);
  const [map, setMap] = useState<DefectMap | null>(null);
  useSubsKeys(chosen, judging, judge, togglePlaying);
  const { current, grades } = chosen;
  return (
    <DropZone>
      {(choose) => (
        <>
          <ImportNotices onChoose={choose} />
          {current ? (
            <>
              <div className="flex min-h-0 flex-1">
                <PictureColumn {...{ chosen, judging, judge, playing, togglePlaying, map }} onAddPatch={addPatch} />
                <SidePanel {...{ chosen, choose, judge, map }} onMap={setMap} />
              </div>
              <ChartOf chosen={chosen} verdicts={grades.verdicts} />
            </>
          ) : (
            <NoFrames onChoose={choose} />
          )}
        </>
      )}
    </DropZone>
  );
}

/** How frames are shown while they are judged; patches are laid out when they are first asked for. */
function useJudging({ reference }: Chosen) {
  const session = useSession();
  const patches = useProject((state) => state.project.patches);
  const [judging, setJudging] = useState<JudgingLook>({
    asItCame: false,
    display: DEFAULT_DISPLAY,
    patches: false,
  });
  const judge = (part: Partial<JudgingLook>) => {
    if (part.patches === true && patches.length === 0 && reference)
      session.subs.saveRules({ patches: firstPatches(reference.measuredSize) });
    setJudging((before) => ({ ...before, ...part }));
  };
  const addPatch = () =>
    reference && session.subs.saveRules({ patches: [...patches, middlePatch(reference.measuredSize)] });
  return { judging, judge, addPatch };
}

/** Goes from frame to frame by itself while playing. */
function usePlaying({ order, at }: Chosen) {
  const session = useSession();
  const [playing, setPlaying] = useState(false);
  useEffect(() => {
    if (!playing || order.length < 2) return;
    const timer = setTimeout(() => session.subs.select(order[(at + 1) % order.length].id), PLAY_MS);
    return () => clearTimeout(timer);
  }, [playing, at, order, session]);
  return { playing, togglePlaying: () => setPlaying((before) => !before) };
}

interface ColumnProps {
  chosen: Chosen;
  judging: JudgingLook;
  judge: (part: Partial<JudgingLook>) => void;
  playing: boolean;
  togglePlaying: () => void;
  map: DefectMap | null;
  onAddPatch: () => void;
}

/** The frame that is looked at, and the bar to flip through the others. */
function PictureColumn({ chosen, judging, judge, playing, togglePlaying, map, onAddPatch }: ColumnProps) {
  const session = useSession();
  const before = useHeldKey("b");
  const [prepared, setPrepared] = useState<Prepared | null>(null);
  const { order, at, current, reference, grades } = chosen;
  if (!current) return null;
  return (
    <div className="flex min-w-0 flex-1 flex-col">
      <div className="relative min-h-0 flex-1">
        <FlipPicture
          key={session.project.id}
          {...{ order, current, reference }}
          judging={before ? { ...judging, asItCame: true } : judging}
          onPrepared={setPrepared}
          defects={map && judging.asItCame ? map : null}
        />
        <FrameShown judging={judging} light={current.type === "light"} onJudging={judge} onAddPatch={onAddPatch} />
      </div>
      <FlipBar
        {...{ current, at, playing, prepared }}
        frame={grades.frames.get(current.id) ?? null}
        verdict={grades.verdicts.get(current.id) ?? handVerdict(current)}
        count={order.length}
        onStep={chosen.step}
        onPlay={togglePlaying}
        onDecide={chosen.toggleDecision}
      />
    </div>
  );
}

interface SideProps {
  chosen: Chosen;
  choose: () => void;
  judge: (part: Partial<JudgingLook>) => void;
  map: DefectMap | null;
  onMap: (map: DefectMap | null) => void;
}

/** Choosing, calibrating, or the header of what is selected. */
function SidePanel({ chosen, choose, judge, map, onMap }: SideProps) {
  const session = useSession();
  const stored = useProject((state) => state.subs.length + state.stacks.length + state.masters.length);
  const masters = useProject((state) => state.masters);
  const [panel, setPanel] = useState<PanelId>("choose");
  const [thumbnails, setThumbnails] = useState(false);
  const { current, grades, sorted, byId } = chosen;
  if (!current) return null;
  const showMap = (next: DefectMap | null) => {
    onMap(next);
    if (!next) return;
    // The map belongs to the sensor: frames are shown as they came, and a dark shows its hot pixels best.
    judge({ asItCame: true });
    const dark = masters.find(({ id }) => id === next.masterId)?.frames.find((id) => byId.has(id));
    if (dark) session.subs.select(dark);
  };
  return (
    <div className="flex w-[600px] shrink-0 flex-col border-l border-line">
      <div className="flex h-9 shrink-0 items-center gap-2 border-b border-line bg-panel px-2">
        <PanelTabs panel={panel} onPanel={setPanel} />
        <Included chosen={chosen} />
        <StorageUse changed={stored} isUsed={stored > 0} />
        <ColumnsMenu thumbnails={thumbnails} onThumbnails={setThumbnails} />
        <ExportMenu frames={sorted} verdicts={grades.verdicts} />
        <Button onClick={choose} help="Brings more files in">
          <FolderInput size={14} /> Add
        </Button>
      </div>
      {panel === "choose" ? (
        <ChoosePanel {...{ chosen, thumbnails }} onShowHeader={() => setPanel("header")} />
      ) : panel === "calibrate" ? (
        <CalibratePanel map={map} onMap={showMap} />
      ) : (
        <HeaderPanel current={current} selected={chosen.chosen.flatMap((id) => byId.get(id) ?? [])} />
      )}
    </div>
  );
}

function PanelTabs({ panel, onPanel }: { panel: PanelId; onPanel: (id: PanelId) => void }) {
  return (
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
          onClick={() => onPanel(id)}
        >
          {label}
        </button>
      ))}
    </div>
  );
}

/** How many lights are in, and their exposure. */
function Included({ chosen: { grades, included } }: { chosen: Chosen }) {
  const kept = grades.lights.filter(({ id }) => included(id));
  const integration = kept.reduce((sum, sub) => sum + (sub.metadata.exposureS ?? 0), 0);
  return (
    <span className="min-w-0 flex-1 truncate text-right text-quiet" data-testid="included">
      <span className="text-text">{kept.length}</span> of {grades.lights.length}
      {integration > 0 ? (
        <>
          {" "}
          · <span className="text-text">{duration(integration)}</span>
        </>
      ) : null}
    </span>
  );
}

function ChartOf({ chosen, verdicts }: { chosen: Chosen; verdicts: Chosen["grades"]["verdicts"] }) {
  const session = useSession();
  const { frames, current, selection } = chosen;
  return (
    <MeasureChart
      {...{ frames, verdicts, selection }}
      currentId={current?.id ?? ""}
      onPick={chosen.pick}
      onSelect={(ids) => ids.length > 0 && session.subs.select(ids[0], ids)}
    />
  );
}
