import { basename, join } from "node:path";
import * as z from "zod";
import { calibrationParameters, calibrationSettings, darkScaleOf } from "@/core/calibrate";
import { cfaPattern } from "@/core/formats";
import { UserError } from "@/core/job";
import { calibrationFor, withCalibration } from "@/engine/calibration";
import { failureOf } from "@/engine/protocol";
import { checkOptions, optionsOf, parseArguments, switchesOf, valuesOf } from "./arguments";
import { createProgress } from "./progress";
import { checkOutputs, writeWhole } from "./outputs";
import { checkInputs, withPool } from "./session";
import { mismatchesTo } from "./masters";
import type { OpenedFile } from "./files";
import { openFiles } from "./files";

const options = z.object({
  "out-dir": z.string({ error: "a folder to write to is needed" }),
  bias: z.string().optional(),
  dark: z.string().optional(),
  flat: z.string().optional(),
  ...optionsOf(calibrationParameters),
  pattern: cfaPattern.optional(),
});

/** calibrate: lights through their masters, one float FITS file each; every mismatch is named in words. */
export async function calibrate(args: string[]): Promise<unknown> {
  const { files, options: given } = parseArguments(args, Object.keys(options.shape), switchesOf(calibrationParameters));
  const wanted = checkOptions(options, given);
  if (files.length === 0) throw new UserError("no lights are given", "Name the lights to calibrate.");
  const settings = calibrationSettings.parse({
    ...valuesOf(calibrationParameters, wanted),
    pattern: wanted.pattern ?? null,
  });
  if (settings.scaleDark && !(wanted.bias && wanted.dark))
    throw new UserError("--scale-dark needs both --bias and --dark", "Name a master bias and a master dark.");
  const folder = wanted["out-dir"];
  const targetOf = (path: string) => join(folder, basename(path).replace(/(\.[a-z]+)+$/i, "") + ".fits");
  const masters = [wanted.bias, wanted.dark, wanted.flat].flatMap((path) => path ?? []);
  await checkInputs([...files, ...masters]);
  await checkOutputs([...new Set(files.map(targetOf))], [...files, ...masters]);
  return withPool(async (pool) => {
    const one = async (path: string | undefined) =>
      path === undefined ? null : (await openFiles(pool, [path])).opened[0];
    const [bias, dark, flat] = [await one(wanted.bias), await one(wanted.dark), await one(wanted.flat)];
    const { opened, failures } = await openFiles(pool, files);
    const progress = createProgress("Calibrating");
    const warnings = new Set<string>();
    const written: string[] = [];
    const pattern = settings.pattern ?? opened[0].reading.metadata.cfa;
    for (const [i, light] of opened.entries()) {
      const { metadata } = light.reading;
      for (const text of await mismatchesTo(pool, light, { bias, dark, flat }, settings.scaleDark)) warnings.add(text);
      const calibration = calibrationFor(
        light.reading,
        { bias: bias?.frame ?? null, dark: dark?.frame ?? null, flat: flat?.frame ?? null },
        darkScaleOf(metadata.exposureS, dark?.reading.metadata.exposureS),
        settings,
      );
      const out = targetOf(light.path);
      try {
        checkTarget(out, light, written);
        const bytes = await pool.run("calibrateLight", { frame: withCalibration(light.frame, calibration) });
        await writeWhole(out, bytes);
        written.push(out);
      } catch (error) {
        failures.push({ file: light.path, reason: failureOf(error).message });
      }
      progress((i + 1) / opened.length);
    }
    if (written.length === 0)
      throw new UserError(
        `no light could be calibrated: ${failures[0].reason}`,
        "Choose other lights, masters or folder.",
      );
    const found =
      dark && settings.hotSigma > 0
        ? await pool.run("defects", { dark: dark.frame, pattern, kSigma: settings.hotSigma })
        : null;
    return {
      folder,
      written,
      settings,
      warnings: [...warnings],
      hotPixels: found?.hot.length ?? null,
      coldPixels: found?.cold.length ?? null,
      unreadable: failures,
    };
  });
}

/** A video is no light, and two lights of one name do not take each other's place. */
function checkTarget(out: string, { path, reading }: OpenedFile, written: string[]): void {
  if (reading.frames > 1)
    throw new UserError(`${path}: a video of ${reading.frames} frames is not a light`, "Convert single frames of it.");
  if (written.includes(out))
    throw new UserError(`${path}: ${out} was written for another light of this name`, "Calibrate them apart.");
}
