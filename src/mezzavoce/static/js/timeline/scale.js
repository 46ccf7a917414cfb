// The only mapping between time and pixels. Pure: no page, no canvas.

/** A window of time laid over a width. */
export function makeScale(from, to, width) {
  const perSecond = width / (to - from);
  return {
    from,
    to,
    width,
    perSecond,
    x: (time) => (time - from) * perSecond,
    time: (x) => from + x / perSecond,
  };
}

/** A window of a length around a time, kept inside 0 to duration. */
export function windowAround(time, length, duration) {
  const span = Math.min(length, duration);
  const from = Math.min(Math.max(0, time - span / 2), duration - span);
  return { from, to: from + span };
}

/** The window after zooming by a factor about a time that keeps its place. */
export function zoomed(view, factor, about, duration, least = 2) {
  const span = Math.min(duration, Math.max(least, (view.to - view.from) * factor));
  const share = (about - view.from) / (view.to - view.from);
  const from = Math.min(Math.max(0, about - share * span), duration - span);
  return { from, to: from + span };
}

/** Distance of ruler lines in seconds, so that at most one stands on every `room` pixels. */
export function rulerStep(perSecond, room = 110) {
  const steps = [0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800, 3600];
  return steps.find((step) => step * perSecond >= room) || steps[steps.length - 1];
}
