import type { Facts, FieldShape } from "../../facts";
import type { Psf } from "../../kernels";
import type { Memory } from "../../memory";
import { createMemory } from "../../memory";
import type { MoffatShape } from "../../measure";
import { roundPsf, TELESCOPE_RADIUS, telescopeFwhm, telescopePsf } from "../../measure";
import type { ImportedKernel } from "../../parameters";
import { choice, psfField, slider, starsField } from "../../parameters";
import { gaussianPsf } from "../gaussianPsf";
import { fwhmOfKernel, psfOfKernel } from "./importedPsf";

const TYPED = ["typed", "gaussian"] as const;
const ofTelescope = { name: "psf", is: "telescope" } as const;

/** Stars that shall not count for the blur. */
export const droppedStars = () =>
  starsField({
    label: "Stars left out",
    hint: "Stars that show nothing of the blur, such as double ones, left out of what is measured of it",
  });

/** Which blur is taken back: the stars' own, a typed one, or what a telescope and the air above it make. */
export const blurFields = (fallback: { psf: "measured" | "typed"; fwhmPx: number; beta: number }) => ({
  psf: choice({
    label: "Blur",
    hint: "The point-spread function that is taken back",
    options: [
      { value: "measured", label: "as the stars show it" },
      { value: "typed", label: "of a typed FWHM" },
      { value: "gaussian", label: "a Gaussian of a typed FWHM" },
      { value: "telescope", label: "of telescope and air" },
      { value: "kept", label: "taken from elsewhere" },
    ],
    default: fallback.psf,
  }),
  fwhmPx: slider({
    label: "FWHM",
    hint: "Wider takes more blur back; wider than the stars makes rings and hard rims",
    unit: "px",
    min: 0.8,
    max: 12,
    step: 0.05,
    default: fallback.fwhmPx,
    when: { name: "psf", is: TYPED },
  }),
  beta: slider({
    label: "Wings (β)",
    hint: "Of the Moffat profile: lower has wider wings, which takes haze off bright things; 2.5 … 4 for most air",
    min: 1.6,
    max: 8,
    step: 0.1,
    default: fallback.beta,
    when: { name: "psf", is: "typed" },
  }),
  apertureMm: slider({
    label: "Aperture",
    hint: "Diameter of the telescope: smaller blurs more",
    unit: "mm",
    min: 20,
    max: 1500,
    step: 1,
    default: 200,
    when: ofTelescope,
  }),
  obstruction: slider({
    label: "Obstruction",
    hint: "Diameter of the secondary mirror over the aperture's: larger takes contrast from fine detail, which comes back",
    min: 0,
    max: 0.6,
    step: 0.01,
    default: 0.3,
    when: ofTelescope,
  }),
  wavelengthNm: slider({
    label: "Wavelength",
    hint: "Of the light in the picture: longer blurs more",
    unit: "nm",
    min: 300,
    max: 1100,
    step: 5,
    default: 550,
    when: ofTelescope,
  }),
  arcsecPerPx: slider({
    label: "Pixel scale",
    hint: "How much sky a pixel sees: smaller makes the same blur more pixels wide",
    unit: "″/px",
    min: 0.05,
    max: 8,
    step: 0.01,
    default: 0.2,
    when: ofTelescope,
  }),
  kernel: psfField({
    label: "Taken from",
    hint: "The blur of a star in a file, or of the stars of another lane's stack, at the scale of this one",
    when: { name: "psf", is: "kept" },
  }),
  seeingArcsec: slider({
    label: "Air",
    hint: "FWHM that the air alone gives a star; more takes more blur back, too much makes hard rims",
    unit: "″",
    min: 0,
    max: 6,
    step: 0.05,
    default: 0.6,
    when: ofTelescope,
  }),
  droppedStars: { ...droppedStars(), when: { name: "psf", is: "measured" } },
});

/** Values of blurFields. */
export interface BlurParams {
  psf: "detail" | "measured" | "typed" | "gaussian" | "telescope" | "kept";
  fwhmPx: number;
  beta: number;
  apertureMm: number;
  obstruction: number;
  wavelengthNm: number;
  arcsecPerPx: number;
  seeingArcsec: number;
  kernel: ImportedKernel | null;
}

