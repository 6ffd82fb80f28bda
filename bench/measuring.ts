// Reading and measuring one 24-megapixel mono sub on one core, as an import does it; best of several rounds, against one copy of
// the same pixels in memory. npm run -s bench -- measuring [rounds]
import { bytesOfArray, openPicture, valueOf, writeFits } from "@/core/formats";
import { measureSub } from "@/core/measure";
import { wholeRegion } from "@/core/raster";
import { createNight, exposeSub } from "@/core/simulate";
import { kernels } from "./lib/truth";

const WIDTH = 6000;
const HEIGHT = 4000;
const rounds = Number(process.argv[2] ?? 4);

const night = createNight({ subs: 1, seed: 7, width: WIDTH, height: HEIGHT });
const exposed = exposeSub(night.sky, night.camera, night.subs[0], 7, kernels);
const file = writeFits({ width: WIDTH, height: HEIGHT, channels: 1, sample: "uint16", cards: [] }, [exposed.planes[1]]);

let copyMs = Infinity;
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
  const copy = raster.planes[0].slice();
  copyMs = Math.min(copyMs, lap());
  stars = measureSub({ ...raster, planes: [copy] }, kernels).measures.stars;
  measureMs = Math.min(measureMs, lap());
}
const ratio = (ms: number) => `${(ms / copyMs).toFixed(0)} copies of its pixels`;
process.stdout.write(
  `24 MP mono, ${stars} stars: reading ${readMs.toFixed(0)} ms (${ratio(readMs)}), ` +
    `measuring ${measureMs.toFixed(0)} ms (${ratio(measureMs)})\n`,
);
