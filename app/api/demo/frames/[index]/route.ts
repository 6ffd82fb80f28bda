import { subFileName } from "@/core/simulate";
import { demoSub, fitsResponse, observatory, frameNumber } from "../../night";

export const dynamic = "force-dynamic";

export async function GET(_request: Request, { params }: { params: Promise<{ index: string }> }): Promise<Response> {
  const most = observatory().night.subs.length - 1;
  const index = frameNumber(most).safeParse((await params).index);
  if (!index.success)
    return Response.json({ error: `frame: must be a whole number from 0 to ${most}` }, { status: 404 });
  return fitsResponse(demoSub(index.data), subFileName(index.data));
}
