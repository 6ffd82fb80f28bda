import type { MasterKind, MasterSettings } from "@/core/calibrate";
import type { FitsCard, SubMetadata } from "@/core/formats";
import type { FrameRef } from "../frames";
import type { WorkerPool } from "../pool";
import { PRIORITY } from "../pool";
import type { MasterResult } from "../tasks/masters";

export interface MasterRequest {
  kind: MasterKind;
  frames: FrameRef[];
  /** Of the first frame; what it shows goes into the master's header. */
  metadata: SubMetadata;
  /** Taken off flats. */
  offset: FrameRef | null;
  settings: MasterSettings;
}

/** Combines frames into a master: a float FITS file that shows what it is made of and for what lights. */
export function combineMaster(
  pool: WorkerPool,
  { kind, frames, metadata, offset, settings }: MasterRequest,
  control: { signal?: AbortSignal; onProgress: (fraction: number) => void },
): Promise<MasterResult> {
  const { cfa: pattern } = metadata;
  const payload = { kind, frames, offset, pattern, settings, cards: cardsOf(metadata) };
  return pool.run("master", payload, { priority: PRIORITY.batch, ...control });
}

function cardsOf(metadata: SubMetadata): FitsCard[] {
  const { exposureS, gain, offset, temperatureC, filter, binning, cfa, instrument } = metadata;
  const all: [string, string | number | null, string?][] = [
    ["EXPTIME", exposureS, "s"],
    ["GAIN", gain],
    ["OFFSET", offset],
    ["CCD-TEMP", temperatureC, "deg C"],
    ["FILTER", filter],
    ["XBINNING", binning],
    ["BAYERPAT", cfa],
    ["INSTRUME", instrument && instrument.slice(0, 60)],
  ];
  return all.filter((card): card is [string, string | number, string?] => card[1] !== null);
}
