/** Progress on standard error: one line that is rewritten on a terminal, a line for each tenth elsewhere. */
export function createProgress(label: string): (fraction: number, doing?: string) => void {
  let lastTenth = -1;
  return (fraction, doing = label) => {
    const percent = Math.floor(fraction * 100);
    if (process.stderr.isTTY) process.stderr.write(`\r${doing} ${percent} %\x1b[K${fraction >= 1 ? "\n" : ""}`);
    else if (Math.floor(percent / 10) > lastTenth) {
      lastTenth = Math.floor(percent / 10);
      process.stderr.write(`${doing} ${percent} %\n`);
    }
  };
}
