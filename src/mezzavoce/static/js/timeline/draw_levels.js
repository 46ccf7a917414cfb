// Draws the picture of the page: voice and what lies under it on one ladder, and the gap between them.
import { within } from "./detail.js";
import { CALM, CROSSED, THIN, THINNER, gainAt, gapRuns } from "./gap.js";
import { hatch } from "./ink.js";
import { levelY } from "./lanes.js";
import { seen } from "./seen.js";

// A duck narrower than this has no rings at its four times, pixels.
const RINGED = 26;

/** Ladder lines with their figures. */
export function drawLadder(pen, lane, ladder, left, width, colours) {
  pen.font = "12px 'JetBrains Mono', monospace";
  pen.textAlign = "right";
  pen.textBaseline = "middle";
  for (let level = -10; level > ladder.bottom; level -= ladder.step) {
    const y = Math.round(levelY(lane, level, ladder)) + 0.5;
    pen.fillStyle = colours.hair;
    pen.fillRect(left, y - 0.5, width - left, 1);
    pen.fillStyle = colours.soft;
    pen.fillText(String(level), left - 6, y);
  }
}

/** Gap, lines and proposal inside the clipped lane. */
export function drawLevels(pen, lane, scale, state, colours) {
  const { voice, music, effects, ladder } = state;
  const view = seen(state.series, scale);
  const y = (level) => levelY(lane, level, ladder);
  drawGaps(pen, lane, view, y, state, colours);
  if (state.doubt) drawDoubt(pen, view, y, state.doubt, ladder, colours);
  if (effects)
    line(pen, view, view.of(effects), y, {
      colour: colours.effects,
      width: 1.5,
      dash: [6, 4],
      below: ladder.bottom + 1,
    });
  line(pen, view, view.of(music), y, { colour: colours.music, width: 1.8, below: ladder.bottom });
  drawDucks(pen, y, scale, state, colours);
  line(pen, view, view.of(voice), y, { colour: colours.voice, width: 3.2, below: ladder.bottom });
  if (state.proposal) drawProposal(pen, view, y, scale, state, colours);
}

/** A pale band around what lies under the voice: an estimate lies in it nine times in ten. */
function drawDoubt(pen, view, y, doubt, ladder, colours) {
  const low = view.of(doubt.low).low;
  const high = view.of(doubt.high).high;
  pen.fillStyle = colours.music;
  pen.globalAlpha = 0.2;
  for (let i = view.first; i < view.last; i += 1) {
    if (Number.isNaN(low[i]) || Number.isNaN(high[i])) continue;
    const top = y(high[i]);
    pen.fillRect(view.x(i) - view.step / 2, top, view.step, y(Math.max(low[i], ladder.bottom)) - top);
  }
  pen.globalAlpha = 1;
}

/** From where to where a duck is seen, as far as its four times are known. */
function spanOf(duck) {
  const times = duck.slice(0, 4).filter((time) => time !== null);
  return [Math.min(...times), Math.max(...times)];
}

/** The corners [time, level] of each duck in view: from its level in the clear to its bed and back. */
export function ducksInView(ducks, series, scale) {
  return within(ducks || [], spanOf, scale.from + series.start, scale.to + series.start)
    .filter(([, , , , open, bed]) => open !== null && bed !== null)
    .map(([fallStart, fallEnd, returnStart, returnEnd, open, bed]) =>
      [
        [fallStart, open],
        [fallEnd, bed],
        [returnStart, bed],
        [returnEnd, open],
      ].filter(([time]) => time !== null),
    );
}

/**
 * What was done to the music: a thin line from its level in the clear to its bed and back, a ring at each of the four
 * times.
 */
function drawDucks(pen, y, scale, { ducks, series }, colours) {
  const x = (time) => scale.x(time - series.start);
  const found = ducksInView(ducks, series, scale);
  pen.strokeStyle = colours["music-text"];
  pen.fillStyle = colours.paper;
  pen.lineWidth = 1.2;
  pen.beginPath();
  found.forEach((corners) =>
    corners.forEach(([time, level], k) => (k ? pen.lineTo(x(time), y(level)) : pen.moveTo(x(time), y(level)))),
  );
  pen.stroke();
  pen.beginPath();
  found
    .filter((corners) => corners.length < 2 || x(corners[corners.length - 1][0]) - x(corners[0][0]) >= RINGED)
    .forEach((corners) =>
      corners.forEach(([time, level]) => {
        pen.moveTo(x(time) + 3, y(level));
        pen.arc(x(time), y(level), 3, 0, 2 * Math.PI);
      }),
    );
  pen.fill();
  pen.stroke();
}

