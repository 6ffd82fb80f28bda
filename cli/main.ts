import { failureOf } from "@/engine/protocol";
import { calibrate } from "./calibrate";
import { convert } from "./convert";
import { grade } from "./grade";
import { info } from "./info";
import { master } from "./master";
import { measure } from "./measure";
import { processPicture } from "./process";
import { simulate } from "./simulate";
import { stack } from "./stack";

const COMMANDS: Record<string, (args: string[]) => Promise<unknown>> = {
  simulate,
  info,
  convert,
  master,
  calibrate,
  grade,
  stack,
  measure,
  process: processPicture,
};

const USAGE = `usage:
  simulate --subs 16 --seed 3 --size 900x600 --out DIR
  simulate --raw [--cfa RGGB|BGGR|GRBG|GBRG] [--darks 12] [--flats 12] [--bias 16] [--darkflats 0] …
  simulate --video [--frames 400] [--cfa …] …
  info FILE…
  convert FILE --out FILE2 [--sample uint16|float32] [--frame 0]
  master --kind bias|dark|flat|darkflat FILES… --out master.fits [--bias FILE] [--dark FILE] [--by mean|median]
  calibrate LIGHTS… --out-dir DIR [--bias FILE] [--dark FILE] [--flat FILE] [--demosaic limited|bilinear|linear5|gradients|superpixel|none]
            [--hot 5] [--scale-dark] [--pedestal 0] [--bin 1] [--bin-by mean|sum] [--pattern RGGB]
  grade FILES… [--reference FILE] [--demosaic …] [--pattern RGGB|…|none] --out grade.csv
  stack FILES… --out stack.fits [--reference FILE] [--reject none|sigma] [--low 3] [--high 3] [--weights shape|noise|equal]
        [--keep-doubles] [--mix-filters] [--demosaic …] [--pattern RGGB|…|none] [--memory 1024]
  measure FILE.fits [--region x,y,w,h]
  process stack.fits --chain chain.json --out out.fits [--region x,y,w,h]
`;

const [name, ...args] = process.argv.slice(2);
const command = COMMANDS[name];
if (!command) {
  process.stderr.write(name === undefined ? USAGE : `unknown command “${name}”\n${USAGE}`);
  process.exitCode = 2;
} else {
  try {
    process.stdout.write(`${JSON.stringify(await command(args))}\n`);
  } catch (error) {
    const { message, advice } = failureOf(error);
    process.stderr.write(`dunkel ${name}: ${message}${advice && !message.includes(advice) ? `. ${advice}` : ""}\n`);
    process.exitCode = 1;
  }
}
