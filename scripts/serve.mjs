// The production build on a port of this machine: node scripts/serve.mjs PORT. Methods that nothing here answers are refused before the
// framework sees them, which fails on some of them (TRACE, CONNECT).
import { createServer } from "node:http";
import { fileURLToPath } from "node:url";
import next from "next";

const METHODS = ["GET", "HEAD", "OPTIONS", "POST"];
const hostname = "127.0.0.1";
const port = Number(process.argv[2]);

const app = next({ dev: false, dir: fileURLToPath(new URL("..", import.meta.url)), hostname, port });
await app.prepare();
const handle = app.getRequestHandler();
createServer((request, response) => {
  if (METHODS.includes(request.method ?? "")) return void handle(request, response);
  response.writeHead(405, { Allow: METHODS.join(", ") }).end();
}).listen(port, hostname);
