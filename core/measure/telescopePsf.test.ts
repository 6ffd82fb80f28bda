import { apertureTransfer, telescopeFwhm, telescopePsf } from "./telescopePsf";

const open = { apertureMm: 200, obstruction: 0, wavelengthNm: 550, arcsecPerPx: 0.05, seeingArcsec: 0 };
/** λ/D in px. */
const perPx = 550e-6 / 200 / (Math.PI / 648_000) / 0.05;
const row = (psf: { size: number; values: Float32Array }) =>
  psf.values.slice(((psf.size - 1) / 2) * psf.size + (psf.size - 1) / 2, ((psf.size + 1) / 2) * psf.size);

test("an open aperture's disc: 1.03 λ/D wide, its first dark ring at 1.22 λ/D, 83.8 % of its light inside; Born & Wolf, Principles of Optics, § 8.5.2", () => {
  const psf = telescopePsf(open, 40);
  const along = row(psf);
  const half = along.findIndex((v) => v < along[0] / 2);
  const at = half - 1 + (along[half - 1] - along[0] / 2) / (along[half - 1] - along[half]);
  expect(Math.abs((2 * at) / (1.03 * perPx) - 1)).toBeLessThan(0.02);
  const dark = along.findIndex((v, k) => k > 3 && v < along[k + 1]);
  expect(Math.abs(dark - 1.22 * perPx)).toBeLessThan(0.75);
  expect(along[dark] / along[0]).toBeLessThan(1e-3);
  const inside = psf.values.reduce(
    (sum, v, k) => sum + (Math.hypot((k % 81) - 40, Math.floor(k / 81) - 40) <= 1.22 * perPx ? v : 0),
    0,
  );
  // The PSF ends at 3.5 λ/D, within which lie 94 % of all light.
  expect(Math.abs(inside * 0.943 - 0.838)).toBeLessThan(0.015);
});

test("an obstruction moves light into the first ring and draws it in: dark at 1.06 λ/D for two fifths; Schroeder, Astronomical Optics, table 10.2 (from memory)", () => {
  const along = row(telescopePsf({ ...open, obstruction: 0.4 }, 40));
  const dark = along.findIndex((v, k) => k > 3 && v < along[k + 1]);
  expect(Math.abs(dark - 1.06 * perPx)).toBeLessThan(0.75);
  const ring = Math.max(...along.slice(dark)) / along[0];
  const openRing = Math.max(...row(telescopePsf(open, 40)).slice(15)) / row(telescopePsf(open, 40))[0];
  // 1.75 % of an open aperture's height.
  expect(Math.abs(openRing - 0.0175)).toBeLessThan(0.001);
  expect(ring).toBeGreaterThan(2 * openRing);
});

test("the transfer of an obstructed aperture by its definition: how much two rings that are moved against each other have in common", () => {
  const e = 0.35;
  const side = 600;
  const isIn = (x: number, y: number) => Math.hypot(x, y) <= 1 && Math.hypot(x, y) >= e;
  for (const share of [0.1, 0.3, 0.5, 0.66, 0.8]) {
    let [both, one] = [0, 0];
    for (let j = 0; j < side; j++)
      for (let i = 0; i < side; i++) {
        const [x, y] = [(2.4 * (i + 0.5)) / side - 1.2, (2.4 * (j + 0.5)) / side - 1.2];
        if (!isIn(x, y)) continue;
        one++;
        if (isIn(x + 2 * share, y)) both++;
      }
    expect(Math.abs(apertureTransfer(share, e) - both / one)).toBeLessThan(0.004);
  }
  expect(
    [apertureTransfer(0, e), apertureTransfer(0, 0), apertureTransfer(1, e)].map((v) => Math.round(1e9 * v) / 1e9),
  ).toEqual([1, 1, 0]);
});

test("behind a large telescope the air's width remains, and coarse pixels keep the light", () => {
  const seen = { apertureMm: 4000, obstruction: 0.3, wavelengthNm: 550, arcsecPerPx: 0.25, seeingArcsec: 2 };
  const along = row(telescopePsf(seen, 30));
  const half = along.findIndex((v) => v < along[0] / 2);
  const at = half - 1 + (along[half - 1] - along[0] / 2) / (along[half - 1] - along[half]);
  expect(Math.abs(2 * at - 8)).toBeLessThan(0.15);
  expect(Math.abs(telescopeFwhm(seen) - 8)).toBeLessThan(0.05);
  const coarse = telescopePsf({ ...open, arcsecPerPx: 2 }, 5);
  expect(coarse.values[60]).toBeGreaterThan(0.8);
  expect(coarse.values.reduce((sum, v) => sum + v, 0)).toBeCloseTo(1, 5);
  expect(() => telescopePsf({ ...open, apertureMm: 0 }, 5)).toThrow(/aperture/);
});
