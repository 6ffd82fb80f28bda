import { interpolating } from "./demosaic";

/**
 * Gradient-corrected interpolation that follows the colour of the light and does not overshoot: bilinear plus the Laplacian of the
 * colour that is known at the pixel (5 × 5, gains of Malvar, He & Cutler 2004), scaled by the ratio of the two colours' heights above their least
 * neighbours (at most 1.5), since a red star's detail in green is not its detail in red; the result stays between the nearest samples of its own colour,
 * so that no rings are made. Source: own; the correction from Malvar, He & Cutler 2004, ICASSP.
 */
export const limited = interpolating("limited", {
  title: "gradient-corrected, limited",
  help: "Bilinear, corrected by the change of the known colour, without overshoot: narrow stars without rings",
  halo: 2,
});
