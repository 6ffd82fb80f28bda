import { guideHtml, guidePage } from "../files";

export const dynamic = "force-dynamic";

const STYLE = `
  body { background: #0d0d0d; color: #e8e8e8; font: 15px/1.6 "Inter Variable", Inter, system-ui, sans-serif; margin: 0; }
  main, nav { max-width: 46rem; margin: 0 auto; padding: 1.5rem; }
  nav { padding-bottom: 0; } a { color: #e0a44a; } img { max-width: 100%; border: 1px solid #2b2b2b; }
  h1 { font-size: 1.4rem; } em { color: #a3a3a3; } code { background: #1d1d1d; padding: 0 .3em; border-radius: 3px; }
`;

/** A page of the user's guide: a document of its own, without the application's scripts. */
export async function GET(_request: Request, { params }: { params: Promise<{ page: string }> }): Promise<Response> {
  const page = guidePage.safeParse((await params).page);
  if (!page.success) return new Response("There is no such page in the guide.", { status: 404 });
  const html = await guideHtml(page.data);
  const nav = page.data === "start" ? "" : '<nav><a href="/guide/start">All pages of the guide</a></nav>';
  const head = `<meta charset="utf-8"><title>Dunkel: guide</title><style>${STYLE}</style>`;
  return new Response(
    `<!doctype html><html lang="en"><head>${head}</head><body>${nav}<main>${html}</main></body></html>`,
    { headers: { "Content-Type": "text/html; charset=utf-8" } },
  );
}
