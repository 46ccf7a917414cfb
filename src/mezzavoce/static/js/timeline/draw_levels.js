// Draws the picture of the page: voice and what lies under it on one ladder, and the gap between them.
import { visible } from "./detail.js";
import { CALM, CROSSED, THINNER, gainAt, gapRuns } from "./gap.js";
import { hatch } from "./ink.js";
import { LADDER, levelY } from "./lanes.js";

/** Ladder lines with their figures. */
export function drawLadder(pen, lane, left, width, colours) {
  pen.font = "12px 'JetBrains Mono', monospace";
  pen.textAlign = "right";
  pen.textBaseline = "middle";
  for (let level = -10; level > LADDER.bottom; level -= LADDER.step) {
    const y = Math.round(levelY(lane, level)) + 0.5;
    pen.fillStyle = colours.hair;
    pen.fillRect(left, y - 0.5, width - left, 1);
    pen.fillStyle = colours.soft;
    pen.fillText(String(level), left - 6, y);
  }
}

/** Gap, lines and proposal inside the clipped lane. */
export function drawLevels(pen, lane, scale, state, colours) {
  const { series, voice, under, music, effects, active } = state;
  const [first, last] = visible(series.count, series.hop, scale);
  const x = (i) => scale.x((i + 0.5) * series.hop);
  const runs = gapRuns(series.curves.local_ratio_lu, active, state.limits, first, last);
  runs.forEach((run) => drawGap(pen, lane, run, x, voice, under, colours));
  if (effects) line(pen, lane, effects, first, last, x, { colour: colours.effects, width: 1.5, dash: [6, 4], below: LADDER.bottom + 1 });
  line(pen, lane, music, first, last, x, { colour: colours.music, width: 1.8, below: LADDER.bottom });
  drawDucks(pen, lane, makeFileX(scale, series), state.ducks, colours);
  line(pen, lane, voice, first, last, x, { colour: colours.voice, width: 3.2, below: LADDER.bottom });
  if (state.proposal) drawProposal(pen, lane, scale, state, first, last, x, colours);
}

/** Pixel column of a time of the file; the curves may begin a little before its first sample. */
function makeFileX(scale, series) {
  return (time) => scale.x(time - series.start);
}

/** What was done to the music: a thin line from its level in the clear to its bed and back, a ring at each of the four times. */
function drawDucks(pen, lane, x, ducks, colours) {
  pen.strokeStyle = colours["music-text"];
  pen.fillStyle = colours.paper;
  pen.lineWidth = 1.2;
  (ducks || []).forEach(([fallStart, fallEnd, returnStart, returnEnd, open, bed]) => {
    if (open === null || bed === null) return;
    const corners = [[fallStart, open], [fallEnd, bed], [returnStart, bed], [returnEnd, open]].filter(([time]) => time !== null);
    pen.beginPath();
    corners.forEach(([time, level]) => pen.lineTo(x(time), levelY(lane, level)));
    pen.stroke();
    corners.forEach(([time, level]) => {
      pen.beginPath();
      pen.arc(x(time), levelY(lane, level), 3, 0, 2 * Math.PI);
      pen.fill();
      pen.stroke();
    });
  });
}

function drawGap(pen, lane, [from, to, kind], x, voice, under, colours) {
  pen.save();
  pen.beginPath();
  let top = Infinity;
  let bottom = -Infinity;
  const edge = Math.max(1, x(1) - x(0)) / 2;
  const corners = [];
  for (let i = from; i < to; i += 1) corners.push([x(i), levelY(lane, voice[i])]);
  for (let i = to - 1; i >= from; i -= 1) corners.push([x(i), levelY(lane, under[i])]);
  if (!corners.every(([, y]) => Number.isFinite(y))) {
    pen.restore();
    return;
  }
  corners.forEach(([cx, y], index) => {
    const way = index === 0 || index === corners.length - 1 ? -edge : index === (to - from) - 1 || index === to - from ? edge : 0;
    pen.lineTo(cx + way, y);
    top = Math.min(top, y);
    bottom = Math.max(bottom, y);
  });
  pen.closePath();
  if (kind === CALM) {
    pen.fillStyle = colours.calm;
    pen.fill();
  } else {
    pen.clip();
    hatch(pen, x(from) - edge, x(to) + edge, top, bottom + 1, kind >= THINNER ? 4.5 : 7, colours.fault, kind === CROSSED);
  }
  pen.restore();
}

function line(pen, lane, curve, first, last, x, { colour, width, dash = [], below }) {
  pen.strokeStyle = colour;
  pen.lineWidth = width;
  pen.lineJoin = "round";
  pen.lineCap = dash.length ? "butt" : "round";
  pen.setLineDash(dash);
  pen.beginPath();
  let drawing = false;
  for (let i = first; i < last; i += 1) {
    if (Number.isNaN(curve[i]) || curve[i] < below) {
      drawing = false;
      continue;
    }
    if (drawing) pen.lineTo(x(i), levelY(lane, curve[i]));
    else pen.moveTo(x(i), levelY(lane, curve[i]));
    drawing = true;
  }
  pen.stroke();
  pen.setLineDash([]);
}

/** The curve of what is proposed between two indices, NaN elsewhere; null where there is none. */
export function proposed(state, first, last) {
  const { role, points } = state.proposal;
  const curve = curveOf(state, role);
  if (!curve || points.length < 2) return null;
  const [from, to] = [points[0][0], points[points.length - 1][0]];
  const lifted = new Float32Array(curve.length).fill(NaN);
  for (let i = first; i < last; i += 1) {
    const time = (i + 0.5) * state.series.hop;
    if (time >= from && time <= to) lifted[i] = curve[i] + gainAt(points, time);
  }
  return lifted;
}

function curveOf(state, role) {
  return { music: state.music, effects: state.effects, dialogue: state.voice, background: state.under }[role];
}

function drawProposal(pen, lane, scale, state, first, last, x, colours) {
  const lifted = proposed(state, first, last);
  if (!lifted) return;
  line(pen, lane, lifted, first, last, x, { colour: colours.pencil, width: 1.7, dash: [1.5, 3.5], below: LADDER.bottom });
  const curve = curveOf(state, state.proposal.role);
  pen.strokeStyle = colours.pencil;
  pen.lineWidth = 1.6;
  state.proposal.points.forEach(([time, gain]) => {
    const level = curve[Math.min(curve.length - 1, Math.max(0, Math.floor(time / state.series.hop)))];
    if (!(level + gain >= LADDER.bottom)) return;
    const cx = scale.x(time);
    const cy = levelY(lane, level + gain);
    pen.beginPath();
    pen.moveTo(cx - 4, cy - 4);
    pen.lineTo(cx + 4, cy + 4);
    pen.moveTo(cx - 4, cy + 4);
    pen.lineTo(cx + 4, cy - 4);
    pen.stroke();
  });
}
