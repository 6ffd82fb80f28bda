"use client";

import type { Board } from "@/storage";
import { ZOOMS } from "@/storage";
import { useSession } from "../frame/session";
import { Button } from "../kit/button";
import { ShownPanel } from "../viewer/shownPanel";

/** Above the crops: their zoom, the way back to the spots, and how all of them are shown. */
export function ViewBar({ board }: { board: Board }) {
  const session = useSession();
  const { zoom, panX, panY } = board.view;
  return (
    <div className="relative flex h-8 shrink-0 items-center gap-2 border-b border-line bg-panel px-2">
      <div
        className="flex gap-1"
        role="group"
        aria-label="Zoom of all crops"
        data-help="Zoom of all crops: keys 0 1 2 3 4"
      >
        {ZOOMS.map((step) => (
          <button
            key={step}
            type="button"
            aria-pressed={zoom === step}
            className={`figures w-9 rounded border py-0.5 ${zoom === step ? "border-quiet text-text" : "border-line text-quiet hover:text-text"}`}
            onClick={() => session.board.amend((b) => ({ ...b, view: { ...b.view, zoom: step } }))}
          >
            {step === "fit" ? "fit" : `${step}:1`}
          </button>
        ))}
      </div>
      {panX !== 0 || panY !== 0 ? (
        <Button
          kind="quiet"
          help="Moves all crops back to their spots (Home)"
          onClick={() => session.board.amend((b) => ({ ...b, view: { ...b.view, panX: 0, panY: 0 } }))}
        >
          Back to the spots
        </Button>
      ) : null}
      <ShownPanel
        className="absolute top-[5px] right-1 z-10"
        values={board.display}
        onChange={(part) =>
          session.board.change(
            (b) => ({ ...b, display: { ...b.display, ...part } }),
            `display.${Object.keys(part).join()}`,
          )
        }
      />
    </div>
  );
}
