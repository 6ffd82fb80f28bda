import type { NextRequest } from "next/server";
import { NextResponse } from "next/server";

/**
 * A content security policy with a nonce of its own for each page: only scripts that the server itself put into it run. Styles may stand in
 * attributes, since positions of what is drawn over pictures are set there. Methods that nothing answers are refused by scripts/serve.mjs.
 */
export function proxy(request: NextRequest): NextResponse {
  const nonce = Buffer.from(crypto.randomUUID()).toString("base64");
  const policy = [
    "default-src 'self'",
    `script-src 'self' 'nonce-${nonce}' 'wasm-unsafe-eval'`,
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' data: blob:",
    "font-src 'self'",
    "connect-src 'self'",
    "worker-src 'self'",
    "object-src 'none'",
    "base-uri 'self'",
    "form-action 'self'",
    "frame-ancestors 'none'",
  ].join("; ");
  const headers = new Headers(request.headers);
  headers.set("Content-Security-Policy", policy);
  const response = NextResponse.next({ request: { headers } });
  response.headers.set("Content-Security-Policy", policy);
  return response;
}

/** Pages and routes; files of the build and the engine get their headers from next.config.mjs. */
export const config = { matcher: ["/((?!_next/|engine/|assets/|demos/|icon).*)"] };
