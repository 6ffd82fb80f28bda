import { manifestOf } from "@/core/simulate";
import { observatory } from "../night";

export const dynamic = "force-dynamic";

export function GET(): Response {
  return Response.json(manifestOf(observatory().night));
}
