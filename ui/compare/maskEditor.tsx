"use client";

import { Pencil, Plus, Trash2, X } from "lucide-react";
import type { Mask, MaskPart } from "@/core/mask";
import { findMaskKind, MASK_KINDS, MOST_PARTS } from "@/core/mask";
import { changeMask, partOf, removeMask, usesOf } from "@/state/masks";
import type { Board } from "@/storage";
import { useSession } from "../frame/session";
import { Button, IconButton } from "../kit/button";
import { Choice } from "../kit/choice";
import { OfferMenu } from "../kit/offerMenu";
import { ParameterSetting } from "../kit/parameterSetting";
import { NumberSetting } from "../kit/setting";
import { Tick } from "../kit/tick";
import type { Latency } from "./latency";
import { openMask, useDesk, useDeskStore } from "./desk";

const HOW_WORDS: Record<MaskPart["how"], string> = { and: "and only", or: "and also", minus: "but not" };
const DRAW_WORDS = {
  freehand: "Draw round it on any crop or on the map, with the button held.",
  corners: "Click its corners on any crop or on the map; a double click sets the last.",
  ellipse: "Press in its middle on any crop or on the map, and draw to its edge.",
};

/** A mask's parts and settings; while it is open it is shown on all crops. */
export function MaskEditor({ mask, board, latency }: { mask: Mask; board: Board; latency: Latency }) {
  const session = useSession();
  const desk = useDeskStore();
  const change = (part: Partial<Mask>, group: string | null = null) => {
    latency.changed();
    session.board.change((b) => changeMask(b, { ...mask, ...part }), group && `${mask.id}.${group}`);
  };
  const setPart = (k: number, part: Partial<MaskPart>, group: string) =>
    change({ parts: mask.parts.map((one, i) => (i === k ? { ...one, ...part } : one)) }, `${k}.${group}`);
  const uses = usesOf(board, mask.id);
  return (
    <div className="mb-1 rounded bg-page p-1.5" data-testid="mask-editor">
      <div className="flex items-center gap-1">
        <input
          aria-label="Name of the mask"
          className="min-w-0 flex-1 rounded border border-line bg-page px-1"
          maxLength={60}
          defaultValue={mask.name}
          key={mask.id}
          onBlur={(event) => {
            const name = event.target.value.trim();
            if (name) change({ name }, "name");
            else event.target.value = mask.name;
          }}
          onKeyDown={(event) => {
            if (event.key === "Enter") event.currentTarget.blur();
            event.stopPropagation();
          }}
        />
        <IconButton
          label={`Delete the mask ${mask.name}`}
          help="Deletes the mask; steps that had it act everywhere"
          onClick={() => {
            session.board.change((b) => removeMask(b, mask.id));
            openMask(desk, null);
          }}
        >
          <Trash2 size={12} />
        </IconButton>
      </div>
      {uses > 1 ? <p className="text-sm text-quiet">{uses} steps act in it; all change with it.</p> : null}
      {mask.parts.map((part, k) => (
        <PartSettings
          key={k}
          index={k}
          part={part}
          onChange={(next, group) => setPart(k, next, group)}
          onRemove={mask.parts.length > 1 ? () => change({ parts: mask.parts.filter((_, i) => i !== k) }) : null}
        />
      ))}
      <KindMenu
        label="Add a part"
        disabled={mask.parts.length >= MOST_PARTS}
        onKind={(kind) => change({ parts: [...mask.parts, partOf(kind)] })}
      />
      <NumberSetting
        label="Blur"
        hint="Softens the whole mask"
        unit="px"
        min={0}
        max={64}
        step={0.5}
        value={mask.blurPx}
        onChange={(blurPx) => change({ blurPx }, "blur")}
      />
      <Tick
        className="gap-1 py-1"
        help="Acts where the mask is not, and not where it is"
        checked={mask.inverted}
        onChange={(inverted) => change({ inverted }, "inverted")}
      >
        the other way round
      </Tick>
    </div>
  );
}

interface PartProps {
  part: MaskPart;
  index: number;
  onChange: (part: Partial<MaskPart>, group: string) => void;
  onRemove: (() => void) | null;
}

function PartSettings({ part, index, onChange, onRemove }: PartProps) {
  const desk = useDeskStore();
  const isDrawing = useDesk(({ drawing }) => drawing === index);
  const kind = findMaskKind(part.kind);
  if (!kind) return <p className="text-warn">Unknown: {part.kind}</p>;
  return (
    <div className="mt-1 border-t border-line pt-1" data-mask-part={part.kind}>
      <div className="flex items-center gap-1.5">
        {index > 0 ? (
          <Choice
            label="How this part goes with those before it"
            value={part.how}
            options={(["or", "and", "minus"] as const).map((how) => ({ value: how, label: HOW_WORDS[how] }))}
            onChange={(how) => onChange({ how }, "how")}
          />
        ) : null}
        <span className="min-w-0 flex-1 truncate" title={kind.summary}>
          {kind.title}
        </span>
        <Tick
          className="gap-1 text-quiet"
          help="Takes what this part is not"
          checked={part.inverted}
          onChange={(inverted) => onChange({ inverted }, "inverted")}
        >
          not
        </Tick>
        {onRemove ? (
          <IconButton label={`Remove the part ${kind.title}`} help="Removes the part" onClick={onRemove}>
            <X size={12} />
          </IconButton>
        ) : null}
      </div>
      {kind.drawn ? (
        <>
          <Button
            help={DRAW_WORDS[kind.drawn as keyof typeof DRAW_WORDS]}
            className={isDrawing ? "text-accent" : ""}
            aria-pressed={isDrawing}
            onClick={() => desk.setState({ drawing: isDrawing ? null : index, draft: [] })}
          >
            <Pencil size={12} /> {part.outline.length > 0 ? "Draw it anew" : "Draw it"}
          </Button>
          {isDrawing ? (
            <p className="text-sm text-quiet">{DRAW_WORDS[kind.drawn as keyof typeof DRAW_WORDS]}</p>
          ) : part.outline.length > 0 ? (
            <p className="text-sm text-quiet">Its handles on the crops move it.</p>
          ) : (
            <p className="text-sm text-quiet">Not drawn yet: it means nothing so far.</p>
          )}
        </>
      ) : null}
      {kind.parameters.fields.map((field) => (
        <ParameterSetting
          key={field.name}
          field={field}
          values={part.params}
          onChange={(value) => onChange({ params: { ...part.params, [field.name]: value } }, field.name)}
        />
      ))}
    </div>
  );
}

/** A menu of all kinds of parts. */
export function KindMenu({
  label,
  onKind,
  disabled = false,
  className = "",
}: {
  label: string;
  onKind: (kind: (typeof MASK_KINDS)[number]) => void;
  disabled?: boolean;
  className?: string;
}) {
  return (
    <OfferMenu items={MASK_KINDS} align="end" onPick={onKind}>
      <button
        type="button"
        disabled={disabled}
        className={`my-1 inline-flex items-center gap-1 rounded border border-line px-1.5 py-0.5 hover:border-quiet disabled:opacity-40 ${className}`}
      >
        <Plus size={12} /> {label}
      </button>
    </OfferMenu>
  );
}
