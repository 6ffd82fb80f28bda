"use client";

import { useEffect, useLayoutEffect, useRef, useState } from "react";
import { createPortal } from "react-dom";
import type { Box } from "./helpLayout";
import { placeLabels, worthLabels } from "./helpLayout";

type Keys = readonly (readonly [key: string, what: string])[];

const EVERYWHERE: Keys = [
  ["?", "what each control is, and the keys"],
  ["Esc", "close"],
];

/** The keys of each screen. */
export const KEYS: Readonly<Record<string, Keys>> = {
  subs: [
    ["← → ↑ ↓", "previous and next sub"],
    ["Space", "play"],
    ["O", "the selected subs out, or in"],
    ["Delete", "remove the selected frames from the project"],
    ["Shift O", "leave them to the rules"],
    ["Ctrl Z", "take the last decision, removal, rule, patch or typed field back; Ctrl Shift Z makes it again"],
    ["L", "make it the rival"],
    ["T", "to the rival and back"],
    ["M", "match the others to it"],
    ["A", "as it came, or over the reference"],
    ["B (hold)", "as it came, while held"],
    ["K", "sky patches"],
    ["Ctrl A, Esc", "select all, none"],
    ["0 1 4", "all of the picture, 1:1, 4:1"],
  ],
  compare: [
    ["B (hold)", "the untouched stack in every crop"],
    ["V (hold)", "each lane before its chosen step, or its last"],
    ["0 1 2 3 4", "fit, 1:1, 2:1, 4:1, 8:1"],
    ["arrow keys", "move all crops"],
    ["Shift drag", "a line: the light of all lanes along it"],
    ["Home", "all crops back to their spots"],
    ["M S L P O", "all lanes at all spots, at one spot, one lane, two over each other, whole pictures"],
    [", .", "the spot before, the spot after"],
    ["Shift ← →", "the lane before, the lane after"],
    ["X (hold)", "the other of two lanes shown in turn"],
    ["E", "evidence, or the chain"],
    ["N", "make lanes equal in noise or sharpness"],
    ["T", "the table of measures"],
    ["Q W", "fold the left panel, the right panel"],
    ["Ctrl Z", "undo"],
    ["Ctrl Shift Z", "redo"],
  ],
};

/** The page of the guide that is about a screen. */
const GUIDE_PAGES: Readonly<Record<string, string>> = {
  subs: "choose",
  stack: "stack",
  compare: "compare",
  finish: "finish",
};

/** Help is opened and closed by ? (wherever that lies on the keyboard) and closed by Escape. */
export function useHelp(): { open: boolean; toggle: () => void } {
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.target instanceof HTMLInputElement) return;
      if (event.key === "?") setOpen((before) => !before);
      if (event.key === "Escape") setOpen(false);
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
  return { open, toggle: () => setOpen((before) => !before) };
}

interface Label extends Box {
  text: string;
  control: Box;
}

/** Widest text of a label, and what its padding and edge add, in px. */
const WIDEST = 180;
const PADDING = { x: 16, y: 4 };
const LINE = 16;

/** The first part of what a control says of itself; the rest is in its tooltip. */
const brief = (text: string): string => text.split(/[;:\n]|\.(?:\s|$)/)[0].trim();

/** Size of a label of this text as the browser will break it. */
function sizeOf(text: string, widthOf: (text: string) => number): { width: number; height: number } {
  let lines = 1;
  let current = "";
  let widest = 0;
  for (const word of text.split(" ")) {
    const longer = current === "" ? word : `${current} ${word}`;
    if (current !== "" && widthOf(longer) > WIDEST) {
      lines++;
      current = word;
    } else current = longer;
    widest = Math.max(widest, widthOf(current));
  }
  return { width: Math.ceil(widest) + PADDING.x, height: LINE * lines + PADDING.y };
}

/** Width of text in the labels' type. */
function textRuler(): (text: string) => number {
  const context = document.createElement("canvas").getContext("2d");
  if (context) context.font = `12px ${getComputedStyle(document.body).fontFamily}`;
  return (text) => context?.measureText(text).width ?? text.length * 7;
}

