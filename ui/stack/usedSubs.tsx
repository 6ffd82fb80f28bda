"use client";

import { quantile } from "d3-array";
import { scaleLinear } from "d3-scale";
import type { StackRecord } from "@/storage";
import { Button } from "../kit/button";
import { counted, fixed } from "../kit/format";

type ReportedSub = StackRecord["report"]["subs"][number];

/** The subs that went in: what each adds, and how well its stars lie over those of the reference. */
export function UsedSubs({
  stack: { report, facts, settings },
  openId,
  onOpen,
}: {
  stack: StackRecord;
  /** The sub of which more is shown. */
  openId: string | null;
  onOpen: (id: string | null) => void;
}) {
  const used = report.subs.filter((sub) => sub.used);
  // Residuals are in pixels of the reference.
  const scale = settings.drizzle === "no" ? 1 : Number(settings.drizzle);
  const most = Math.max(...used.map(({ share }) => share ?? 0));
  return (
    <>
      <h3 className="mt-4 mb-1 text-quiet">Used</h3>
      <table className="w-full text-sm">
        <thead className="text-quiet">
          <tr>
            <th className="text-left font-normal">sub</th>
            <th className="text-right font-normal">half</th>
            <th className="text-right font-normal" title="Its share of all weights">
              adds
            </th>
            <th className="text-right font-normal">residual px</th>
          </tr>
        </thead>
        {used.map((sub) => (
          <tbody key={sub.id} className="figures">
            <tr>
              <td className="font-sans">
                <button
                  type="button"
                  className="min-h-6 w-full text-left hover:text-accent"
                  aria-expanded={openId === sub.id}
                  data-help="Shows how this sub's stars miss those of the reference, and lets you see over the picture what was rejected of it"
                  onClick={() => onOpen(openId === sub.id ? null : sub.id)}
                >
                  {sub.name}
                </button>
                {sub.trails > 0 ? (
                  <span className="block text-xs text-quiet">
                    {sub.trails === 1 ? "a trail" : `${sub.trails} trails`} taken out
                  </span>
                ) : null}
              </td>
              <td className="text-right">{sub.half}</td>
              <td className="text-right">
                {sub.share === null ? "–" : `${fixed(100 * sub.share, 1)} %`}
                <span
                  className="ml-auto block h-0.5 bg-quiet"
                  style={{ width: `${(100 * (sub.share ?? 0)) / most}%` }}
                />
              </td>
              <td className="text-right">{fixed(sub.residualPx, 3)}</td>
            </tr>
            {openId === sub.id ? (
              <tr>
                <td colSpan={4} className="pb-2">
                  {sub.rejected ? (
                    <p className="pb-1 font-sans text-quiet">
                      Rejected: {fixed(100 * sub.rejected.above, 2)} % of its pixels above the others,{" "}
                      {fixed(100 * sub.rejected.below, 2)} % below.
                    </p>
                  ) : null}
                  <Residuals sub={sub} width={facts.width / scale} height={facts.height / scale} />
                </td>
              </tr>
            ) : null}
          </tbody>
        ))}
      </table>
    </>
  );
}

/** Length of the line that nine in ten are shorter than, as a share of the map's width; single ones that are longer are cut at four times that. */
const LONG = 0.05;

/** Where a sub's stars came to lie beside those of the reference, many times enlarged. */
function Residuals({ sub, width, height }: { sub: ReportedSub; width: number; height: number }) {
  const { vectors } = sub;
  if (vectors.length === 0)
    return (
      <p className="font-sans text-quiet" data-testid="no-residuals">
        It is the reference, or was stacked before residuals were kept.
      </p>
    );
  const across = 280;
  const toMap = scaleLinear([0, width], [0, across]);
  const lengths = vectors.map(([, , dx, dy]) => Math.hypot(dx, dy));
  const most = Math.max(...lengths);
  const long = Math.max(quantile(lengths, 0.9) ?? 0, 1e-6);
  const enlarged = (length: number) => (LONG * across * Math.min(1, (4 * long) / length)) / long;
  const tall = toMap(height);
  return (
    <figure className="font-sans" data-testid="residuals">
      <svg
        viewBox={`0 0 ${across} ${tall}`}
        className="w-full rounded bg-page"
        role="img"
        aria-label={`Residuals of ${counted(vectors.length, "star")}, the largest ${fixed(most, 3)} px`}
      >
        {vectors.map(([x, y, dx, dy], k) => (
          <g key={k} transform={`translate(${toMap(x)} ${toMap(y)})`} className="stroke-accent">
            <circle r={1.2} className="fill-accent stroke-none" />
            <line x2={dx * enlarged(lengths[k])} y2={dy * enlarged(lengths[k])} strokeWidth={1} />
          </g>
        ))}
      </svg>
      <figcaption className="text-xs text-quiet">
        {vectors.length} of {sub.pairs} matched stars, enlarged {Math.round(enlarged(0) * (width / across))} times: half
        of them lie within {fixed(quantile(lengths, 0.5), 3)} px, all within {fixed(most, 3)} px. Light ×{" "}
        {fixed(sub.scale, 3)}.
      </figcaption>
    </figure>
  );
}

/** Whether a sub that was left out could be tried again with more freedom: its stars did not match. */
export function TryAgain({ onTry }: { onTry: () => void }) {
  return (
    <Button kind="quiet" help="Prepares a stack in which subs may be distorted, double and blurred" onClick={onTry}>
      Prepare a stack that tries them again
    </Button>
  );
}
