"use client";

import { useState } from "react";
import { STAR_STANDINGS, starShapeOf } from "@/core/compare";
import { Stopped } from "@/core/job";
import { inverse, mapPoint } from "@/core/register";
import type { WholeEvidence } from "@/engine/jobs/evidence";
import { wholeEvidence } from "@/engine/jobs/evidence";
import { failureOf } from "@/engine/protocol";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { fixed } from "../kit/format";
import { percent, Row, STANDING_WORDS } from "./evidenceRow";
import type { LaneView } from "./useLaneCrop";

/** Evidence for the whole picture, on demand: it takes its time. */
export function WholeEvidencePart({ view: { lane, stack, treatment, toPicture } }: { view: LaneView }) {
  const session = useSession();
  const key = treatment && JSON.stringify([treatment.picture.id, treatment.steps]);
  const [running, setRunning] = useState<{ share: number; abort: AbortController } | null>(null);
  const [known, setKnown] = useState<{
    key: string | null;
    found: WholeEvidence | null;
    problem: string | null;
  } | null>(null);
  const run = async () => {
    if (!treatment) return;
    const abort = new AbortController();
    setRunning({ share: 0, abort });
    try {
      const options = { signal: abort.signal, onProgress: (share: number) => setRunning({ share, abort }) };
      const found = await wholeEvidence(session.pool, treatment, stack.facts, starShapeOf(stack.facts), options);
      setKnown({ key, found, problem: null });
    } catch (error) {
      if (!(error instanceof Stopped)) setKnown({ key, found: null, problem: failureOf(error).message });
    } finally {
      setRunning(null);
    }
  };
  const found = known?.key === key ? known.found : null;
  const toSpot = (x: number, y: number) => {
    const [px, py] = mapPoint(inverse(toPicture), x, y).map(Math.round);
    session.board.change((b) => {
      const added = { id: crypto.randomUUID(), name: `Not in the data of ${lane.letter}`, x: px, y: py };
      return { ...b, spots: [...b.spots, added], look: { ...b.look, spotId: added.id } };
    });
  };
  return (
    <section className="mt-3 border-t border-line pt-2" data-testid="whole-evidence">
      {running ? (
        <div className="flex items-center gap-2">
          <span className="figures flex-1 text-quiet">Whole picture: {Math.round(100 * running.share)} %</span>
          <Button onClick={() => running.abort.abort()}>Stop</Button>
        </div>
      ) : (
        <Button
          disabled={!treatment || found !== null}
          help="Tells the same of the whole picture, tile by tile, and names the places where most light is not in the data"
          onClick={() => void run()}
        >
          The whole picture
        </Button>
      )}
      {known?.problem ? <p className="text-warn">{known.problem}</p> : null}
      {found ? (
        <div className="mt-1">
          <Row label="Light not in the data" title="Of all pixels">
            {percent(found.unsupportedShare)}
          </Row>
          <Row label="Light of the data lost" title="Of all pixels">
            {percent(found.lostShare)}
          </Row>
          {found.error === null ? null : (
            <Row label="Error against held-out data" title="Root of the mean square over the picture">
              {fixed(found.error, 2)} σ
            </Row>
          )}
          {STAR_STANDINGS.map((standing) => (
            <Row
              key={standing}
              label={`Stars ${STANDING_WORDS[standing].label}`}
              title={STANDING_WORDS[standing].title}
            >
              {found.stars.filter((star) => star.standing === standing).length}
            </Row>
          ))}
          {found.worst.length > 0 ? <h3 className="mt-1 text-quiet">Most of it at</h3> : null}
          {found.worst.map(({ x, y, sigma }) => (
            <button
              key={`${x} ${y}`}
              type="button"
              className="figures block w-full rounded px-1 text-left hover:bg-raised"
              title="Makes it a spot"
              onClick={() => toSpot(x, y)}
            >
              {x}, {y}: {fixed(sigma, 0)} σ
            </button>
          ))}
        </div>
      ) : null}
    </section>
  );
}
