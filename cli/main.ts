import { failureOf } from "@/engine/protocol";
import { measure } from "./measure";
import { processPicture } from "./process";
import { simulate } from "./simulate";
import { stack } from "./stack";

const COMMANDS: Record<string, (args: string[]) => Promise<unknown>> = {
  simulate,
  stack,
  measure,
  process: processPicture,
};

const USAGE = `usage:
  simulate --subs 16 --seed 3 --size 900x600 --out DIR
  stack FILES… --out stack.fits [--reject none|sigma] [--low 3] [--high 3] [--memory 1024]
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
