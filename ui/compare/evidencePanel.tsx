"use client";

import { Check } from "lucide-react";
import type { Evidence, Spot, Support as SupportOf } from "@/core/compare";
import { EVIDENCE_SIDE, STAR_STANDINGS } from "@/core/compare";
import { spotOf } from "@/state/board";
import { arcsecPerPx } from "@/state/pixelScale";
import type { Board, StackRecord } from "@/storage";
import { hasHalves } from "@/storage";
import { useProject, useSession } from "../frame/session";
import { Choice } from "../kit/choice";
import { fixed } from "../kit/format";
import { useDesk, useDeskStore } from "./desk";
import { LOST_COLOUR, STAR_MARKS, UNSUPPORTED_COLOUR } from "./evidenceOverlay";
import { FIRST_SIDE } from "./geometry";
import { percent, Row, STANDING_WORDS } from "./evidenceRow";
import { useEvidence } from "./useEvidence";
import type { LaneView } from "./useLaneCrop";
import { useLaneView } from "./useLaneCrop";
import { WholeEvidencePart } from "./wholeEvidence";

/** What the halves say of the chosen lane at a spot; drawn on its crops too. */
export function EvidencePanel({ board, first }: { board: Board; first: StackRecord }) {
  const lane = board.lanes.find(({ id }) => id === board.selectedLaneId) ?? board.lanes[0];
  const { view, error } = useLaneView(lane, board, first);
  const spot = spotOf(board);
  const session = useSession();
  return (
    <div className="min-h-0 flex-1 overflow-y-auto p-2" data-testid="evidence-panel">
      <div className="mb-2 flex items-center gap-2">
        <h2 className="flex-1 whitespace-nowrap">Evidence, lane {lane.letter}</h2>
        {spot ? (
          <Choice
            label="Spot of the evidence"
            help="The spot that the figures below belong to"
            value={spot.id}
            options={board.spots.map(({ id, name }) => ({ value: id, label: name }))}
            onChange={(spotId) => session.board.amend((b) => ({ ...b, look: { ...b.look, spotId } }))}
          />
        ) : null}
      </div>
      {error ? <p className="text-warn">{error}</p> : null}
      {view && spot ? <Told board={board} view={view} spot={spot} /> : null}
      {view && hasHalves(view.stack) ? <WholeEvidencePart view={view} /> : null}
    </div>
  );
}

function Told({ board, view, spot }: { board: Board; view: LaneView; spot: Spot }) {
  const { stack, treatment, toPicture } = view;
  const { support, isCurrent, evidence, isComplete, error } = useEvidence(
    treatment,
    stack,
    spot,
    board.view,
    toPicture,
  );
  if (!hasHalves(stack))
    return (
      <p className="text-quiet">
        “{stack.name}” has no halves: how much of its noise is left, and which detail the data carry, cannot be told. A
        stack that is made here, or brought in with its two halves, tells it.
      </p>
    );
  if (error) return <p className="text-warn">{error}</p>;
  if (!support) return <p className="text-quiet">Treating both halves the same way …</p>;
  const dim = (isThere: boolean) => `flex flex-col gap-3 ${isThere ? "" : "opacity-40"}`;
  return (
    <div className="flex flex-col gap-3" data-stale={!isComplete}>
      <div className={dim(isCurrent)} data-first={isCurrent && !isComplete}>
        <Support support={support} error={isComplete ? evidence?.error : undefined} />
        <Stars stars={support.stars} />
      </div>
      {evidence ? (
        <div className={dim(isComplete)}>
          <NoiseLeft evidence={evidence} />
          <Rings evidence={evidence} stack={stack} />
          <Spectrum evidence={evidence} />
          <Removed evidence={evidence} />
        </div>
      ) : null}
      <p className="text-xs text-quiet">
        {isCurrent && !isComplete
          ? `First the middle ${FIRST_SIDE} px; the noise that is left, and all ${EVIDENCE_SIDE} px, are being looked at …`
          : `Told from the two halves, in the square of ${EVIDENCE_SIDE} px around the spot, for the light of all channels together.`}
      </p>
    </div>
  );
}

function Toggle({ name, colour, label }: { name: "unsupported" | "lost" | "stars"; colour: string; label: string }) {
  const desk = useDeskStore();
  const shown = useDesk((state) => state.evidence);
  return (
    <button
      type="button"
      role="switch"
      aria-checked={shown[name]}
      aria-label={`${label} on the crops`}
      title={`Draws it on the crops of this lane, or hides it`}
      className="inline-flex h-4 w-4 shrink-0 items-center justify-center self-center rounded-sm border"
      style={{ borderColor: colour, color: colour }}
      onClick={() => desk.setState({ evidence: { ...shown, [name]: !shown[name] } })}
    >
      {shown[name] ? <Check size={12} /> : null}
    </button>
  );
}

