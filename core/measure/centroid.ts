/**
 * Centroid under a Gaussian window of the star's own width, iterated until it moves by less than 1e-4 px; the window is
 * what keeps noise and neighbours out. `picture` less `coarse` (its smooth part) is what is looked at; x0, y0 are whole pixels. Where
 * there is no light, or it leads away by more than 0.6 FWHM, the last place that was good is returned. Source: Bertin & Arnouts 1996 (windowed positions).
 */
export function centroid(
  picture: Float32Array,
  coarse: Float32Array,
  width: number,
  height: number,
  x0: number,
  y0: number,
  fwhm: number,
): { x: number; y: number } {
  const sigma2 = (fwhm / 2.3548) ** 2;
  const reach = Math.ceil(1.5 * fwhm);
  const [left, right] = [Math.max(0, x0 - reach), Math.min(width - 1, x0 + reach)];
  const [top, bottom] = [Math.max(0, y0 - reach), Math.min(height - 1, y0 + reach)];
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
      for (let sx = left, i = sy * width + left; sx <= right; sx++, i++) {
        const w = across[sx - left] * (picture[i] - coarse[i]);
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
