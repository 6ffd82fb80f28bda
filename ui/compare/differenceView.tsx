"use client";

import { useMemo } from "react";
import { isStretched } from "@/core/chain";
import { robustSpread } from "@/core/raster";
import { fixed, levelUnit } from "../kit/format";
import { PlacedCrop } from "../viewer/placedCrop";
import { differenceOf } from "./difference";
import type { LaneCrop, LaneView } from "./useLaneCrop";
import { lightSigma } from "./useLaneCrop";

/** The second lane less the first in grey about its middle, with a bar that shows how much black and white are. */
export function DifferenceView({
  a,
  b,
  first,
  second,
  gain,
}: {
  a: LaneView;
  b: LaneView;
  first: LaneCrop;
  second: LaneCrop;
  gain: number;
}) {
  const { stack } = a;
  const { unit, scale, digits } = levelUnit(stack.facts.unit);
  const [p, q] = [first.shown, second.shown];
  const found = useMemo(
    () => (p && q ? differenceOf(p, first.seen, q, second.seen) : null),
    [p, q, first.seen, second.seen],
  );
  const isMixed =
    isStretched(a.treatment?.steps ?? []) !== isStretched(b.treatment?.steps ?? []) && !!a.treatment && !!b.treatment;
  const sigma = useMemo(() => {
    if (!found) return NaN;
    const { planes } = found.raster;
    return robustSpread(planes[0].map((_, i) => planes.reduce((sum, plane) => sum + plane[i], 0) / planes.length))
      .sigma;
  }, [found]);
  // At gain 1 black and white are eight times the noise of the stack (of the difference, without halves).
  const noise = lightSigma(stack.facts) ?? sigma;
  const reach = (8 * noise) / gain;
  const grey = useMemo(
    () =>
      found && {
        ...found,
        raster: {
          ...found.raster,
          planes: found.raster.planes.map((plane) => plane.map((v) => 0.5 + v / (2 * reach))),
        },
      },
    [found, reach],
  );
  if (isMixed)
    return (
      <p className="p-3 text-warn">
        One of the two lanes is stretched and the other is not: no difference tells anything.
      </p>
    );
  if (p && q && !found)
    return (
      <p className="p-3 text-warn">
        The two stacks lie on grids of different scale: take the same zoom of two stacks of one scale.
      </p>
    );
  return (
    <>
      <PlacedCrop
        shown={grey}
        curves={null}
        left={first.seen.left}
        top={first.seen.top}
        scale={first.seen.scale}
        pending={false}
      />
      <div
        data-testid="difference-bar"
        className="figures absolute bottom-2 left-2 rounded bg-page/80 px-2 py-1 text-xs"
      >
        <div className="h-2 w-48 bg-gradient-to-r from-black to-white" />
        <div className="flex justify-between">
          <span>−{fixed(reach * scale, digits)}</span>
          <span>0</span>
          <span>
            +{fixed(reach * scale, digits)} {unit}
          </span>
        </div>
        <div className="text-quiet">
          {b.lane.letter} − {a.lane.letter}: σ {fixed(sigma * scale, digits)} {unit}
        </div>
      </div>
    </>
  );
}
