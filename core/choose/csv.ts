import { line } from "../formats/csv";
import type { GradedFrame } from "./measures";
import { MEASURES } from "./measures";
import type { Verdict } from "./rules";
import { flagsOf } from "./rules";

/** Every measure of every frame as CSV: one line a frame, units in the header, unknown values empty. */
export function measuresCsv(frames: GradedFrame[], verdicts: ReadonlyMap<string, Verdict>): string {
  const columns = MEASURES.filter(({ id }) => id !== "order" && id !== "time");
  const head = [
    "file",
    "date",
    "filter",
    "included",
    "why not",
    "flags",
    ...columns.map(({ label, unit }) => (unit ? `${label} (${unit})` : label)),
  ];
  const rows = frames.map((frame) => {
    const verdict = verdicts.get(frame.id);
    return line([
      frame.name,
      frame.metadata.date,
      frame.metadata.filter,
      verdict?.included === false ? "no" : "yes",
      verdict?.reasons.join("; ") ?? "",
      flagsOf(frame).join(" "),
      ...columns.map(({ value }) => {
        const v = value(frame);
        return v === null ? null : Number(v.toPrecision(7));
      }),
    ]);
  });
  return line(head) + rows.join("");
}

/** The rejected frames as CSV with the reasons. */
export function rejectedCsv(frames: GradedFrame[], verdicts: ReadonlyMap<string, Verdict>): string {
  const out = frames.filter(({ id }) => verdicts.get(id)?.included === false);
  return (
    line(["file", "why"]) + out.map(({ id, name }) => line([name, verdicts.get(id)?.reasons.join("; ") ?? ""])).join("")
  );
}

/** The names of the rejected frames, one a line. */
export function rejectedList(frames: GradedFrame[], verdicts: ReadonlyMap<string, Verdict>): string {
  return frames
    .filter(({ id }) => verdicts.get(id)?.included === false)
    .map(({ name }) => `${name}\n`)
    .join("");
}
