"use client";

import { useState } from "react";
import type { FrameType, SubMetadata, UnitName } from "@/core/formats";
import { FRAME_TYPES, TYPED_FIELDS, UNIT_LABELS, UNIT_NAMES, numberOf, typingFault } from "@/core/formats";
import type { SubRecord } from "@/storage";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { Choice } from "../kit/choice";
import { fixed } from "../kit/format";
import { useAnswer } from "../kit/useAnswer";
import { calibratedScale } from "@/engine/tasks/subs";
import { TYPE_LABELS } from "./typeLabels";
import { useStaleLights } from "./useStaleLights";

/** The header of the current file with a search, and fields that can be typed in for all selected subs at once. */
export function HeaderPanel({ current, selected }: { current: SubRecord; selected: SubRecord[] }) {
  const session = useSession();
  const { value: cards, error } = useAnswer(current.fileId, 0, () => session.files.cards(current));
  const [search, setSearch] = useState("");
  const words = search.trim().toLowerCase();
  const shown = (cards ?? []).filter(({ keyword, value, comment }) =>
    `${keyword} ${value ?? ""} ${comment}`.toLowerCase().includes(words),
  );
  const ids = selected.map(({ id }) => id);
  return (
    <div className="flex min-h-0 flex-1 flex-col" data-testid="header-panel">
      <div className="shrink-0 border-b border-line bg-panel p-2">
        <div className="mb-1 flex items-center gap-2">
          <span className="flex-1">
            {selected.length === 1
              ? "What is known of this frame"
              : `What is known of ${selected.length} selected frames`}
          </span>
          <span className="text-quiet">it is a</span>
          <Choice
            label="Frame type"
            help="What the frame is used as"
            value={selected.every(({ type }) => type === selected[0].type) ? selected[0].type : ""}
            placeholder="several"
            options={FRAME_TYPES.map((type) => ({ value: type as string, label: TYPE_LABELS[type] }))}
            onChange={(type) => session.subs.setType(ids, type as FrameType)}
          />
        </div>
        <div className="grid grid-cols-2 gap-x-4 gap-y-1">
          {TYPED_FIELDS.map((field) => (
            <TypedField
              key={`${field.key} ${ids.join(" ")}`}
              field={field}
              selected={selected}
              found={foundIn(field.key, selected)}
              onType={(value) => session.subs.typeIn(ids, field.key, value as never)}
            />
          ))}
        </div>
        <UnitLine current={current} selected={selected} />
        <p className="mt-1 text-sm text-quiet">
          Pixel scale{" "}
          <span className="figures text-text">
            {fixed(
              calibratedScale(
                current.metadata,
                current.measuredThrough === null ? null : session.project.calibration.settings,
              ),
              3,
            )}
          </span>{" "}
          arcsec/px · {current.width}×{current.height} px ·{" "}
          {current.bitpix < 0 ? `${-current.bitpix}-bit floats` : `${current.bitpix} bits`} ·{" "}
          {current.format.toUpperCase()}
          {current.metadata.cfa ? ` · mosaic ${current.metadata.cfa}` : ""}
        </p>
      </div>
      <div className="flex h-8 shrink-0 items-center gap-2 border-b border-line px-2">
        <input
          aria-label="Search the header"
          className="min-w-0 flex-1 rounded border border-line bg-page px-1.5 py-0.5"
          placeholder="Search the header"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
        <span className="figures text-sm text-quiet">
          {shown.length} of {cards?.length ?? 0} cards
        </span>
      </div>
      {error ? <p className="p-2 text-warn">{error}</p> : null}
      <div className="min-h-0 flex-1 overflow-auto">
        <table className="w-full text-sm">
          <tbody>
            {shown.map(({ keyword, value, comment }, i) => (
              <tr key={i} className="border-b border-[#1d1d1d] align-top">
                <td className="figures w-24 px-2 py-0.5 text-quiet">{keyword}</td>
                <td className="figures px-2 py-0.5 break-all">{value === null ? "" : String(value)}</td>
                <td className="px-2 py-0.5 text-quiet">{comment}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </div>
  );
}

type Field = (typeof TYPED_FIELDS)[number];

/** What was found where neither header nor person tell, for the empty field. */
function foundIn(key: Field["key"], selected: SubRecord[]): string | null {
  if (key !== "fullScale" && key !== "saturation") return null;
  const values = new Set(selected.map(({ unit }) => unit[key]));
  const [only] = values;
  return values.size === 1 && only !== null ? String(Number(only.toPrecision(6))) : null;
}

/** What the numbers of the frames are, where that was found, how it can be said otherwise, and what is odd about the file. */
function UnitLine({ current, selected }: { current: SubRecord; selected: SubRecord[] }) {
  const session = useSession();
  const stale = new Set(useStaleLights().map(({ id }) => id));
  const { unit, notes } = current;
  const waiting = selected.filter(({ id }) => stale.has(id)).length;
  const claimed = selected.every((sub) => sub.metadata.unit === current.metadata.unit) ? current.metadata.unit : "";
  return (
    <div className="mt-1 text-sm text-quiet" data-testid="unit-line">
      <div className="flex flex-wrap items-center gap-x-1.5">
        Numbers are
        <Choice
          label="Unit of the numbers"
          help="What a step of the numbers counts; a wrong unit spoils calibration and saturation"
          value={claimed ?? "found"}
          placeholder="several"
          options={[
            { value: "found", label: `as found: ${UNIT_LABELS[unit.name]}` },
            ...UNIT_NAMES.map((name) => ({ value: name as string, label: UNIT_LABELS[name] })),
          ]}
          onChange={(name) =>
            session.subs.typeIn(
              selected.map(({ id }) => id),
              "unit",
              name === "found" ? null : (name as UnitName),
            )
          }
        />
        <span title={`Unit: ${unit.from.name}`}>({unit.from.name})</span>
      </div>
      <div>
        Full scale <span className="figures text-text">{Number(unit.fullScale.toPrecision(6))}</span> (
        {unit.from.fullScale}) · saturated from{" "}
        <span className="figures text-text">
          {unit.saturation === null ? "–" : Number(unit.saturation.toPrecision(6))}
        </span>{" "}
        ({unit.from.saturation})
      </div>
      {waiting > 0 ? (
        <div className="flex items-center gap-2 text-warn">
          {waiting === 1 ? "This frame was" : `${waiting} of them were`} measured before this was typed in.
          <Button onClick={() => void session.subs.measureAgain()}>Measure again</Button>
        </div>
      ) : null}
      {current.measures.looksMosaic && current.measuredSize.channels === 1 ? (
        <div className="text-warn">
          It looks like a raw colour mosaic, and its header tells no pattern: say the pattern under Calibrate.
        </div>
      ) : null}
      {notes.map((note) => (
        <div key={note} className="text-warn">
          {note}
        </div>
      ))}
    </div>
  );
}

function TypedField({
  field,
  selected,
  found,
  onType,
}: {
  field: Field;
  selected: SubRecord[];
  found: string | null;
  onType: (value: SubMetadata[Field["key"]]) => void;
}) {
  const values = new Set(selected.map(({ metadata }) => metadata[field.key]));
  const [only] = values;
  const shown = values.size > 1 ? "" : only === null ? "" : String(only);
  const [draft, setDraft] = useState<string | null>(null);
  const typed = selected.some((sub) => sub.typed.includes(field.key));
  const fault = draft === null ? null : typingFault(field, draft);
  const wrong = fault !== null;
  /** A text that cannot be taken stays, with what is wrong, until it is mended or given up. */
  const commit = () => {
    if (draft === null || wrong) return;
    if (draft !== shown) onType(draft.trim() === "" ? null : field.kind === "number" ? numberOf(draft) : draft.trim());
    setDraft(null);
  };
  return (
    <div>
      <label className="flex items-center gap-1.5">
        <span
          className={`w-20 shrink-0 ${typed ? "text-accent" : "text-quiet"}`}
          title={typed ? "typed in by hand" : "from the file"}
        >
          {field.label}
        </span>
        <input
          aria-label={field.label}
          aria-invalid={wrong}
          aria-describedby={wrong ? `fault-${field.key}` : undefined}
          className={`figures min-w-0 flex-1 rounded border bg-page px-1 ${wrong ? "border-warn" : "border-line"}`}
          placeholder={values.size > 1 ? "differs" : (found ?? "not known")}
          value={draft ?? shown}
          onChange={(event) => setDraft(event.target.value)}
          onBlur={commit}
          onKeyDown={(event) => {
            if (event.key === "Enter") commit();
            if (event.key === "Escape") setDraft(null);
            event.stopPropagation();
          }}
        />
        <span className="w-6 text-xs text-quiet">{field.unit}</span>
      </label>
      {wrong ? (
        <p id={`fault-${field.key}`} role="alert" className="text-xs text-warn">
          {field.label} {fault}; what was known stays. Escape gives it up.
        </p>
      ) : null}
    </div>
  );
}

/** Shown instead of the table where only calibration frames are there. */
export function TypeHint({ onShow }: { onShow: () => void }) {
  return (
    <div className="p-3 text-quiet">
      There are no lights yet. If some of these frames are lights, select them and say so{" "}
      <Button kind="quiet" className="text-accent" onClick={onShow}>
        in their header
      </Button>
      .
    </div>
  );
}
