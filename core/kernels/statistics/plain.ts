import { clippedMean, quantile, robustSpread } from "../../raster/statistics";
import type { StatisticsKernels } from "./contract";

export const statisticsPlain: StatisticsKernels = {
  robustSpread,
  clippedMean,
  quantiles: (values, shares) => shares.map((share) => quantile(values, share, Infinity)),
};
