// Reading and measuring one 24-megapixel mono sub on one core, as an import does it; best of several rounds, against one plain
// pass over the same pixels (their sum). npm run -s bench -- measuring [rounds]
import { bytesOfArray, openPicture, valueOf, writeFits } from "@/core/formats";
import { measureSub } from "@/core/measure";
import { wholeRegion } from "@/core/raster";
import { createNight, exposeSub } from "@/core/simulate";
import { kernels } from "./lib/truth";

const WIDTH = 6000;
const HEIGHT = 4000;
const rounds = Number(process.argv[2] ?? 4);

/** One plain pass. */
function sumOf(plane: Float32Array): number {
  let total = 0;
  for (let i = 0; i < plane.length; i++) total += plane[i];
  return total;
}

const night = createNight({ subs: 1, seed: 7, width: WIDTH, height: HEIGHT });
const exposed = exposeSub(night.sky, night.camera, night.subs[0], 7, kernels);
const file = writeFits({ width: WIDTH, height: HEIGHT, channels: 1, sample: "uint16", cards: [] }, [exposed.planes[1]]);

let passMs = Infinity;
let sum = 0;
let readMs = Infinity;
let measureMs = Infinity;
let stars = 0;
for (let round = 0; round < rounds; round++) {
  let started = performance.now();
  const lap = () => {
    const ms = performance.now() - started;
    started = performance.now();
    return ms;
  };
  const picture = valueOf(await openPicture(bytesOfArray("sub.fits", file)));
  const raster = await picture.frame(0).read(wholeRegion(picture));
  readMs = Math.min(readMs, lap());
  const [plane] = raster.planes;
  sum += sumOf(plane);
  passMs = Math.min(passMs, lap());
  stars = measureSub(raster, kernels, { consume: true }).measures.stars;
  measureMs = Math.min(measureMs, lap());
}
const ratio = (ms: number) => `${(ms / passMs).toFixed(1)} passes`;
process.stdout.write(
  `24 MP mono, ${stars} stars, mean ${(sum / rounds / WIDTH / HEIGHT).toFixed(4)}; one pass ${passMs.toFixed(0)} ms: reading ${readMs.toFixed(0)} ms (${ratio(readMs)}), ` +
    `measuring ${measureMs.toFixed(0)} ms (${ratio(measureMs)})\n`,
);
