// Where the names of lines stand: beside their own line, on no other line and on no other name. Pure.
// A line is {top, bottom}: its upper and lower edge in pixels for each pixel of the width, NaN where nothing is drawn.

const HALF_HEIGHT = 7;
const CLEAR = 4;
const STEP = 8;
// What a name does to avoid a clash, in pixels of distance from where it would best stand.
const ON_LINE = 30;
const ON_NAME = 4000;
const AWAY_FROM_ITS_LINE = 2;

/** The line of a curve: `columns` holds its lowest and highest value for each pixel, `y` turns a value into pixels. */
export function traced(columns, y) {
  return { top: columns.high.map(y), bottom: columns.low.map(y) };
}

/**
 * Lines from corner to corner, [[[x, y], …], …], each in order of x, as one: the upper and the lower edge of all of
 * them.
 */
export function tracedCorners(lines, width) {
  const top = new Float32Array(width).fill(NaN);
  const bottom = new Float32Array(width).fill(NaN);
  lines.forEach((corners) => {
    for (let k = 1; k < corners.length; k += 1) {
      const [[x0, y0], [x1, y1]] = [corners[k - 1], corners[k]];
      for (let x = Math.max(0, Math.ceil(x0)); x < Math.min(width, x1); x += 1) {
        const y = y0 + ((y1 - y0) * (x - x0)) / (x1 - x0);
        if (!(top[x] <= y)) top[x] = y;
        if (!(bottom[x] >= y)) bottom[x] = y;
      }
    }
  });
  return { top, bottom };
}

/** The area between two lines where both are. */
export function between(one, other) {
  return {
    top: one.top.map((y, x) => Math.min(y, other.top[x])),
    bottom: one.bottom.map((y, x) => Math.max(y, other.bottom[x])),
  };
}

/** The pixel at which a line is highest. */
export function highest(line, from, to) {
  let best = Math.round((from + to) / 2);
  for (let x = Math.max(0, Math.floor(from)); x < Math.min(line.top.length, to); x += 1) {
    if (line.top[x] < line.top[best] || Number.isNaN(line.top[best])) best = x;
  }
  return best;
}

/**
 * Places for names [{width, line, near, side}] one after another: `near` is the pixel they belong to, `side` -1 for
 * over their line
 * and 1 for under it where both are as good. Returns [{x, y}] of their middles, null where there is no place beside the
 * line.
 */
export function placed(names, others, bounds) {
  const lines = [...names.map(({ line }) => line), ...others];
  const boxes = [];
  return names.map((name) => {
    const best = bestPlace(name, lines, bounds, boxes);
    if (best) boxes.push(boxOf(best, name.width));
    return best && { x: best.x, y: best.y };
  });
}

function bestPlace(name, lines, bounds, boxes) {
  let best = null;
  const half = name.width / 2;
  const consider = (x, side) => {
    const place = beside(name.line, x, half, side);
    if (!place || place.y < bounds.top + HALF_HEIGHT || place.y > bounds.bottom - HALF_HEIGHT) return;
    const way = Math.abs(x - name.near) + (side === name.side ? 0 : STEP) + AWAY_FROM_ITS_LINE * place.away;
    // Most places are too far to be worth a look at what lies there.
    if (best && way >= best.cost) return;
    const cost = way + clashes(boxOf(place, name.width), lines, boxes);
    if (!best || cost < best.cost) best = { ...place, cost };
  };
  for (let x = bounds.left + half; x <= bounds.right - half; x += STEP)
    [name.side, -name.side].forEach((side) => consider(x, side));
  return best;
}

/** The nearest place over or under a line that is clear of it, and how far that is from the line at its middle. */
function beside(line, x, half, side) {
  const edge = side < 0 ? line.top : line.bottom;
  const middle = edge[Math.round(x)];
  if (Number.isNaN(middle) || middle === undefined) return null;
  let reach = middle;
  for (let at = Math.floor(x - half); at <= x + half; at += 1) {
    if (side * (edge[at] - reach) > 0) reach = edge[at];
  }
  return { x, y: reach + side * (HALF_HEIGHT + CLEAR), away: Math.abs(reach - middle) };
}

function boxOf(place, width) {
  return {
    left: place.x - width / 2,
    right: place.x + width / 2,
    top: place.y - HALF_HEIGHT,
    bottom: place.y + HALF_HEIGHT,
  };
}

function clashes(own, lines, boxes) {
  let cost = 0;
  boxes.forEach((other) => {
    if (
      own.left < other.right + CLEAR &&
      other.left < own.right + CLEAR &&
      own.top < other.bottom &&
      other.top < own.bottom
    )
      cost += ON_NAME;
  });
  lines.forEach((line) => {
    for (let at = Math.max(0, Math.floor(own.left)); at <= own.right; at += 1) {
      if (line.top[at] <= own.bottom && line.bottom[at] >= own.top) cost += ON_LINE;
    }
  });
  return cost;
}
