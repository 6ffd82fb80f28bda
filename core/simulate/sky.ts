import { smoothstep } from "../numeric/smoothstep";
import { createRandom } from "../numeric/random";
import type { Raster } from "../raster";
import { createRaster } from "../raster";
import { createNoiseField, octaves, ridges } from "./noiseField";

export interface SkyStar {
  /** Position in sky pixels: the field that an undithered frame shows, 0-based. */
  x: number;
  y: number;
  /** Electrons per sub above the atmosphere of a clear night, by channel (red, green, blue). */
  flux: [number, number, number];
}

/** The made-up Weir Nebula field over the Harrow Fen rooftop observatory. */
export interface Sky {
  width: number;
  height: number;
  stars: SkyStar[];
  /** Pairs of stars of known separation: indices into `stars` and the distance in px. */
  pairs: { first: number; second: number; separationPx: number }[];
  /** Nebula and galaxy, unblurred, in electrons per sub and px; reaches `margin` px beyond the field on every side. */
  glow: Raster;
  margin: number;
}

const MARGIN = 64;

/**
 * Makes the field from a seed. Star counts follow N(>F) ∝ F^−0.55 from far below the noise of one sub to saturation,
 * about 700 stars per megapixel, a cluster and five close pairs; filaments of emission with dark dust in front (which
 * dims the stars behind it) and one small inclined galaxy. Electrons are per sub at full transmission.
 */
export function createSky(width: number, height: number, seed: number): Sky {
  const dust = dustField(width, height, seed);
  return {
    width,
    height,
    ...scatterStars(width, height, seed, dust),
    glow: paintGlow(width, height, seed, dust),
    margin: MARGIN,
  };
}

/** The stars of the field: those of the brightness law, the cluster, and the close pairs. */
export function scatterStars(
  width: number,
  height: number,
  seed: number,
  dust: (x: number, y: number) => number,
): Pick<Sky, "stars" | "pairs"> {
  const random = createRandom(seed * 7919 + 11);
  const stars: SkyStar[] = [];
  const addStar = (x: number, y: number, flux: number, behindDust: boolean) => {
    const warmth = Math.max(-1, Math.min(1, 0.55 * random.normal()));
    const dim = behindDust ? Math.exp(-dust(x, y)) : 1;
    const redden = behindDust ? Math.exp(0.25 * dust(x, y)) : 1;
    stars.push({
      x,
      y,
      flux: [flux * dim * (1 + 0.38 * warmth) * redden, flux * dim, (flux * dim * (1 - 0.38 * warmth)) / redden],
    });
  };
  const FAINTEST = 70;
  const powerLaw = (most: number) => Math.min(most, FAINTEST * (1 - random.uniform()) ** (-1 / 0.55));
  const count = Math.round((width * height * 700) / 1e6);
  for (let i = 0; i < count; i++)
    addStar(
      random.uniform() * (width + 60) - 30,
      random.uniform() * (height + 60) - 30,
      powerLaw(2.5e6),
      random.uniform() < 0.7,
    );
  const cluster = { x: width * 0.77, y: height * 0.27 };
  const spread = Math.min(width, height) * 0.035;
  for (let i = 0; i < 28; i++)
    addStar(cluster.x + spread * random.normal(), cluster.y + spread * random.normal(), powerLaw(9e4) * 9, false);
  const pairs: Sky["pairs"] = [];
  [3, 4, 5, 6, 8].forEach((separationPx, i) => {
    const x = width * (0.12 + 0.17 * i) + 3.3;
    const y = height * (i % 2 === 0 ? 0.88 : 0.1) + 2.7;
    const angle = random.uniform() * Math.PI;
    pairs.push({ first: stars.length, second: stars.length + 1, separationPx });
    addStar(x, y, 3e4, false);
    addStar(x + separationPx * Math.cos(angle), y + separationPx * Math.sin(angle), 2.1e4, false);
  });
  return { stars, pairs };
}

