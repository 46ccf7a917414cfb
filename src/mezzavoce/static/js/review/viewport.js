// Which stretch of the programme is in view.
import { windowAround, zoomed } from "../timeline/scale.js";

const SPAN_S = 20;
const MOST_S = 60;
const AHEAD = 0.4;
const EDGE_SHARE = 1 / 8;

/** Around a mark, or from where the programme begins. */
export function windowOf(mark, duration, begin = 0) {
  if (!mark) return windowAround(begin + SPAN_S * AHEAD, SPAN_S, duration);
  return windowAround(
    (mark.in + mark.out) / 2,
    Math.max(SPAN_S, Math.min(MOST_S, (mark.out - mark.in) * 1.5)),
    duration,
  );
}

/** The window that follows a time which may have run out of it. */
export function windowAt(time, view, duration) {
  const length = view.to - view.from;
  return time < view.from || time > view.to ? windowAround(time + length * AHEAD, length, duration) : view;
}

/** The same for a time of which both sides are to be seen, as far as there are two. */
export function windowKeeping(time, view, duration) {
  const length = view.to - view.from;
  const room = length * EDGE_SHARE;
  return time < view.from + room || time > view.to - room ? windowAround(time, length, duration) : view;
}

/** A window more or less wide, about the time if that is in view. */
export function windowZoomed(factor, time, view, duration) {
  return zoomed(view, factor, time >= view.from && time <= view.to ? time : (view.from + view.to) / 2, duration);
}
