import type { BlindRecord } from "./blind";
import { chosenOf } from "./blind";
import type { MeasureGroup } from "./measures";
import { MEASURES } from "./measures";
import type { LaneMeasures } from "./measures";

export interface SheetLane {
  letter: string;
  /** What its chain does, in a few words. */
  words: string;
  stack: string;
  /** The chain as JSON. */
  chain: string;
}

export interface SheetCell {
  /** A PNG as a data URL; null where the spot lies beyond the lane's stack. */
  png: string | null;
  measures: LaneMeasures | null;
}

export interface Sheet {
  title: string;
  /** When and by what it was made. */
  made: string;
  lanes: readonly SheetLane[];
  spots: readonly { name: string; place: string; verdict: string }[];
  /** By spot, then by lane. */
  cells: readonly (readonly SheetCell[])[];
  /** How all lanes are shown. */
  shown: string;
  unequal: readonly string[];
  verdict: string;
  note: string;
  /** What the journal says of how it came about. */
  journal: readonly { when: string; text: string; trial?: BlindRecord }[];
  /** The unit of levels, and what samples are multiplied by to be in it. */
  unit: string;
  perSample: number;
}

const ENTITIES: Readonly<Record<string, string>> = {
  "&": "&amp;",
  "<": "&lt;",
  ">": "&gt;",
  '"': "&quot;",
  "'": "&#39;",
};
const safe = (text: string): string => text.replace(/[&<>"']/g, (letter) => ENTITIES[letter]);

const STYLE = `
body{margin:2rem;background:#0d0d0d;color:#e8e8e8;font:14px/1.45 system-ui,sans-serif}
h1{font-size:20px;margin:0 0 .3rem}h2{font-size:15px;margin:1.6rem 0 .5rem}p,li{margin:.2rem 0}.quiet{color:#a3a3a3}
table{border-collapse:collapse}td,th{padding:2px 8px;text-align:right;font-weight:normal;border-top:1px solid #2b2b2b;font-variant-numeric:tabular-nums}
th:first-child,td:first-child{text-align:left}thead th{color:#a3a3a3;vertical-align:bottom;border:0;max-width:7rem}
.crops{display:grid;gap:2px;margin-bottom:2px}.crops figure{margin:0}.crops img{width:100%;image-rendering:pixelated;display:block;background:#000}
.crops figcaption{font-size:12px;color:#a3a3a3;font-variant-numeric:tabular-nums}.figure{display:inline-block;margin-right:.8em}b{font-weight:600}
.best{color:#7fb38a}pre{overflow:auto;background:#151515;padding:.6rem;font-size:12px}
@media print{body{background:#fff;color:#000;margin:0}.quiet,thead th,.crops figcaption{color:#444}.best{color:#000;font-weight:700}pre{background:#fff;white-space:pre-wrap}
.crops{grid-template-columns:repeat(auto-fit,minmax(4cm,1fr))!important}.row,tr,figure,li{break-inside:avoid}h2{break-after:avoid}td,th{border-color:#bbb}details{display:none}}`;

/** One page of matching crops with settings, measures, evidence and verdicts: HTML that holds everything it shows and fetches nothing. */
export function sheetHtml(sheet: Sheet): string {
  const { lanes, spots, cells } = sheet;
  // Whole pixels on the screen: two of it for each of the picture where there is room.
  const side = lanes.length <= 2 ? 512 : 256;
  const columns = `style="grid-template-columns:repeat(${lanes.length},${side}px)"`;
  const heads = lanes
    .map(
      ({ letter, words, stack }) =>
        `<figcaption><b>${safe(letter)}</b> ${safe(words)}<br><span class="quiet">${safe(stack)}</span></figcaption>`,
    )
    .map((caption) => `<figure>${caption}</figure>`)
    .join("");
  const rows = spots.map((spot, s) => {
    const figures = cells[s].map(({ png, measures }, k) => {
      const picture = png
        ? `<img src="${png}" alt="Lane ${safe(lanes[k].letter)} at ${safe(spot.name)}">`
        : "<p>outside the picture</p>";
      return `<figure>${picture}<figcaption>${under(measures, sheet)}</figcaption></figure>`;
    });
    const verdict = spot.verdict ? ` — <b>${safe(spot.verdict)}</b>` : "";
    return `<section class="row"><h2>${safe(spot.name)} <span class="quiet">${safe(spot.place)}</span>${verdict}</h2><div class="crops" ${columns}>${figures.join("")}</div></section>`;
  });
  const list = (items: readonly string[]) =>
    items.length > 0 ? `<ul>${items.map((item) => `<li>${safe(item)}</li>`).join("")}</ul>` : "";
  return [
    `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>${safe(sheet.title)}</title><style>${STYLE}</style></head><body>`,
    `<h1>${safe(sheet.title)}</h1><p class="quiet">${safe(sheet.made)}. ${safe(sheet.shown)}</p>`,
    sheet.verdict ? `<p><b>${safe(sheet.verdict)}</b></p>` : "",
    sheet.note ? `<p>${safe(sheet.note).replace(/\n/g, "<br>")}</p>` : "",
    sheet.unequal.length > 0 ? `<h2>Unequal</h2>${list(sheet.unequal)}` : "",
    `<div class="crops" ${columns}>${heads}</div>`,
    ...rows,
    `<h2>Measures, mean of all spots</h2>${measuresTable(sheet)}`,
    `<h2>What they are</h2><ul>${MEASURES.map(({ label, definition }) => `<li><b>${safe(label)}</b>: ${safe(definition)}</li>`).join("")}</ul>`,
    sheet.journal.length > 0
      ? `<h2>Journal</h2><ul>${sheet.journal.map(({ when, text, trial }) => `<li>${safe(when)}: ${safe(text)}${trial ? choicesTable(trial) : ""}</li>`).join("")}</ul>`
      : "",
    ...lanes.map(
      ({ letter, chain }) =>
        `<details><summary>Chain of lane ${safe(letter)}</summary><pre>${safe(chain)}</pre></details>`,
    ),
    "</body></html>",
  ].join("\n");
}

/** The few figures under a crop. */
function under(measures: LaneMeasures | null, { unit, perSample }: Sheet): string {
  if (!measures) return "";
  const shown = (id: string, times = 1): string => format(measures[id] ?? null, id, times);
  const figures = [
    `σ ${shown("noise", perSample)} ${safe(unit)}`,
    `SNR ${shown("snr")} dB`,
    `FWHM ${shown("fwhm")} px`,
    `not in the data ${shown("unsupported")} %`,
  ];
  return figures.map((figure) => `<span class="figure">${figure}</span>`).join(" ");
}

function format(value: number | null, id: string, times = 1): string {
  const digits = MEASURES.find((one) => one.id === id)?.digits ?? 2;
  return value === null ? "–" : (value * times).toFixed(digits);
}

/** Every choice of a blind trial. */
function choicesTable({ lanes, choices }: BlindRecord): string {
  const rows = choices.map(
    (row, k) =>
      `<tr><td>${k + 1}</td><td>${safe(row.spot)}</td><td>${safe(row.left)} : ${safe(row.right)}</td><td>${safe(chosenOf(row) || "no difference")}</td></tr>`,
  );
  const who = lanes.map(({ letter, words }) => `${safe(letter)} ${safe(words)}`).join(", ");
  return `<details><summary>Every choice (${who})</summary><table><thead><tr><th>Pair</th><th>Spot</th><th>Left : right</th><th>Better</th></tr></thead><tbody>${rows.join("")}</tbody></table></details>`;
}

const GROUP_HEADINGS: Record<MeasureGroup, string> = {
  noise: "Noise",
  detail: "Detail",
  stars: "Stars",
  evidence: "Evidence",
};

/** Measures as rows under their headings, lanes as columns: it fits on paper. */
function measuresTable({ lanes, cells, unit, perSample }: Sheet): string {
  const head = lanes.map(({ letter, words }) => `<th><b>${safe(letter)}</b> ${safe(words)}</th>`).join("");
  let heading = "";
  const body = MEASURES.map(({ id, label, unit: own, better, group }) => {
    const means = lanes.map((_, k) => {
      const known = cells.flatMap((row) => row[k].measures?.[id] ?? []);
      return known.length > 0 ? known.reduce((sum, v) => sum + v, 0) / known.length : null;
    });
    const known = means.flatMap((value) => value ?? []);
    const isTold = better !== null && known.length > 1 && Math.min(...known) !== Math.max(...known);
    const best = isTold ? (better === "less" ? Math.min(...known) : Math.max(...known)) : null;
    const values = means.map(
      (value) =>
        `<td${value !== null && value === best ? ' class="best"' : ""}>${format(value, id, own === "level" ? perSample : 1)}</td>`,
    );
    const above = group === heading ? "" : `<tr class="quiet"><th>${GROUP_HEADINGS[group]}</th></tr>`;
    heading = group;
    return `${above}<tr><th>${safe(label)}${own ? ` <span class="quiet">${safe(own === "level" ? unit : own)}</span>` : ""}</th>${values.join("")}</tr>`;
  });
  return `<table><thead><tr><th></th>${head}</tr></thead><tbody>${body.join("")}</tbody></table>`;
}
