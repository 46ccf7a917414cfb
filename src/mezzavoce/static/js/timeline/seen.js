// What of the curves a scale shows: the values themselves where there is room, else the extremes for each pixel. Pure.
import { columns, visible } from "./detail.js";

// With more values than this on a pixel its extremes are drawn.
const ROOM = 1.5;

/**
 * Curves in view: {first, last, x(i), time(i), fine, of(curve) → {low, high}}; indices are blocks where it is `fine`,
 * else pixels.
 */
export function seen(series, scale) {
  const { hop, count } = series;
  if (1 / (hop * scale.perSecond) <= ROOM) {
    const [first, last] = visible(count, hop, scale);
    const time = (i) => (i + 0.5) * hop;
    return {
      first,
      last,
      fine: true,
      step: hop * scale.perSecond,
      time,
      x: (i) => scale.x(time(i)),
      of: (curve) => ({ low: curve, high: curve }),
    };
  }
  const width = Math.floor(scale.width);
  const pixels = { ...scale, width };
  return {
    first: 0,
    last: width,
    fine: false,
    step: 1,
    time: (i) => scale.time(i + 0.5),
    x: (i) => i + 0.5,
    of: (curve) => columns(curve, hop, pixels),
  };
}
