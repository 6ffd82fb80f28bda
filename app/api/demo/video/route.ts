import { demoVideo } from "../night";

export const dynamic = "force-dynamic";

export function GET(): Response {
  return new Response(demoVideo(), {
    headers: { "Content-Type": "application/octet-stream", "Cache-Control": "no-store" },
  });
}
