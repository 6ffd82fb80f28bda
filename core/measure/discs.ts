import { smoothstep } from "../numeric/smoothstep";

/** A disc of a degree (1 where none is given) with a soft edge, `soft` px wide about its radius, into a plane of degrees: where it is more than what is there already. */
export function drawDisc(
  plane: Float32Array,
  width: number,
  height: number,
  { x, y, radius, soft, degree = 1 }: { x: number; y: number; radius: number; soft: number; degree?: number },
): void {
  const far = Math.ceil(radius + soft / 2);
  const [cx, cy] = [Math.round(x), Math.round(y)];
  for (let v = Math.max(0, cy - far); v <= Math.min(height - 1, cy + far); v++)
    for (let u = Math.max(0, cx - far); u <= Math.min(width - 1, cx + far); u++) {
      const inside = degree * (1 - smoothstep(Math.hypot(u - x, v - y), radius - soft / 2, radius + soft / 2));
      const i = v * width + u;
      if (inside > plane[i]) plane[i] = inside;
    }
}
