/** Widest and highest picture that a canvas holds, px. */
const MOST = 16000;
/** Room that a sheet is laid out in, px. */
const WIDTH = 1400;

/** A sheet as a PNG of its page, as it stands on the screen: laid out apart, drawn through SVG, which needs no window of its own. */
export async function sheetPng(html: string): Promise<Blob> {
  const size = await sizeOf(html);
  const page = new DOMParser().parseFromString(html, "text/html");
  // What is folded away on the screen is no part of the picture.
  page.querySelectorAll("details").forEach((folded) => folded.remove());
  const style = page.querySelector("style")?.outerHTML ?? "";
  const body = page.createElement("div");
  body.append(...page.body.childNodes);
  const content = new XMLSerializer().serializeToString(body);
  // The page's own rules for its body hold for what stands in for it.
  const rules = style.replace(/\bbody\{/g, ".page{");
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="${size.width}" height="${size.height}"><foreignObject width="100%" height="100%"><div xmlns="http://www.w3.org/1999/xhtml" style="background:#0d0d0d;padding:1px 0;min-height:100%">${rules}<div class="page">${content}</div></div></foreignObject></svg>`;
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = size.width;
  canvas.height = size.height;
  canvas.getContext("2d")?.drawImage(image, 0, 0);
  const blob = await new Promise<Blob | null>((resolve) => canvas.toBlob(resolve, "image/png"));
  if (!blob)
    throw new Error("the sheet is too large for one picture: export it as a page, or take fewer spots or lanes");
  return blob;
}

/** How much room the page takes without what is folded away. */
async function sizeOf(html: string): Promise<{ width: number; height: number }> {
  const frame = document.createElement("iframe");
  frame.style.cssText = `position:fixed;left:-30000px;top:0;width:${WIDTH}px;height:100px;visibility:hidden`;
  frame.setAttribute("sandbox", "allow-same-origin");
  const loaded = new Promise((resolve) => frame.addEventListener("load", resolve, { once: true }));
  frame.srcdoc = html;
  document.body.append(frame);
  try {
    await loaded;
    const page = frame.contentDocument;
    if (!page) throw new Error("the sheet could not be laid out");
    page.querySelectorAll("details").forEach((folded) => folded.remove());
    const { scrollWidth, scrollHeight } = page.documentElement;
    return { width: Math.min(MOST, scrollWidth), height: Math.min(MOST, scrollHeight + 8) };
  } finally {
    frame.remove();
  }
}
