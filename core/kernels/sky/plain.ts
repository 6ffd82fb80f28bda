import { CHUNK } from "../../raster/statistics";
import { checkPlane } from "../plane";
import { starletPlain } from "../starlet/plain";
import type { DetectionBands, MeshLevels, SkyKernels } from "./contract";
import { axisOf, checkMesh, meshRow } from "./contract";

export const skyPlain: SkyKernels = { detectionBands, chunkMaxima };

function detectionBands(
  plane: Float32Array,
  width: number,
  height: number,
  background: MeshLevels | null,
  into: Float32Array = new Float32Array(plane.length),
): DetectionBands {
  checkPlane(plane, width, height);
  const clean = withoutMesh(plane, width, height, background, into);
  const once = starletPlain.starletSmooth(clean, width, height, 0);
  const coarse = starletPlain.starletSmooth(starletPlain.starletSmooth(once, width, height, 1), width, height, 2);
  return { clean, band: once.map((v, i) => v - coarse[i]), coarse };
}

function withoutMesh(
  plane: Float32Array,
  width: number,
  height: number,
  background: MeshLevels | null,
  out: Float32Array,
): Float32Array {
  const mesh = background ?? { columns: 1, rows: 1, level: new Float32Array(1) };
  checkMesh(mesh);
  const [xs, ys] = [axisOf(width, mesh.columns), axisOf(height, mesh.rows)];
  const line = new Float32Array(mesh.columns + 1);
  for (let y = 0, i = 0; y < height; y++) {
    meshRow(mesh, ys, y, line);
    for (let x = 0; x < width; x++, i++) {
      const from = line[xs.low[x]];
      const v = plane[i] - (from + (line[xs.low[x] + 1] - from) * xs.share[x]);
      out[i] = v === v ? v : 0;
    }
  }
  return out;
}

function chunkMaxima(values: Float32Array): Float32Array {
  const out = new Float32Array(Math.ceil(values.length / CHUNK)).fill(-Infinity);
  for (let i = 0; i < values.length; i++) {
    const k = Math.floor(i / CHUNK);
    if (values[i] > out[k]) out[k] = values[i];
  }
  return out;
}
