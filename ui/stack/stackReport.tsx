"use client";

import { REJECTORS } from "@/core/combine";
import type { StackRecord } from "@/storage";
import { hasHalves } from "@/storage";
import { duration, fixed, levelUnit, megabytes } from "../kit/format";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { CopyForm } from "./copyForm";
import { calibrationWords } from "./stackDifferences";
import { TryAgain, UsedSubs } from "./usedSubs";

const STAGE_WORDS: Record<StackRecord["report"]["stages"][number]["stage"], string> = {
  measure: "measuring",
  match: "matching",
  level: "levelling skies",
  combine: "combining",
  drizzle: "drizzling",
  inspect: "looking it over",
  write: "writing",
};

const CHANNEL_NAMES = ["red", "green", "blue"];

/** What went into a stack and how good it became, in figures. */
export function StackReportView({
  stack,
  subId,
  onSub,
}: {
  stack: StackRecord;
  /** The sub of which more is shown. */
  subId: string | null;
  onSub: (id: string | null) => void;
}) {
  const session = useSession();
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
          {stack.brought || !leftOut.some(mayMatch) ? null : (
            <TryAgain onTry={() => session.stacks.queue.add([session.stacks.recipeOf(stack, MORE_FREEDOM)])} />
          )}
        </>
      ) : null}
      {stack.brought ? null : <UsedSubs stack={stack} openId={subId} onOpen={onSub} />}
      {stack.brought ? null : <MakeAgain stack={stack} />}
      <CopyForm stack={stack} />
      <Note stack={stack} />
    </aside>
  );
}

/** A name and its value, and below them, where it needs one, a reason. */
function Row({ name, value, reason }: { name: string; value: string; reason?: string }) {
  return (
    <div className="flex flex-wrap justify-between gap-x-2 py-px">
      <dt className="text-quiet">{name}</dt>
      <dd className="figures text-right">{value}</dd>
      {reason === undefined ? null : <dd className="w-full text-right text-sm text-quiet">{reason}</dd>}
    </div>
  );
}

/** What was rejected, and why so where it was not asked for. */
function Rejected({ id, why }: NonNullable<StackRecord["report"]["rejection"]>) {
  const label = REJECTORS.find((rejector) => rejector.id === id)?.label ?? id;
  return <Row name="Rejected" value={label} {...(why === "asked for" ? {} : { reason: why })} />;
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
        {report.pixelsOf ? <Row name="On the pixels of" value={report.pixelsOf} /> : null}
        <Row name="FWHM of the stack" value={`${fixed(report.fwhmPx, 2)} px`} />
        <Row name="FWHM of the median sub" value={`${fixed(report.medianSubFwhmPx, 2)} px`} />
        <Row name="Largest residual of registration" value={`${fixed(worst, 3)} px`} />
        {report.rejection ? <Rejected {...report.rejection} /> : null}
        <Row name="Samples rejected" value={`${fixed(report.rejectedFraction * 100, 2)} %`} />
        {report.cores ? (
          <Row
            name="Saturated cores"
            value={`of ${report.cores.filled} subs filled from ${report.cores.from} that hold more light`}
          />
        ) : null}
        {report.dither ? (
          <Row name="Drops on a pixel vary by" value={`${fixed(100 * report.dither.spread, 0)} %`} />
        ) : null}
        <Row name="Took" value={`${fixed(report.seconds, 1)} s`} />
        {report.stages.map(({ stage, seconds }) => (
          <Row key={stage} name={`– ${STAGE_WORDS[stage]}`} value={`${fixed(seconds, 1)} s`} />
        ))}
        <Row name="Most memory for samples" value={megabytes(report.peakBytes)} />
      </dl>
      {[...report.cautions, ...(report.dither?.warning ? [report.dither.warning] : [])].map((caution) => (
        <p key={caution} className="mt-2 text-warn">
          {caution}.
        </p>
      ))}
      <Noise stack={stack} />
      <p className="mt-1 text-sm text-quiet">
        Gain: noise of the median sub over noise of the stack. √{report.subsUsed} is{" "}
        {fixed(Math.sqrt(report.subsUsed), 2)}; resampling shares noise between neighbours and so lowers it per pixel a
        little more.
      </p>
    </>
  );
}

function madeWords(brought: StackRecord["brought"]): string {
  if (brought?.joined) return "joined from stacks";
  const copy = brought?.copyOf;
  if (!copy) return "elsewhere";
  return `copied at ${Math.round(100 * copy.factor)} %, ${copy.factor > 1 ? copy.resampling : "means of whole pixels"}`;
}

/** A stack that was made elsewhere, or joined from others: what its files or its parts show. */
function Brought({ stack }: { stack: StackRecord }) {
  const { report, brought, facts } = stack;
  const told = brought?.joined || brought?.copyOf ? "" : ", by its header";
  return (
    <>
      <dl>
        <Row name="Made" value={madeWords(brought)} />
        <Row name={brought?.joined || brought?.copyOf ? "Of" : "Files"} value={brought?.files.join(", ") ?? ""} />
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
      <Scales stack={{ facts }} />
    </>
  );
}

/** σ of the halves by scale: where it rises, neighbours share noise. */
function Scales({ stack: { facts } }: { stack: Pick<StackRecord, "facts"> }) {
  const unit = levelUnit(facts.unit);
  const { halvesScales } = facts;
  if (halvesScales.length === 0) return null;
  return (
    <table
      className="mt-2 w-full text-sm"
      title="As per pixel of white noise: alike at all scales where neighbours share none; rising where resampling, drizzle or demosaicing did so"
    >
      <thead className="text-quiet">
        <tr>
          <th className="text-left font-normal">at a scale of</th>
          {halvesScales[0].map((_, j) => (
            <th key={j} className="text-right font-normal">
              {2 ** j} px
            </th>
          ))}
        </tr>
      </thead>
      <tbody className="figures">
        {halvesScales.map((scales, c) => (
          <tr key={c}>
            <td className="font-sans">{halvesScales.length === 3 ? CHANNEL_NAMES[c] : "grey"}</td>
            {scales.map((sigma, j) => (
              <td key={j} className="text-right">
                {fixed(sigma * unit.scale, unit.digits)}
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Whether more freedom may let a sub in: not where it is of another filter or kind. */
const mayMatch = ({ reason }: StackRecord["report"]["subs"][number]): boolean =>
  /FWHM|twice|matched/.test(reason ?? "");

/** A note of one's own. */
function Note({ stack }: { stack: StackRecord }) {
  const session = useSession();
  return (
    <label className="mt-4 block text-quiet">
      Note
      <textarea
        className="mt-1 block w-full rounded border border-line bg-page p-1.5 text-text"
        rows={3}
        maxLength={2000}
        value={stack.note}
        onChange={(event) => session.stacks.annotate(stack.id, event.target.value)}
      />
    </label>
  );
}

/** What lets more subs in. */
const MORE_FREEDOM = { transform: "cubic", keepDoubles: true, fwhmLimit: 0 } as const;

/** Puts the stack's own recipe on the list of those that wait. */
function MakeAgain({ stack }: { stack: StackRecord }) {
  const { stacks } = useSession();
  return (
    <Button
      kind="quiet"
      className="mt-2"
      help="Prepares a stack of the same subs, masters and settings: it comes to the same bytes"
      onClick={() => stacks.queue.add([stacks.recipeOf(stack)])}
    >
      Prepare it once more
    </Button>
  );
}