/** Controls in sight, each once by what it says of itself. */
function controlsInSight(): { text: string; control: Box; hasWords: boolean }[] {
  const found = new Map<string, { control: Box; hasWords: boolean }>();
  for (const element of document.querySelectorAll<HTMLElement>("[data-help]")) {
    const { left, top, width, height } = element.getBoundingClientRect();
    const text = brief(element.dataset.help ?? "");
    const out = width === 0 || top < 0 || top > window.innerHeight - 10 || left > window.innerWidth - 10;
    const hasWords = /\p{L}{3}/u.test(element.innerText);
    if (text !== "" && !out && !found.has(text)) found.set(text, { control: { left, top, width, height }, hasWords });
  }
  return [...found].map(([text, rest]) => ({ text, ...rest }));
}

/** Labels the controls on the screen, as their own `data-help` says, and lists the keys of this screen. */
export function HelpOverlay({ stage, onClose }: { stage: string; onClose: () => void }) {
  const [labels, setLabels] = useState<Label[]>([]);
  const [isBrief, setBrief] = useState(false);
  const list = useRef<HTMLDivElement>(null);
  useLayoutEffect(() => {
    const measure = () => {
      const inSight = controlsInSight();
      const controls = worthLabels(inSight);
      setBrief(controls.length < inSight.length);
      const keys = list.current?.getBoundingClientRect();
      const widthOf = textRuler();
      const boxes = placeLabels(
        controls.map(({ text, control }) => ({ control, ...sizeOf(text, widthOf) })),
        keys ? [keys] : [],
        { width: window.innerWidth, height: window.innerHeight },
      );
      setLabels(controls.flatMap((control, i) => (boxes[i] ? [{ ...control, ...boxes[i] }] : [])));
    };
    measure();
    window.addEventListener("resize", measure);
    return () => window.removeEventListener("resize", measure);
  }, []);
  const dialog = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const before = document.activeElement;
    dialog.current?.focus();
    return () => {
      if (before instanceof HTMLElement) before.focus();
    };
  }, []);
  const keys = [...(KEYS[stage] ?? []), ...EVERYWHERE];
  return createPortal(
    <div
      ref={dialog}
      tabIndex={-1}
      role="dialog"
      aria-modal
      aria-label="What is what"
      className="fixed inset-0 z-50 bg-black/75 outline-none"
      onClick={onClose}
    >
      <svg className="pointer-events-none absolute inset-0 h-full w-full">
        {labels.map(({ text, control, ...box }) => {
          const x = Math.min(Math.max(box.left + box.width / 2, control.left + 4), control.left + control.width - 4);
          const y = Math.min(Math.max(box.top + box.height / 2, control.top + 4), control.top + control.height - 4);
          const inside = x >= box.left && x <= box.left + box.width && y >= box.top && y <= box.top + box.height;
          return inside ? null : (
            <line key={text} x1={box.left + 6} y1={box.top + box.height / 2} x2={x} y2={y} stroke="#a3a3a3" />
          );
        })}
      </svg>
      {labels.map(({ text, left, top, width, height }) => (
        <div
          key={text}
          data-testid="help-label"
          className="absolute overflow-hidden border-l-2 border-accent bg-raised px-1.5 py-0.5 text-sm leading-4"
          style={{ left, top, width, height }}
        >
          {text}
        </div>
      ))}
      <div
        ref={list}
        data-testid="help-keys"
        className="absolute bottom-10 left-1/2 grid w-max -translate-x-1/2 grid-cols-[max-content_max-content] gap-x-10 rounded border border-line bg-panel p-3"
      >
        {keys.map(([key, what]) => (
          <div key={key} className="flex gap-3">
            <span className="figures w-24 shrink-0 text-accent">{key}</span>
            <span className="whitespace-nowrap">{what}</span>
          </div>
        ))}
        <p className="col-span-2 pt-1 text-sm text-quiet">
          {isBrief && "What a button with words on it does is told where the pointer rests on it. "}
          Click anywhere to close, or read{" "}
          <a
            href={`/guide/${GUIDE_PAGES[stage] ?? "start"}`}
            target="_blank"
            rel="noreferrer"
            className="text-accent underline"
            onClick={(event) => event.stopPropagation()}
          >
            the guide
          </a>
          .
        </p>
      </div>
    </div>,
    document.body,
  );
}
