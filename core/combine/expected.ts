import type { Rejector } from "../kernels";

/**
 * Holds each sample against the scatter that is expected of it: its sub's noise, the noise of the light there, and what seeing and small shifts change
 * where the picture is steep (ScatterModel, made in core/stack/scatter.ts). Where the samples scatter more than that (by their median distance), all limits
 * widen as much. The expectation holds no outlier: good from three subs on. Source: photon and read noise, Janesick, Photon Transfer, 2007; blur as diffusion,
 * Koenderink 1984, Biol. Cybern. 50, 363; the rest is our own choice.
 */
export const expected: Rejector = { id: "expected", label: "beyond the expected noise", narrow: null, twin: -1 };