/** Light that the data do not carry, and that was lost; the error, where it is measured already. */
function Support({ support, error }: { support: SupportOf; error: number | null | undefined }) {
  return (
    <section>
      <div className="flex gap-1.5">
        <Toggle name="unsupported" colour={UNSUPPORTED_COLOUR} label="Light that the data do not carry" />
        <div className="flex-1">
          <Row
            label="Light not in the data"
            title="Share of the pixels at which the lane is brighter, over 5 to 27 px, than stack and noise allow (3 σ)"
          >
            {percent(support.unsupportedShare)}
          </Row>
        </div>
      </div>
      <div className="flex gap-1.5">
        <Toggle name="lost" colour={LOST_COLOUR} label="Light that was lost" />
        <div className="flex-1">
          <Row
            label="Light of the data lost"
            title="Share of the pixels at which the lane is darker, over 5 to 27 px, than stack and noise allow (3 σ)"
          >
            {percent(support.lostShare)}
          </Row>
        </div>
      </div>
      <Row
        label="Error against held-out data"
        title="Error of the lane in σ of the stack's noise, told by data that it has not seen: noise that is left and detail that is lost, together. The untouched stack has 1.03."
      >
        {error === undefined
          ? "…"
          : error === null
            ? support.isBlurred
              ? "– for sharper lanes"
              : "– after a stretch"
            : `${fixed(error, 2)} σ`}
      </Row>
      {support.isBlurred ? (
        <p className="text-xs text-quiet">
          The lane takes blur away; it is blurred again to be held against the stack. In bright stars less can be told.
        </p>
      ) : null}
    </section>
  );
}

function Stars({ stars }: { stars: SupportOf["stars"] }) {
  return (
    <section>
      <div className="flex gap-1.5">
        <Toggle name="stars" colour="#a3a3a3" label="Stars with their support" />
        <h3 className="text-quiet">Stars of the lane</h3>
      </div>
      {STAR_STANDINGS.map((standing) => {
        const { stroke, dashes } = STAR_MARKS[standing];
        const { label, title } = STANDING_WORDS[standing];
        return (
          <div key={standing} className="flex items-center gap-1.5" data-standing={standing} title={title}>
            <svg width={16} height={12} aria-hidden>
              <circle cx={8} cy={6} r={4.5} fill="none" stroke={stroke} strokeDasharray={dashes} />
            </svg>
            <span className="flex-1">{label}</span>
            <span className="figures">{stars.filter((star) => star.standing === standing).length}</span>
          </div>
        );
      })}
    </section>
  );
}

/** A chart of the panel: its size in px, and the room for figures above bars. */
const [WIDTH, HEIGHT, ABOVE] = [232, 56, 18];

function NoiseLeft({ evidence: { noise } }: { evidence: Evidence }) {
  const shares = noise.left.map((left, j) => left / (noise.before[j] || 1));
  const most = Math.max(1, ...shares);
  const step = WIDTH / shares.length;
  return (
    <section title="σ of the noise that the chain leaves, over that of the stack, by size of detail (starlet scales)">
      <h3 className="text-quiet">Noise left, by size</h3>
      <svg width={WIDTH} height={HEIGHT + ABOVE + 14} role="img" aria-label="Noise left by size of detail">
        <line
          x1={0}
          x2={WIDTH}
          y1={ABOVE + HEIGHT * (1 - 1 / most)}
          y2={ABOVE + HEIGHT * (1 - 1 / most)}
          stroke="#2b2b2b"
        />
        {shares.map((share, j) => (
          <g key={j} transform={`translate(${j * step},${ABOVE})`}>
            <rect
              {...{ x: 6, y: HEIGHT * (1 - share / most), width: step - 12 }}
              height={(HEIGHT * share) / most}
              fill="#a3a3a3"
            />
            <text
              x={step / 2}
              y={HEIGHT * (1 - share / most) - 3}
              textAnchor="middle"
              className="figures fill-text text-[11px]"
            >
              {fixed(share, 2)}
            </text>
            <text x={step / 2} y={HEIGHT + 12} textAnchor="middle" className="figures fill-quiet text-[11px]">
              {2 ** j} px
            </text>
          </g>
        ))}
      </svg>
    </section>
  );
}

