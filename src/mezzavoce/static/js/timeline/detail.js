// Choosing the level of detail: how much of a curve a width of pixels can show. Pure.

/** Lowest and highest value of a curve for each pixel of a scale: Float32Arrays, NaN where there is nothing. */
export function columns(curve, hop, scale) {
  const low = new Float32Array(scale.width).fill(NaN);
  const high = new Float32Array(scale.width).fill(NaN);
  for (let x = 0; x < scale.width; x += 1) {
    const first = Math.max(0, Math.floor(scale.time(x) / hop));
    const last = Math.min(curve.length, Math.max(first + 1, Math.ceil(scale.time(x + 1) / hop)));
    for (let i = first; i < last; i += 1) {
      const value = curve[i];
      if (Number.isNaN(value)) continue;
      if (!(low[x] <= value)) low[x] = value;
      if (!(high[x] >= value)) high[x] = value;
    }
  }
  return { low, high };
}

/** Index range of a curve that a scale shows, one more at each end. */
export function visible(count, hop, scale) {
  return [Math.max(0, Math.floor(scale.from / hop) - 1), Math.min(count, Math.ceil(scale.to / hop) + 2)];
}
