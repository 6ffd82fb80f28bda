import { z } from "zod";
import { measureBackground } from "../measure";
import type { Fact } from "./fact";

/** Longest side of the picture that the mesh is laid over. */
const OVERVIEW_SIDE = 1024;
const CELL = 32;

const schema = z.object({
  columns: z.number().int(),
  rows: z.number().int(),
  /** By channel: the level of each cell of a mesh over the whole picture, by rows. */
  level: z.array(z.array(z.number())),
});
export type BackgroundFact = z.infer<typeof schema>;

/** How the background lies over the whole picture, without stars (measure/background.ts, on the reduced picture). */
export const background: Fact<BackgroundFact> = {
  id: "background",
  title: "background over the picture",
  schema,
  async measure(look, { kernels }) {
    const { planes, width, height } = await look.overview(OVERVIEW_SIDE);
    const meshes = planes.map((plane) => measureBackground(plane, width, height, kernels, CELL));
    const [{ columns, rows }] = meshes;
    return { columns, rows, level: meshes.map(({ level }) => [...level]) };
  },
  noisier: (value) => value,
};
