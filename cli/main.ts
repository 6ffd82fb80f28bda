import { inWords } from "@/core/job";
import { calibrationParameters } from "@/core/calibrate";
import { stackParameters } from "@/core/stack";
import { failureOf } from "@/engine/protocol";
import { usageOf } from "./arguments";
import { cleanUp } from "./outputs";
import { calibrate } from "./calibrate";
import { compare, equal, evidence } from "./compare";
import { convert } from "./convert";
import { grade } from "./grade";
import { info } from "./info";
import { join } from "./join";
import { master } from "./master";
import { match } from "./match";
import { measure } from "./measure";
import { operations } from "./operations";
import { processPicture } from "./process";
import { simulate } from "./simulate";
import { stack } from "./stack";

const COMMANDS = new Map<string, (args: string[]) => Promise<unknown>>(
  Object.entries({
    simulate,
    info,
    convert,
    master,
    calibrate,
    grade,
    stack,
    join,
    match,
    measure,
    operations,
    process: processPicture,
    compare,
    equal,
    evidence,
  }),
);

const USAGE = `usage:
  simulate --subs 16 --seed 3 --size 900x600 --out DIR
  simulate --raw [--cfa RGGB|BGGR|GRBG|GBRG] [--darks 12] [--flats 12] [--bias 16] [--darkflats 0] …
  simulate --video [--frames 400] [--cfa …] …
  info FILE…
  convert FILE --out FILE2 [--sample uint16|float32] [--frame 0]
  master --kind bias|dark|flat|darkflat FILES… --out master.fits [--bias FILE] [--dark FILE] [--by mean|median]
  calibrate LIGHTS… --out-dir DIR [--bias FILE] [--dark FILE] [--flat FILE] [--pattern RGGB]
            ${usageOf(calibrationParameters)}
  grade FILES… [--reference FILE] [--bias FILE] [--dark FILE] [--flat FILE] [--demosaic …] [--pattern RGGB|…|none] --out grade.csv
  stack FILES… --out stack.fits [--reference FILE] [--by-filter] [--bias FILE] [--dark FILE] [--flat FILE] [--demosaic …]
        [--pattern RGGB|…|none] [--keep "sharpness 30%"] [--resume no]
        ${usageOf(stackParameters)}
  join --red R.fits --green G.fits --blue B.fits [--luminance L.fits] [--red-weight 1] [--green-weight 1] [--blue-weight 1] --out C.fits
  match A.fits B.fits
  measure FILE.fits [--region x,y,w,h]
  operations
  process stack.fits --chain chain.json --out out.fits [--region x,y,w,h]
  compare stack.fits --chain a.json --chain b.json … [--spots auto|x,y …] --out sheet.html [--csv measures.csv] [--title …]
  equal stack.fits --chain a.json --chain b.json … [--to A|VALUE] [--measure noise|width] [--scale all|1|2|4|8] [--spots …] --out-dir DIR
  evidence stack.fits --chain chain.json [--region x,y,w,h]
`;

// An interrupted command leaves nothing half written; finished strips of a stack stay, and it goes on from them.
for (const [signal, code] of [
  ["SIGINT", 130],
  ["SIGTERM", 143],
  ["SIGHUP", 129],
] as const)
  process.once(signal, () => {
    cleanUp()
      .catch(() => undefined) // it ends anyway
      .finally(() => process.exit(code));
  });

const ASKS_FOR_HELP = new Set(["help", "--help", "-h"]);

const [name, ...args] = process.argv.slice(2);
const command = COMMANDS.get(name);
if (ASKS_FOR_HELP.has(name)) process.stdout.write(USAGE);
else if (!command) {
  process.stderr.write(name === undefined ? USAGE : `unknown command “${name}”\n${USAGE}`);
  process.exitCode = 2;
} else {
  try {
    process.stdout.write(`${JSON.stringify(await command(args))}\n`);
  } catch (error) {
    const { message, advice } = failureOf(error);
    process.stderr.write(`dunkel ${name}: ${inWords(message, advice)}\n`);
    process.exitCode = 1;
  }
}