/** Optical depth of the dust at a sky position. */
function dustField(width: number, height: number, seed: number): (x: number, y: number) => number {
  const scale = 3.1 / Math.min(width, height);
  const warp = createNoiseField(seed * 31 + 5);
  const cloud = octaves(createNoiseField(seed * 31 + 6), 6, 0.55);
  return (x, y) => {
    const u = x * scale;
    const v = y * scale;
    const wx = warp(u * 0.8, v * 0.8) * 0.7;
    const wy = warp(u * 0.8 + 40, v * 0.8 - 13) * 0.7;
    const lane = cloud(u * 0.75 + wx, v * 1.5 + wy) + 0.45 - Math.abs(v - 1.55 - 0.55 * (u - 1.9) * 0.6 + wy) * 0.9;
    return 2.3 * smoothstep(lane, 0.02, 0.75);
  };
}

function paintGlow(width: number, height: number, seed: number, dust: (x: number, y: number) => number): Raster {
  const glow = createRaster(width + 2 * MARGIN, height + 2 * MARGIN, 3);
  const scale = 3 / Math.min(width, height);
  const warpX = octaves(createNoiseField(seed * 31 + 1), 4);
  const warpY = octaves(createNoiseField(seed * 31 + 2), 4);
  const body = octaves(createNoiseField(seed * 31 + 3), 5);
  const filament = ridges(createNoiseField(seed * 31 + 4), 5);
  const galaxy = { x: width * 0.17, y: height * 0.3, angle: 0.6, axis: 0.42, radius: Math.min(width, height) * 0.016 };
  const [red, green, blue] = glow.planes;
  for (let row = 0; row < glow.height; row++)
    for (let column = 0; column < glow.width; column++) {
      const x = column - MARGIN;
      const y = row - MARGIN;
      const u = x * scale;
      const v = y * scale;
      const wx = warpX(u * 0.7, v * 0.7) * 0.9;
      const wy = warpY(u * 0.7 + 11, v * 0.7 + 7) * 0.9;
      const cx = (x / width - 0.47) / 0.36;
      const cy = (y / height - 0.55) / 0.42;
      const shape = Math.hypot(cx + 0.35 * wx, cy + 0.35 * wy);
      const envelope = Math.exp(-(shape ** 2) * 1.15);
      const rim = Math.exp(-(((shape - 0.8) / 0.22) ** 2));
      const gas = Math.max(0, 0.42 + body(u * 1.1 + wx, v * 1.1 + wy));
      const wisps = filament(u * 0.9 + wx * 0.8, v * 0.9 + wy * 0.8) ** 1.7;
      const transparency = Math.exp(-dust(x, y));
      const hydrogen = 95 * envelope * gas + (30 * envelope + 85 * rim) * wisps * (0.35 + gas);
      const oxygen = 80 * Math.exp(-(shape ** 2) * 3.2) * (0.3 + gas) + 26 * rim * wisps * gas;
      const haze = 5 + 9 * Math.max(0, body(u * 0.5 - 3, v * 0.5 + 8) + 0.3);
      const i = row * glow.width + column;
      red[i] = (hydrogen + 0.12 * oxygen + 1.1 * haze) * transparency + 1.5;
      green[i] = (0.26 * hydrogen + 0.85 * oxygen + haze) * transparency + 1.2;
      blue[i] = (0.34 * hydrogen + 0.95 * oxygen + 1.05 * haze) * transparency ** 1.25 + 1;
      const gx = (x - galaxy.x) * Math.cos(galaxy.angle) + (y - galaxy.y) * Math.sin(galaxy.angle);
      const gy = ((y - galaxy.y) * Math.cos(galaxy.angle) - (x - galaxy.x) * Math.sin(galaxy.angle)) / galaxy.axis;
      const r = Math.hypot(gx, gy) / galaxy.radius;
      if (r < 6) {
        const arms = 1 + 0.55 * Math.cos(2 * Math.atan2(gy, gx) - 2.6 * Math.log(r + 0.25));
        const disc = 150 * Math.exp(-r * 1.15) * arms;
        const bulge = 520 * Math.exp(-((r * 9) ** 0.6));
        red[i] += disc * 0.85 + bulge * 1.15;
        green[i] += disc + bulge;
        blue[i] += disc * 1.15 + bulge * 0.75;
      }
    }
  return glow;
}
