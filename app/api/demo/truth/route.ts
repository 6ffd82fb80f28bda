import { fitsResponse } from "../night";
import { simulated } from "../simulated";

export const dynamic = "force-dynamic";

export async function GET(): Promise<Response> {
  return fitsResponse(await simulated({ what: "truth" }), "truth.fits");
}
