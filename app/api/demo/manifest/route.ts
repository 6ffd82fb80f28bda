import { jsonResponse } from "../night";
import { prepareSubs, simulated } from "../simulated";

export const dynamic = "force-dynamic";

/** The demo's frames. They are simulated from now on, since they will be asked for. */
export async function GET(): Promise<Response> {
  const manifest = simulated({ what: "manifest" });
  prepareSubs();
  return jsonResponse(await manifest);
}
