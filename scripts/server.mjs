// Starts the production build on a free port of localhost and waits until it answers.
import { spawn } from "node:child_process";
import { createServer } from "node:net";
import { fileURLToPath } from "node:url";

const root = fileURLToPath(new URL("..", import.meta.url));

/** The wanted port if it is free, else any free one. */
export function freePort(wanted) {
  return new Promise((resolve, reject) => {
    const probe = createServer();
    probe.once("error", () => (wanted ? freePort(0).then(resolve, reject) : reject(new Error("no free port"))));
    probe.listen(wanted, "127.0.0.1", () => {
      const { port } = probe.address();
      probe.close(() => resolve(port));
    });
  });
}

export async function startServer({ port = 0, demo = false, quiet = true } = {}) {
  const chosen = await freePort(port);
  const env = { ...process.env, NEXT_TELEMETRY_DISABLED: "1", NODE_ENV: "production", DUNKEL_DEMO: demo ? "1" : "0" };
  const server = spawn(process.execPath, ["scripts/serve.mjs", String(chosen)], {
    cwd: root,
    env,
    stdio: ["ignore", quiet ? "ignore" : "inherit", "inherit"],
  });
  const url = `http://localhost:${chosen}`;
  const exited = new Promise((_, reject) =>
    server.once("exit", (code) => reject(new Error(`the server ended with code ${code}`))),
  );
  const answering = (async () => {
    for (let i = 0; i < 300; i++) {
      const ok = await fetch(`http://127.0.0.1:${chosen}/`).then(
        (r) => r.ok,
        () => false,
      );
      if (ok) return;
      await new Promise((r) => setTimeout(r, 100));
    }
    throw new Error("the server did not answer within 30 s");
  })();
  await Promise.race([answering, exited]);
  // The demo's frames are simulated while the browser is opened.
  if (demo) await fetch(`http://127.0.0.1:${chosen}/api/demo/manifest`);
  exited.catch(() => undefined);
  return { url, server, stop: () => server.kill("SIGTERM") };
}