/** β of a PSF that the stars show, within what deconvolves well. */
const [LEAST_BETA, FALLBACK_BETA, MOST_BETA] = [2, 3, 6];

/** The facts that show how the stars are blurred, and which settings ask for them. */
export type StarBlur = "psf" | "psfShape";

/** Why a step leaves the picture as it is whose blur no star shows. */
export const NO_STARS = "No stars here tell the blur, so the picture stays as it is. Choose a typed blur to go on.";

const NONE_TAKEN = "No blur was taken yet, so the picture stays as it is. Take one from a file or from another lane.";

/** How the stars show the blur of each channel, or, where too few are clear enough for that, of all together; null where there are none. */
function shownByStars({ psf, psfShape }: Facts<StarBlur>): FieldShape[] | null {
  const shapes = psfShape.channels.filter((shape) => shape !== null);
  if (shapes.length > 0 && shapes.length === psfShape.channels.length) return shapes;
  const { fwhmPx, beta, alike } = psf;
  if (fwhmPx === null || !alike) return null;
  const round = { fwhmMajor: fwhmPx, fwhmMinor: fwhmPx, angle: 0, beta: beta ?? FALLBACK_BETA, stars: 0, field: null };
  return psfShape.channels.map(() => round);
}

/** How the stars show the blur of each channel; null where they are not asked. Steps that ask and have none do not run (see noBlur). */
export const shapesOf = (params: BlurParams, facts: Facts<StarBlur>): FieldShape[] | null =>
  params.psf === "measured" ? shownByStars(facts) : null;

/** Why there is no blur to take back: no star shows it, or none was taken yet; null where there is one. */
export function noBlur(params: BlurParams, facts: Facts<StarBlur>): string | null {
  if (params.psf === "kept") return params.kernel ? null : NONE_TAKEN;
  return params.psf === "measured" && !shownByStars(facts) ? NO_STARS : null;
}

/** A share of a shape's width, its wings within what deconvolves well. */
export const narrowed = ({ fwhmMajor, fwhmMinor, angle, beta }: MoffatShape, share = 1): MoffatShape => ({
  fwhmMajor: share * fwhmMajor,
  fwhmMinor: share * fwhmMinor,
  angle,
  beta: Math.min(MOST_BETA, Math.max(LEAST_BETA, beta)),
});

export const meanFwhm = ({ fwhmMajor, fwhmMinor }: MoffatShape): number => Math.sqrt(fwhmMajor * fwhmMinor);

/** A PSF is followed so many FWHM far. */
const REACH = 3.2;

/** How far a PSF of a width is followed, in px. */
export const blurRadius = (fwhmPx: number): number => Math.ceil(REACH * fwhmPx);

/** The blur that was typed; what is long to compute stays in `memory`. */
export function typedBlur(params: BlurParams, memory = createMemory()): Psf {
  if (params.psf === "gaussian") return gaussianPsf(params.fwhmPx);
  if (params.psf === "telescope") return ofTheTelescope(params, memory);
  if (params.psf === "kept" && params.kernel) return psfOfKernel(params.kernel);
  return roundPsf(params.fwhmPx, params.beta, blurRadius(params.fwhmPx));
}

/** How wide it is, nearly, in px. */
export function typedFwhm(params: BlurParams): number {
  if (params.psf === "kept" && params.kernel) return fwhmOfKernel(params.kernel);
  return params.psf === "telescope" ? telescopeFwhm(params) : params.fwhmPx;
}

/** How far it goes from its middle, in px. */
export function typedRadius(params: BlurParams): number {
  if (params.psf === "telescope") return telescopeRadius(params);
  return (typedBlur(params).size - 1) / 2;
}

const telescopeRadius = (params: BlurParams): number =>
  Math.min(TELESCOPE_RADIUS, Math.max(3, blurRadius(telescopeFwhm(params))));

/** Computed once for the same settings: it takes a transform, and every crop asks. */
function ofTheTelescope(params: BlurParams, memory: Memory): Psf {
  const { apertureMm, obstruction, wavelengthNm, arcsecPerPx, seeingArcsec } = params;
  const key = [apertureMm, obstruction, wavelengthNm, arcsecPerPx, seeingArcsec].join();
  return memory.remember(telescopePsf, key, () => telescopePsf(params, telescopeRadius(params)));
}
