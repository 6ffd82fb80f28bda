import { interpolating } from "./demosaic";

/** Each missing colour is the mean of its nearest neighbours, two or four. Source: common practice. */
export const bilinear = interpolating("bilinear", {
  title: "bilinear",
  help: "The mean of the nearest pixels of a colour: smooth, without artefacts, a little soft",
  halo: 1,
});
