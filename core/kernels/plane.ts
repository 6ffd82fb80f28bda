/** Throws RangeError unless the plane holds `width * height` samples. */
export function checkPlane(plane: Float32Array, width: number, height: number): void {
  if (width < 1 || height < 1 || plane.length !== width * height)
    throw new RangeError(`a plane must hold ${width}×${height} samples, received ${plane.length}`);
}
