import { jsonResponse } from "../../night";
import { simulated } from "../../simulated";

export const dynamic = "force-dynamic";

export async function GET(): Promise<Response> {
  return jsonResponse(await simulated({ what: "raw manifest" }));
}
