// Choosing the level of detail: how much of a curve a width of pixels can show, and which of many items are in view.
// Pure.

const STEP = 8;
const pyramids = new WeakMap();
const shown = new WeakMap();
const KEPT = 3;

/** Lowest and highest values of a curve over STEP, STEP², … values each; made once for a curve. */
function pyramid(curve) {
  let levels = pyramids.get(curve);
  if (levels) return levels;
  levels = [];
  for (let low = curve, high = curve; low.length > STEP; ) {
    [low, high] = [gathered(low, Math.min), gathered(high, Math.max)];
    levels.push({ low, high });
  }
  pyramids.set(curve, levels);
  return levels;
}

function gathered(values, pick) {
  const result = new Float32Array(Math.ceil(values.length / STEP)).fill(NaN);
  for (let i = 0; i < values.length; i += 1) {
    const at = Math.floor(i / STEP);
    if (!Number.isNaN(values[i])) result[at] = Number.isNaN(result[at]) ? values[i] : pick(result[at], values[i]);
  }
  return result;
}

/** Lowest and highest value of a curve for each pixel of a scale: Float32Arrays, NaN where there is nothing. */
export function columns(curve, hop, scale) {
  const name = `${scale.time(0)} ${scale.time(scale.width)} ${scale.width} ${hop}`;
  const kept = shown.get(curve) || [];
  const known = kept.find((one) => one.name === name);
  if (known) return known.columns;
  const found = extremes(curve, pyramid(curve), hop, scale);
  shown.set(curve, [{ name, columns: found }, ...kept].slice(0, KEPT));
  return found;
}

function extremes(curve, levels, hop, scale) {
  const low = new Float32Array(scale.width).fill(NaN);
  const high = new Float32Array(scale.width).fill(NaN);
  for (let x = 0; x < scale.width; x += 1) {
    const first = Math.max(0, Math.floor(scale.time(x) / hop));
    const last = Math.min(curve.length, Math.max(first + 1, Math.ceil(scale.time(x + 1) / hop)));
    for (let i = first; i < last; ) {
      // The largest step that begins here and does not reach too far.
      let [size, depth] = [1, -1];
      while (depth + 1 < levels.length && i % (size * STEP) === 0 && i + size * STEP <= last)
        [size, depth] = [size * STEP, depth + 1];
      const [lowest, highest] =
        depth < 0 ? [curve[i], curve[i]] : [levels[depth].low[i / size], levels[depth].high[i / size]];
      if (!(low[x] <= lowest) && !Number.isNaN(lowest)) low[x] = lowest;
      if (!(high[x] >= highest) && !Number.isNaN(highest)) high[x] = highest;
      i += size;
    }
  }
  return { low, high };
}

/** Index range of a curve that a scale shows, one more at each end. */
export function visible(count, hop, scale) {
  return [Math.max(0, Math.floor(scale.from / hop) - 1), Math.min(count, Math.ceil(scale.to / hop) + 2)];
}

const indices = new WeakMap();

/**
 * The items of an array that touch a stretch of time, in order of their beginning; `span(item)` gives [from, to].
 * Looked up by bisection.
 */
export function within(items, span, from, to) {
  let index = indices.get(items);
  if (!index) {
    const sorted = items.map((item) => ({ item, span: span(item) })).sort((a, b) => a.span[0] - b.span[0]);
    let reach = -Infinity;
    // How far any item up to here reaches: what ends before a time lies before a place in the array.
    index = {
      sorted,
      reach: sorted.map((one) => {
        reach = Math.max(reach, one.span[1]);
        return reach;
      }),
    };
    indices.set(items, index);
  }
  const begin = bisect(index.reach.length, (i) => index.reach[i] < from);
  const end = bisect(index.sorted.length, (i) => index.sorted[i].span[0] <= to);
  return index.sorted
    .slice(begin, end)
    .filter((one) => one.span[1] >= from)
    .map((one) => one.item);
}

/** The first of so many places where `before` does not hold. */
function bisect(count, before) {
  let [low, high] = [0, count];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (before(middle)) low = middle + 1;
    else high = middle;
  }
  return low;
}
