import { z } from "zod";
import { subFile, subFileName } from "@/core/simulate";
import { fitsResponse, observatory } from "../../night";

export const dynamic = "force-dynamic";

export async function GET(_request: Request, { params }: { params: Promise<{ index: string }> }): Promise<Response> {
  const { night, kernels } = observatory();
  const most = night.subs.length - 1;
  const index = z.coerce
    .number()
    .int()
    .min(0)
    .max(most)
    .safeParse((await params).index);
  if (!index.success)
    return Response.json({ error: `frame: must be a whole number from 0 to ${most}` }, { status: 404 });
  return fitsResponse(subFile(night, index.data, kernels), subFileName(index.data));
}
