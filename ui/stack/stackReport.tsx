"use client";

import { REJECTORS } from "@/core/combine";
import type { StackRecord } from "@/storage";
import { hasHalves } from "@/storage";
import { duration, fixed, levelUnit, megabytes } from "../kit/format";
import { calibrationWords } from "./stackDifferences";

const CHANNEL_NAMES = ["red", "green", "blue"];

/** What went into a stack and how good it became, in figures. */
export function StackReportView({ stack }: { stack: StackRecord }) {
  const { report } = stack;
  const leftOut = report.subs.filter((sub) => !sub.used);
  return (
    <aside
      className="w-80 shrink-0 overflow-auto border-l border-line bg-panel p-3"
      aria-label="Report"
      // Long ones are scrolled with the keyboard too.
      tabIndex={0}
      data-testid="stack-report"
    >
      <h2 className="mb-2">{stack.name}</h2>
      {stack.brought ? <Brought stack={stack} /> : <Made stack={stack} />}
      {leftOut.length > 0 ? (
        <>
          <h3 className="mt-4 mb-1 text-quiet">Left out</h3>
          <ul className="text-sm">
            {leftOut.map((sub) => (
              <li key={sub.id} className="mb-1">
                <span className="text-warn">{sub.name}</span> <span className="text-quiet">{sub.reason}</span>
              </li>
            ))}
          </ul>
        </>
      ) : null}
      {stack.brought ? null : <Used stack={stack} />}
    </aside>
  );
}

function Used({ stack: { report } }: { stack: StackRecord }) {
  return (
    <>
      <h3 className="mt-4 mb-1 text-quiet">Used</h3>
      <table className="w-full text-sm">
        <thead className="text-quiet">
          <tr>
            <th className="text-left font-normal">sub</th>
            <th className="text-right font-normal">half</th>
            <th className="text-right font-normal">scale</th>
            <th className="text-right font-normal">residual px</th>
          </tr>
        </thead>
        <tbody className="figures">
          {report.subs
            .filter((sub) => sub.used)
            .map((sub) => (
              <tr key={sub.id}>
                <td className="font-sans">
                  {sub.name}
                  {sub.trails > 0 ? (
                    <span className="block text-xs text-quiet">
                      {sub.trails === 1 ? "a trail" : `${sub.trails} trails`} taken out
                    </span>
                  ) : null}
                </td>
                <td className="text-right">{sub.half}</td>
                <td className="text-right">{fixed(sub.scale, 3)}</td>
                <td className="text-right">{fixed(sub.residualPx, 3)}</td>
              </tr>
            ))}
        </tbody>
      </table>
    </>
  );
}

/** What was rejected, and why so where it was not asked for. */
function rejectionWords({ id, why }: NonNullable<StackRecord["report"]["rejection"]>): string {
  const label = REJECTORS.find((rejector) => rejector.id === id)?.label ?? id;
  return why === "asked for" ? label : `${label}: ${why}`;
}

function Row({ name, value }: { name: string; value: string }) {
  return (
    <div className="flex justify-between gap-2 py-px">
      <dt className="text-quiet">{name}</dt>
      <dd className="figures text-right">{value}</dd>
    </div>
  );
}

function Made({ stack }: { stack: StackRecord }) {
  const { report } = stack;
  const worst = Math.max(0, ...report.subs.map((sub) => sub.residualPx ?? 0));
  return (
    <>
      <dl>
        <Row name="Subs used" value={`${report.subsUsed} of ${report.subs.length}`} />
        <Row name="Integration" value={duration(report.integrationS)} />
        <Row name="Calibrated" value={calibrationWords(stack)} />
        <Row name="Reference" value={report.referenceName} />
        <Row name="FWHM of the stack" value={`${fixed(report.fwhmPx, 2)} px`} />
        <Row name="FWHM of the median sub" value={`${fixed(report.medianSubFwhmPx, 2)} px`} />
        <Row name="Largest residual of registration" value={`${fixed(worst, 3)} px`} />
        {report.rejection ? <Row name="Rejected" value={rejectionWords(report.rejection)} /> : null}
        <Row name="Samples rejected" value={`${fixed(report.rejectedFraction * 100, 2)} %`} />
        <Row name="Took" value={`${fixed(report.seconds, 1)} s`} />
        <Row name="Most memory for samples" value={megabytes(report.peakBytes)} />
      </dl>
      <Noise stack={stack} />
      <p className="mt-1 text-sm text-quiet">
        Gain: noise of the median sub over noise of the stack. √{report.subsUsed} is{" "}
        {fixed(Math.sqrt(report.subsUsed), 2)}; resampling shares noise between neighbours and so lowers it per pixel a
        little more.
      </p>
    </>
  );
}

/** A stack that was made elsewhere, or joined from others: what its files or its parts tell. */
function Brought({ stack }: { stack: StackRecord }) {
  const { report, brought, facts } = stack;
  const told = brought?.joined ? "" : ", by its header";
  return (
    <>
      <dl>
        <Row name="Made" value={brought?.joined ? "joined from stacks" : "elsewhere"} />
        <Row name={brought?.joined ? "Of" : "Files"} value={brought?.files.join(", ") ?? ""} />
        <Row name={`Subs${told}`} value={brought?.combined?.toString() ?? "not told"} />
        <Row name={`Integration${told}`} value={report.integrationS > 0 ? duration(report.integrationS) : "not told"} />
        <Row name="Size" value={`${facts.width} × ${facts.height} px`} />
        <Row name="FWHM of the stack" value={`${fixed(report.fwhmPx, 2)} px`} />
      </dl>
      {hasHalves(stack) ? (
        <Noise stack={stack} />
      ) : (
        <p className="mt-4 text-quiet">
          It came without halves: what in it is noise can only be guessed from the picture itself, and measures that
          need halves are not there.
        </p>
      )}
    </>
  );
}

function Noise({ stack: { report, facts } }: { stack: StackRecord }) {
  const unit = levelUnit(facts.unit);
  const isGainKnown = report.noise.some(({ measuredGain }) => measuredGain !== null);
  return (
    <>
      <h3 className="mt-4 mb-1 text-quiet">Noise per pixel, from the halves</h3>
      <table className="w-full text-sm">
        <thead className="text-quiet">
          <tr>
            <th className="text-left font-normal">channel</th>
            <th className="text-right font-normal">{unit.unit}</th>
            {isGainKnown ? (
              <>
                <th className="text-right font-normal">gain</th>
                <th className="text-right font-normal">expected</th>
              </>
            ) : null}
          </tr>
        </thead>
        <tbody className="figures">
          {report.noise.map((noise, c) => (
            <tr key={c}>
              <td className="font-sans">{report.noise.length === 3 ? CHANNEL_NAMES[c] : "grey"}</td>
              <td className="text-right">
                {fixed(noise.fromHalves === null ? null : noise.fromHalves * unit.scale, unit.digits)}
              </td>
              {isGainKnown ? (
                <>
                  <td className="text-right">{fixed(noise.measuredGain, 2)} ×</td>
                  <td className="text-right">{fixed(noise.expectedGain, 2)} ×</td>
                </>
              ) : null}
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}
