"use client";

/** Size of a small curve under a setting, in px. */
export const [CURVE_WIDTH, CURVE_HEIGHT] = [72, 28];

interface Props {
  label: string;
  title: string;
  /** Places of the curve's points, of the present value, and of the least; px from the upper left. */
  points: readonly (readonly [x: number, y: number])[];
  present: number;
  least: readonly [x: number, y: number] | null;
}

/** A small curve: error over a setting, the present value as a dashed line, the least as a dot. */
export function CurveFigure({ label, title, points, present, least }: Props) {
  return (
    <svg width={CURVE_WIDTH} height={CURVE_HEIGHT} className="shrink-0" role="img" aria-label={label}>
      <title>{title}</title>
      <polyline points={points.join(" ")} fill="none" stroke="#a3a3a3" />
      <line x1={present} x2={present} y1={0} y2={CURVE_HEIGHT} stroke="#e8e8e8" strokeDasharray="2 2" />
      {least ? <circle cx={least[0]} cy={least[1]} r={2.5} fill="#e0a44a" /> : null}
    </svg>
  );
}
