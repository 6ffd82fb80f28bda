import { subFileName } from "@/core/simulate";
import { fitsResponse, frameNumber } from "../../night";
import { DEMO } from "../../observatory";
import { simulated } from "../../simulated";

export const dynamic = "force-dynamic";

export async function GET(_request: Request, { params }: { params: Promise<{ index: string }> }): Promise<Response> {
  const most = DEMO.subs - 1;
  const index = frameNumber(most).safeParse((await params).index);
  if (!index.success)
    return Response.json({ error: `frame: must be a whole number from 0 to ${most}` }, { status: 404 });
  return fitsResponse(await simulated({ what: "sub", index: index.data }), subFileName(index.data));
}
