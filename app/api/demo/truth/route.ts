import { truthFile } from "@/core/simulate";
import { fitsResponse, observatory } from "../night";

export const dynamic = "force-dynamic";

export function GET(): Response {
  const { night, kernels } = observatory();
  return fitsResponse(truthFile(night, kernels), "truth.fits");
}
