import { interpolating } from "./demosaic";

/**
 * Variable number of gradients: of eight gradients about a pixel those up to 1.5 min + 0.5 (max − min) count, and the missing
 * colours are the pixel's own value plus the mean difference of colours in those directions, over 5 × 5 pixels.
 * Source: Chang, Cheung & Pang 1999, Proc. SPIE 3650, 36 (weights of the gradients from memory).
 */
export const gradients = interpolating("gradients", {
  title: "variable number of gradients",
  help: "Interpolates along edges, not across them: sharpest, with the most grain",
  halo: 2,
});
