import { rawManifest } from "@/core/simulate";
import { rawObservatory } from "../../night";

export const dynamic = "force-dynamic";

export function GET(): Response {
  const { frames, ...rest } = rawManifest(rawObservatory().night);
  return Response.json({ ...rest, frames: frames.map((frame, index) => ({ ...frame, index })) });
}