function Rings({ evidence: { rings }, stack }: { evidence: Evidence; stack: StackRecord }) {
  const arcsec = useProject((state) => arcsecPerPx(stack, state));
  if (!rings) return null;
  const { supportedPx } = rings;
  const onSky = supportedPx !== null && arcsec !== null ? ` · ${fixed(supportedPx * arcsec, 1)}″` : "";
  const path = (values: readonly number[]) =>
    values.map((v, k) => `${((k + 0.5) / values.length) * WIDTH},${2 + HEIGHT * (1 - Math.max(0, v))}`).join(" ");
  return (
    <section title="Correlation of the two halves by size of detail (Fourier rings): untouched as a thin line, treated as a thick one. Below 1/7 the halves have nothing in common.">
      <h3 className="text-quiet">Agreement of the halves</h3>
      <svg width={WIDTH} height={HEIGHT + 16} role="img" aria-label="Correlation of the halves, before and after">
        <line x1={0} x2={WIDTH} y1={2 + (HEIGHT * 6) / 7} y2={2 + (HEIGHT * 6) / 7} stroke="#2b2b2b" />
        <polyline points={path(rings.before)} fill="none" stroke="#a3a3a3" strokeDasharray="3 2" />
        <polyline points={path(rings.after)} fill="none" stroke="#e8e8e8" strokeWidth={1.5} />
        <Periods />
      </svg>
      <Row
        label="Finest detail in both halves"
        title="The period above which the untouched halves agree by 1/7 or more"
      >
        {supportedPx === null ? "all that it has" : `${fixed(supportedPx, 1)} px${onSky}`}
      </Row>
      {rings.beyond > 0.2 ? (
        <p className="text-xs text-quiet">
          What the treated halves share beyond it, the treatment drew alike in both, from coarser detail.
        </p>
      ) : null}
    </section>
  );
}

/** Power by size of detail, in dB over white noise of the stack's σ at its finest. */
function Spectrum({ evidence: { rings } }: { evidence: Evidence }) {
  if (!rings) return null;
  const { before, after, noise } = rings.power;
  const unit = noise[noise.length - 1] || 1;
  const inDb = (values: readonly number[]) => values.map((v) => 10 * Math.log10(Math.max(v / unit, 1e-6)));
  const lines = { before: inDb(before), after: inDb(after), noise: inDb(noise) };
  const most = Math.max(...lines.before, ...lines.after);
  const least = Math.max(LEAST_DB, Math.min(...lines.after, ...lines.noise));
  const path = (values: readonly number[]) =>
    values
      .map(
        (v, k) =>
          `${((k + 0.5) / values.length) * WIDTH},${2 + (HEIGHT * (most - Math.max(least, v))) / (most - least || 1)}`,
      )
      .join(" ");
  return (
    <section title="Power of the light by size of detail, logarithmic: the stack as a dashed line, its noise dotted, the lane as a thick line. Where the lane lies below the noise, noise was taken away; where it lies above the stack, detail was raised.">
      <h3 className="text-quiet">Power by size of detail</h3>
      <svg width={WIDTH} height={HEIGHT + 16} role="img" aria-label="Power of stack, lane and noise by size of detail">
        <polyline points={path(lines.noise)} fill="none" stroke="#a3a3a3" strokeDasharray="1 3" />
        <polyline points={path(lines.before)} fill="none" stroke="#a3a3a3" strokeDasharray="3 2" />
        <polyline points={path(lines.after)} fill="none" stroke="#e8e8e8" strokeWidth={1.5} />
        <Periods />
      </svg>
      <Row label="from top to bottom" title="How many decibels the chart spans; it ends 40 dB below the stack's noise">
        {fixed(most - least, 0)} dB
      </Row>
    </section>
  );
}

/** Less power than so much under the noise is drawn at the bottom, dB. */
const LEAST_DB = -40;

/** Sizes of detail under a chart over the frequency. */
function Periods() {
  return [8, 4, 3, 2].map((period) => (
    <text
      key={period}
      x={Math.min(WIDTH - 20, (2 / period) * WIDTH)}
      y={HEIGHT + 14}
      textAnchor="middle"
      className="figures fill-quiet text-[11px]"
    >
      {period} px
    </text>
  ));
}

function Removed({ evidence: { removed } }: { evidence: Evidence }) {
  return (
    <section>
      <h3 className="text-quiet">What was taken away</h3>
      <Row
        label="goes with the picture by"
        title="Correlation (−1 … 1) of what the chain took away with what it shows: 0 where it took noise only"
      >
        {fixed(removed.correlation, 2)}
      </Row>
      <Row
        label="over the noise at 1, 2, 4, 8, 16 px"
        title="σ of what the chain took away over σ of the noise, by size: above 1 it took more than noise"
      >
        {removed.scales.map((v) => fixed(v, 1)).join(" ")}
      </Row>
    </section>
  );
}
