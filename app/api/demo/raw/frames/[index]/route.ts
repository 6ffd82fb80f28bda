import { rawFile } from "@/core/simulate";
import { fitsResponse, rawObservatory, frameNumber } from "../../../night";

export const dynamic = "force-dynamic";

export async function GET(_request: Request, { params }: { params: Promise<{ index: string }> }): Promise<Response> {
  const { night, kernels } = rawObservatory();
  const most = night.files.length - 1;
  const index = frameNumber(most).safeParse((await params).index);
  if (!index.success)
    return Response.json({ error: `frame: must be a whole number from 0 to ${most}` }, { status: 404 });
  const file = night.files[index.data];
  return fitsResponse(rawFile(night, file, kernels), file.name);
}
