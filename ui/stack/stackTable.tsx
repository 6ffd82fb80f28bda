"use client";

import { Fragment } from "react";
import { arcsecPerPx } from "@/state/pixelScale";
import type { StackRecord } from "@/storage";
import { useProject } from "../frame/session";
import { duration, fixed, levelUnit, megabytes } from "../kit/format";
import { differenceList } from "./stackDifferences";

interface Row {
  label: string;
  hint: string;
  text: (stack: StackRecord, arcsec: number | null) => string;
  /** What the best is ranked by, where one is better than another; null where it is not known. */
  value?: (stack: StackRecord) => number | null;
  better?: "less" | "more";
  /** Whether stacks of other scales cannot be held against one another by it. */
  perPixel?: boolean;
}

/** Mean over channels of what is known in all of them. */
function meanOf(values: readonly (number | null)[]): number | null {
  const known = values.filter((value): value is number => value !== null);
  return known.length === values.length && known.length > 0 ? known.reduce((a, b) => a + b, 0) / known.length : null;
}

const noiseOf = ({ report }: StackRecord) => meanOf(report.noise.map(({ fromHalves }) => fromHalves));
const gainOf = ({ report }: StackRecord) => meanOf(report.noise.map(({ measuredGain }) => measuredGain));
const idealOf = ({ report }: StackRecord) => meanOf(report.noise.map(({ expectedGain }) => expectedGain));
const isMade = ({ brought }: StackRecord): boolean => brought === null;

const ROWS: Row[] = [
  {
    label: "Subs",
    hint: "Used, of those that were included",
    text: ({ report, brought }) =>
      brought ? String(brought.combined ?? "–") : `${report.subsUsed} of ${report.subs.length}`,
  },
  {
    label: "Integration",
    hint: "Exposure of all subs used",
    text: ({ report }) => (report.integrationS > 0 ? duration(report.integrationS) : "–"),
  },
  {
    label: "Noise per pixel",
    hint: "σ from the halves, by channel. Noise that neighbours share is not in it: see the scales in the report",
    text: ({ report, facts }) => {
      const { unit, scale, digits } = levelUnit(facts.unit);
      return `${report.noise.map(({ fromHalves }) => fixed(fromHalves === null ? null : fromHalves * scale, digits)).join(" / ")} ${unit}`;
    },
    value: noiseOf,
    better: "less",
    perPixel: true,
  },
  {
    label: "Gain over one sub",
    hint: "Noise of the median sub over that of the stack, and what weights and noise of the subs promise",
    text: (stack) => `${fixed(gainOf(stack), 2)} × of ${fixed(idealOf(stack), 2)} ×`,
    value: gainOf,
    better: "more",
    perPixel: true,
  },
  {
    label: "FWHM",
    hint: "Median of its stars, in its own pixels and on the sky",
    text: ({ facts: { fwhmPx } }, arcsec) =>
      `${fixed(fwhmPx, 2)} px${fwhmPx !== null && arcsec !== null ? ` · ${fixed(fwhmPx * arcsec, 2)}″` : ""}`,
    value: ({ facts }) => facts.fwhmPx,
    better: "less",
    perPixel: true,
  },
  {
    label: "Stars",
    hint: "Found in the parts that were looked over",
    text: ({ facts }) => String(facts.stars),
    value: ({ facts }) => facts.stars,
    better: "more",
  },
  {
    label: "Samples rejected",
    hint: "Of all samples of all subs",
    text: (stack) => (isMade(stack) ? `${fixed(100 * stack.report.rejectedFraction, 2)} %` : "–"),
  },
  {
    label: "Pixel scale",
    hint: "From pixel size, binning and focal length of the cards; of a tied stack over the stars that it shares with others",
    text: (_, arcsec) => (arcsec === null ? "–" : `${fixed(arcsec, 3)} arcsec/px`),
  },
  { label: "Size", hint: "Width and height", text: ({ facts }) => `${facts.width} × ${facts.height} px` },
  {
    label: "Took",
    hint: "Time to make it, without measuring its subs",
    text: (stack) => (isMade(stack) ? duration(stack.report.seconds) : "–"),
    value: (stack) => (isMade(stack) ? stack.report.seconds : null),
    better: "less",
  },
  {
    label: "Memory",
    hint: "Most that was held for samples of subs",
    text: (stack) => (isMade(stack) ? megabytes(stack.report.peakBytes) : "–"),
  },
];

