// How thin the gap between voice and what lies under it is. Pure.

export const CALM = 0;
export const THIN = 1;
export const THINNER = 2;
export const CROSSED = 3;

/** Class of one local ratio in LU against the limits of the spec. */
export function thinness(ratio, limits) {
  if (Number.isNaN(ratio) || limits.clearance_lu === null) return CALM;
  const rounded = Math.round(ratio * 10) / 10;
  if (rounded < 0) return CROSSED;
  if (limits.clearance_must_lu !== null && rounded < limits.clearance_must_lu) return THINNER;
  return rounded < limits.clearance_lu ? THIN : CALM;
}

/** Runs [first, last, class] of blocks where `speech` is set, split where the class changes. */
export function gapRuns(ratios, speech, limits, first, last) {
  const runs = [];
  for (let i = first; i < last; i += 1) {
    if (!speech[i]) continue;
    const kind = thinness(ratios[i], limits);
    const open = runs[runs.length - 1];
    if (open && open[1] === i && open[2] === kind) open[1] = i + 1;
    else runs.push([i, i + 1, kind]);
  }
  return runs;
}

/** Gain in dB at a time of level points [[seconds, dB], …], linear between them. */
export function gainAt(points, time) {
  if (time <= points[0][0]) return points[0][1];
  for (let i = 1; i < points.length; i += 1) {
    const [t0, g0] = points[i - 1];
    const [t1, g1] = points[i];
    if (time <= t1) return t1 === t0 ? g1 : g0 + ((g1 - g0) * (time - t0)) / (t1 - t0);
  }
  return points[points.length - 1][1];
}