/** The space between voice and what lies under it, each kind at once: calm, hatched the harder the thinner, crossed. */
function drawGaps(pen, lane, view, y, state, colours) {
  const [voice, under, spoken, ratios] = [state.voice, state.under, state.spoken, state.ratios].map((curve) =>
    view.of(curve),
  );
  const runs = gapRuns(ratios.low, spoken.high, state.limits, view.first, view.last);
  [CALM, THIN, THINNER, CROSSED].forEach((kind) => {
    const own = runs.filter((run) => run[2] === kind);
    if (!own.length) return;
    pen.save();
    pen.beginPath();
    own.forEach((run) => outline(pen, run, view, voice.low, under.high, y));
    if (kind === CALM) {
      pen.fillStyle = colours.calm;
      pen.fill();
    } else {
      pen.clip();
      const [left, right] = [view.x(own[0][0]) - view.step, view.x(own[own.length - 1][1]) + view.step];
      hatch(
        pen,
        left,
        right,
        lane.top,
        lane.top + lane.height,
        kind >= THINNER ? 4.5 : 7,
        colours.fault,
        kind === CROSSED,
      );
    }
    pen.restore();
  });
}

/** The outline of one run: along the voice, and back along what lies under it. */
function outline(pen, [from, to], view, voice, under, y) {
  for (let i = from; i < to; i += 1) if (Number.isNaN(voice[i]) || Number.isNaN(under[i])) return;
  const edge = Math.max(1, view.step) / 2;
  const place = (i) => view.x(i) + (i === from ? -edge : 0) + (i === to - 1 ? edge : 0);
  pen.moveTo(view.x(from) - edge, y(voice[from]));
  for (let i = from; i < to; i += 1) pen.lineTo(place(i), y(voice[i]));
  for (let i = to - 1; i >= from; i -= 1) pen.lineTo(place(i), y(under[i]));
  if (to - from === 1) pen.lineTo(view.x(from) - edge, y(under[from]));
  pen.closePath();
}

function line(pen, view, { low, high }, y, { colour, width, dash = [], below }) {
  pen.strokeStyle = colour;
  pen.lineWidth = width;
  pen.lineJoin = "round";
  pen.lineCap = dash.length ? "butt" : "round";
  pen.setLineDash(dash);
  pen.beginPath();
  let drawing = false;
  for (let i = view.first; i < view.last; i += 1) {
    if (Number.isNaN(high[i]) || high[i] < below) {
      drawing = false;
      continue;
    }
    if (drawing) pen.lineTo(view.x(i), y(high[i]));
    else pen.moveTo(view.x(i), y(high[i]));
    if (low[i] < high[i]) pen.lineTo(view.x(i), y(Math.max(low[i], below)));
    drawing = true;
  }
  pen.stroke();
  pen.setLineDash([]);
}

/** The curve of what is proposed as far as it is in view, {low, high}, NaN elsewhere; null where there is none. */
export function proposed(state, view) {
  const { role, points } = state.proposal;
  const curve = curveOf(state, role);
  if (!curve || points.length < 2) return null;
  const [from, to] = [points[0][0], points[points.length - 1][0]];
  const { high } = view.of(curve);
  const lifted = {};
  for (let i = view.first; i < view.last; i += 1) {
    const time = view.time(i);
    lifted[i] = time >= from && time <= to ? high[i] + gainAt(points, time) : NaN;
  }
  return { low: lifted, high: lifted };
}

function curveOf(state, role) {
  return { music: state.music, effects: state.effects, dialogue: state.voice, background: state.under }[role];
}

function drawProposal(pen, view, y, scale, state, colours) {
  const lifted = proposed(state, view);
  if (!lifted) return;
  line(pen, view, lifted, y, { colour: colours.pencil, width: 1.7, dash: [1.5, 3.5], below: state.ladder.bottom });
  const curve = curveOf(state, state.proposal.role);
  pen.strokeStyle = colours.pencil;
  pen.lineWidth = 1.6;
  state.proposal.points.forEach(([time, gain]) => {
    const level = curve[Math.min(curve.length - 1, Math.max(0, Math.floor(time / state.series.hop)))];
    if (!(level + gain >= state.ladder.bottom)) return;
    const cx = scale.x(time);
    const cy = y(level + gain);
    pen.beginPath();
    pen.moveTo(cx - 4, cy - 4);
    pen.lineTo(cx + 4, cy + 4);
    pen.moveTo(cx - 4, cy + 4);
    pen.lineTo(cx + 4, cy - 4);
    pen.stroke();
  });
}