/** All stacks side by side: what differs, and how good each became; the best of a row is marked. */
export function StackTable({ stacks, onSelect }: { stacks: StackRecord[]; onSelect: (id: string) => void }) {
  const times = new Set(stacks.map(({ report }) => Math.round(report.integrationS)));
  const known = useProject((state) => state);
  const arcsecs = new Map(stacks.map((stack) => [stack.id, arcsecPerPx(stack, known)]));
  const scales = new Set(stacks.map(({ facts }) => facts.width));
  return (
    <div className="h-full overflow-auto p-4" tabIndex={0} aria-label="Stacks side by side" data-testid="stack-table">
      {times.size > 1 ? (
        <p className="mb-2 text-warn">
          Their integration differs: less noise of the longer ones is no merit of their settings.
        </p>
      ) : null}
      {scales.size > 1 ? (
        <p className="mb-2 text-quiet">
          Their sizes differ: widths in pixels and noise per pixel are not of one scale.
        </p>
      ) : null}
      <table className="text-sm">
        <thead>
          <tr>
            <th />
            {stacks.map(({ id, name }) => (
              <th key={id} className="px-3 pb-1 text-left font-normal">
                <button
                  type="button"
                  className="min-h-6 hover:text-accent"
                  title="Shows it"
                  onClick={() => onSelect(id)}
                >
                  {name}
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {ROWS.map((row) => {
            const best = row.perPixel && scales.size > 1 ? null : bestOf(row, stacks);
            return (
              <tr key={row.label} className="border-t border-line">
                <th className="py-1 pr-4 text-left font-normal text-quiet" title={row.hint} data-help={row.hint}>
                  {row.label}
                </th>
                {stacks.map((stack) => (
                  <td key={stack.id} className="figures px-3 py-1">
                    {row.text(stack, arcsecs.get(stack.id) ?? null)}
                    {stack.id === best ? (
                      <span className="ml-1 text-accent" title="Best of the row">
                        •
                      </span>
                    ) : null}
                  </td>
                ))}
              </tr>
            );
          })}
          <tr className="border-t border-line align-top">
            <th className="py-1 pr-4 text-left font-normal text-quiet">Against the first</th>
            {stacks.map((stack, i) => (
              <td key={stack.id} className="max-w-60 px-3 py-1 text-quiet">
                {i === 0
                  ? "–"
                  : differenceList(stacks[0], stack).map((part, k) => (
                      <Fragment key={k}>
                        {k > 0 ? <br /> : null}
                        {part}
                      </Fragment>
                    ))}
              </td>
            ))}
          </tr>
          <tr className="border-t border-line align-top">
            <th className="py-1 pr-4 text-left font-normal text-quiet">Note</th>
            {stacks.map(({ id, note }) => (
              <td key={id} className="max-w-60 px-3 py-1">
                {note}
              </td>
            ))}
          </tr>
        </tbody>
      </table>
    </div>
  );
}

/** The stack that is best in a row; null where it says nothing, or all are alike. */
function bestOf({ value, better }: Row, stacks: readonly StackRecord[]): string | null {
  if (!value) return null;
  const known = stacks.flatMap((stack) => {
    const own = value(stack);
    return own === null ? [] : [{ id: stack.id, own }];
  });
  if (known.length < 2) return null;
  known.sort((a, b) => (better === "less" ? a.own - b.own : b.own - a.own));
  return known[0].own === known[known.length - 1].own ? null : known[0].id;
}
