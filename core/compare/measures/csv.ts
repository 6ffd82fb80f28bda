import { line } from "../../formats/csv";
import { MEASURES } from "./registry";
import type { LaneMeasures } from "./measureLane";

/** What a row of the table is of. */
export interface MeasuredPlace {
  lane: string;
  chain: string;
  spot: string;
  values: LaneMeasures;
}

/** The table as CSV: a row for each lane at each spot, a column for each measure; empty where one is not defined. `perSample`: what levels are multiplied by to be in `unit`. */
export function laneMeasuresCsv(
  rows: readonly MeasuredPlace[],
  { unit, perSample }: { unit: string; perSample: number },
): string {
  const head = MEASURES.map(({ label, unit: own }) =>
    own === "" ? label : `${label} (${own === "level" ? unit : own})`,
  );
  const lines = rows.map(({ lane, chain, spot, values }) =>
    line([
      ...[lane, chain, spot],
      ...MEASURES.map(({ id, unit: own }) => {
        const value = values[id] ?? null;
        return value === null || own !== "level" ? value : value * perSample;
      }),
    ]),
  );
  return [line(["Lane", "Chain", "Spot", ...head]), ...lines].join("");
}
