import type { CalibrationSettings } from "@/core/calibrate";
import type { SubMetadata } from "@/core/formats";
import type { CalibrationRef, FrameRef } from "./frames";

/** What a frame and its calibration come to, as one text: the same for the same pixels. */
export function calibrationKey({ settings, bias, dark, flat, darkScale, pattern }: CalibrationRef): string {
  return JSON.stringify([settings, bias?.id, dark?.id, flat?.id, darkScale, pattern]);
}

/** A light through its calibration. */
export function withCalibration(frame: FrameRef, calibration: CalibrationRef): FrameRef {
  return { ...frame, fileId: frame.fileId ?? frame.id, id: `${frame.id} ${calibrationKey(calibration)}`, calibration };
}

/** No masters at all: a mosaic that only gets its colours. */
export const NO_MASTERS = { bias: null, dark: null, flat: null, darkScale: 1 };

/** What is taken off and divided out of a light that masters were chosen for; its pattern counts where it is a mosaic. */
export function calibrationFor(
  light: { channels: number; metadata: SubMetadata },
  masters: Record<"bias" | "dark" | "flat", FrameRef | null>,
  darkScale: number,
  settings: CalibrationSettings,
): CalibrationRef {
  const pattern = light.channels === 1 ? (settings.pattern ?? light.metadata.cfa) : null;
  const { bias, dark, flat } = masters;
  return { settings, bias, dark, flat, darkScale, pattern };
}
