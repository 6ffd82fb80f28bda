"use client";

import { useStore } from "zustand";
import { STAR_STANDINGS } from "@/core/compare";
import { inverse, mapPoint } from "@/core/register";
import { wholeKey } from "@/state/wholeEvidence";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { fixed } from "../kit/format";
import { percent, Row, STANDING_WORDS } from "./evidenceRow";
import type { LaneView } from "./useLaneCrop";

/** Evidence for the whole picture, on demand: it takes its time. */
export function WholeEvidencePart({ view: { lane, stack, treatment, toPicture } }: { view: LaneView }) {
  const session = useSession();
  const book = session.wholeEvidence;
  const state = useStore(book.store, (all) => (treatment ? (all[wholeKey(treatment)] ?? null) : null));
  const found = state && "found" in state ? state.found : null;
  const toSpot = (x: number, y: number) => {
    const [px, py] = mapPoint(inverse(toPicture), x, y).map(Math.round);
    session.board.change((b) => {
      const added = { id: crypto.randomUUID(), name: `Not in the data of ${lane.letter}`, x: px, y: py };
      return { ...b, spots: [...b.spots, added], look: { ...b.look, spotId: added.id } };
    });
  };
  return (
    <section className="mt-3 border-t border-line pt-2" data-testid="whole-evidence">
      {state && "stop" in state ? (
        <div className="flex items-center gap-2">
          <span className="figures flex-1 text-quiet">Whole picture: {Math.floor(100 * state.share)} %</span>
          <Button onClick={() => state.stop()}>Stop</Button>
        </div>
      ) : (
        <Button
          disabled={!treatment || state !== null}
          help="Tells the same of the whole picture, tile by tile, and names the places where most light is not in the data"
          onClick={() => treatment && void book.begin(treatment, stack.facts, `lane ${lane.letter}`)}
        >
          The whole picture
        </Button>
      )}
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
