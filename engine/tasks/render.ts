import { quietly } from "@/core/job";
import { chainHalo, runChain, sizeAfter } from "@/core/chain";
import { fitsSamples, writePng } from "@/core/formats";
import type { ShownBy } from "@/core/display";
import { curvesOf, throughCurves } from "@/core/display";
import type { Region } from "@/core/raster";
import { createRaster, pasteInto, tilesOf, wholeRegion } from "@/core/raster";
import type { Treatment } from "./crop";
import { stepsOf } from "./crop";
import type { Task } from "./task";
import { stripTileColumns } from "./tiles";

/** Rows of a treated picture as float FITS samples, by plane. */
export const renderStrip: Task<{ treatment: Treatment; region: Region }, Uint8Array[]> = {
  owned: async ({ treatment, region }, context) => {
    const source = await context.frames.open(treatment.picture);
    const steps = stepsOf(treatment, context);
    const out = createRaster(region.width, region.height, sizeAfter(steps, source).channels);
    const tiles = tilesOf(region, stripTileColumns(region.height, chainHalo(steps)), region.height);
    for (const [k, tile] of tiles.entries()) {
      const quiet = quietly(context.job);
      pasteInto(out, await runChain(source, steps, tile, treatment.fill, quiet), tile.x - region.x, tile.y - region.y);
      context.job.progress((k + 1) / tiles.length);
    }
    return out.planes.map((plane) => fitsSamples(plane, "float32"));
  },
};

export interface PngPayload {
  /** A float FITS picture that was rendered before. */
  picture: Treatment["picture"];
  depth: 8 | 16;
  /** What a linear picture is shown by; null for one that a step of its chain has stretched already. */
  shownBy: ShownBy | null;
  text: Record<string, string>;
}

/** A rendered picture as a PNG, with the display stretch burnt in. */
export const encodePng: Task<PngPayload, Uint8Array> = {
  owned: async ({ picture, depth, shownBy, text }, context) => {
    const source = await context.frames.open(picture);
    const raster = await source.read(wholeRegion(source));
    const planes = shownBy ? throughCurves(raster.planes, curvesOf(shownBy)) : raster.planes;
    context.job.check();
    context.job.progress(0.3);
    return writePng({ ...raster, planes }, depth, text);
  },
};
