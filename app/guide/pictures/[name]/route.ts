import { guidePicture, guidePictureBytes } from "../../files";

export const dynamic = "force-dynamic";

/** A picture of the user's guide. */
export async function GET(_request: Request, { params }: { params: Promise<{ name: string }> }): Promise<Response> {
  const name = guidePicture.safeParse((await params).name);
  const bytes = name.success ? await guidePictureBytes(name.data).catch(() => null) : null;
  if (!bytes) return new Response("There is no such picture in the guide.", { status: 404 });
  return new Response(new Uint8Array(bytes), { headers: { "Content-Type": "image/png" } });
}
