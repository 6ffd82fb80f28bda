/** Part of a picture from `left`, `top` to `right`, `bottom` (both inside), in rows of `pitch`. */
export interface Patch {
  values: Float32Array;
  pitch: number;
  left: number;
  top: number;
  right: number;
  bottom: number;
}

/**
 * Centroid under a Gaussian window of the star's own width, iterated until it moves by less than 1e-4 px; the window is
 * what keeps noise and neighbours out. `patch` is the picture less its smooth part, at least 1.5 FWHM about (x0, y0), a whole pixel of the picture. Where
 * there is no light, or it leads away by more than 0.6 FWHM, the last place that was good is returned. Source: Bertin & Arnouts 1996 (windowed positions).
 */
export function centroid(patch: Patch, x0: number, y0: number, fwhm: number): { x: number; y: number } {
  const sigma2 = (fwhm / 2.3548) ** 2;
  const reach = Math.ceil(1.5 * fwhm);
  const [left, right] = [Math.max(patch.left, x0 - reach), Math.min(patch.right, x0 + reach)];
  const [top, bottom] = [Math.max(patch.top, y0 - reach), Math.min(patch.bottom, y0 + reach)];
  const across = new Float64Array(right - left + 1);
  let x = x0;
  let y = y0;
  for (let round = 0; round < 20; round++) {
    // The window is a product of one along each axis.
    for (let sx = left; sx <= right; sx++) across[sx - left] = Math.exp(-((sx - x) ** 2) / (2 * sigma2));
    let sum = 0;
    let sumX = 0;
    let sumY = 0;
    for (let sy = top; sy <= bottom; sy++) {
      let row = 0;
      let rowX = 0;
      for (let sx = left, i = (sy - patch.top) * patch.pitch + left - patch.left; sx <= right; sx++, i++) {
        const w = across[sx - left] * patch.values[i];
        row += w;
        rowX += w * (sx - x);
      }
      const along = Math.exp(-((sy - y) ** 2) / (2 * sigma2));
      sum += along * row;
      sumX += along * rowX;
      sumY += along * row * (sy - y);
    }
    if (!(sum > 0)) break;
    const stepX = (2 * sumX) / sum;
    const stepY = (2 * sumY) / sum;
    if (Math.hypot(x + stepX - x0, y + stepY - y0) > 0.6 * fwhm) break;
    x += stepX;
    y += stepY;
    if (Math.hypot(stepX, stepY) < 1e-4) break;
  }
  return { x, y };
}
