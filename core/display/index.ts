export type { StretchParams } from "./arcsinh";
export { stretchCurves, stretchParameters } from "./arcsinh";
export type { ChannelCurve, DisplayCurve } from "./curve";
export { throughCurve, throughCurves } from "./curve";
export type { Histogram, HistogramRange } from "./histogram";
export { histogramOf, mergedHistograms } from "./histogram";
export type { Display, ShownBy } from "./registry";
export { curvesOf, DEFAULT_DISPLAY, display, DISPLAY_CURVES, displayCurve, displayWords, withParams } from "./registry";
export { straightCurve } from "./straight";
