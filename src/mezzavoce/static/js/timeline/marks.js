// Which marks of the strip have frames, and which finding a click means. Pure.

/** The chosen mark and its neighbours, as many as stand apart by `room` pixels; the rest stay ticks. */
export function framed(marks, chosenIndex, x, room) {
  if (!marks.length) return [];
  const order = marks.map((_, i) => i).sort((a, b) => Math.abs(a - chosenIndex) - Math.abs(b - chosenIndex));
  const kept = [];
  for (const index of order) {
    if (kept.every((other) => Math.abs(x(marks[index].in) - x(marks[other].in)) >= room)) kept.push(index);
  }
  return kept.sort((a, b) => a - b);
}

/** Index of the mark that holds a time, the shortest where several do; -1 for none. */
export function markAt(marks, time, slack) {
  let best = -1;
  marks.forEach((mark, index) => {
    if (time < mark.in - slack || time > mark.out + slack) return;
    if (best < 0 || mark.out - mark.in < marks[best].out - marks[best].in) best = index;
  });
  return best;
}

/** Index of the next open mark after one, around the end; -1 when none is open. */
export function nextOpen(marks, index) {
  for (let step = 1; step <= marks.length; step += 1) {
    const at = (index + step) % marks.length;
    if (marks[at].state === "open") return at;
  }
  return -1;
}
