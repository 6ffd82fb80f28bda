import type { Calibration } from "../calibrate";
import { calibrationSettings } from "../calibrate";

/** A calibration without any master, and what of it is otherwise. Its settings are the defaults with those given. */
export const withoutMasters = (
  settings: Partial<Calibration["settings"]>,
  rest: Partial<Omit<Calibration, "settings">> = {},
): Calibration => ({
  settings: calibrationSettings.parse(settings),
  pattern: null,
  bias: null,
  dark: null,
  darkDefects: null,
  darkScale: 1,
  flat: null,
  flatMeans: [],
  saturation: 1,
  pedestal: 0,
  ...rest,
});
