// Draws the whole programme as a strip: voice above, what lies under it below one line, ticks for findings, the window.
import { columns } from "./detail.js";
import { fit, hatch } from "./ink.js";

const TICKS = 22;

/** Draw the strip. `state` has curves, marks, parts, duration; `colours` is a palette. */
export function drawStrip(canvas, scale, state, colours) {
  const { pen, width, height } = fit(canvas);
  const middle = TICKS + (height - TICKS) / 2;
  const whole = { ...scale, width: Math.floor(scale.width) };
  pen.fillStyle = colours.raised;
  pen.fillRect(0, TICKS, width, height - TICKS);
  if (state.series) {
    bars(pen, columns(state.voice, state.series.hop, whole).high, middle, -1, (height - TICKS) / 2 - 2, colours.voice);
    bars(pen, columns(state.under, state.series.hop, whole).high, middle, 1, (height - TICKS) / 2 - 2, colours.music);
  }
  pen.fillStyle = colours.rule;
  pen.fillRect(0, middle, width, 1);
  drawOutside(pen, scale, state, TICKS, height - TICKS, colours);
  state.marks.forEach((mark) => tick(pen, scale, mark, colours));
}

/** Window and playhead, on a canvas of their own over the strip. */
export function drawStripHead(canvas, scale, state, colours) {
  const { pen, height } = fit(canvas);
  pen.strokeStyle = colours.ink;
  pen.lineWidth = 1.5;
  pen.strokeRect(
    scale.x(state.view.from) + 0.75,
    TICKS - 1,
    Math.max(4, scale.x(state.view.to) - scale.x(state.view.from) - 1.5),
    height - TICKS,
  );
  pen.fillStyle = colours.ink;
  pen.fillRect(scale.x(state.time), TICKS - 2, 1, height);
}

/** What is no programme: paper laid over it, ruled, with its reason where there is room. */
export function drawOutside(pen, scale, state, top, height, colours) {
  const edges = [0, ...state.parts.flat(), state.duration];
  for (let k = 0; k < edges.length; k += 2) {
    const [left, right] = [scale.x(edges[k]), scale.x(edges[k + 1])];
    if (right - left < 0.5 || right < 0 || left > scale.width) continue;
    pen.save();
    pen.beginPath();
    pen.rect(left, top, right - left, height);
    pen.clip();
    pen.globalAlpha = 0.82;
    pen.fillStyle = colours.paper;
    pen.fillRect(left, top, right - left, height);
    pen.globalAlpha = 1;
    hatch(
      pen,
      Math.max(left, -height),
      Math.min(right, scale.width + height),
      top,
      top + height,
      9,
      colours.rule,
      false,
    );
    reasons(
      pen,
      scale,
      state.range.out.filter(([from, to]) => from < edges[k + 1] && to > edges[k]),
      top,
      height,
      colours,
    );
    pen.restore();
  }
}

/** Each reason in its place, a line between two. */
function reasons(pen, scale, outs, top, height, colours) {
  pen.font = "12px 'Source Sans 3', sans-serif";
  pen.textAlign = "left";
  pen.textBaseline = "middle";
  outs.forEach(([from, to, why], k) => {
    const [left, right] = [Math.max(scale.x(from), 0), Math.min(scale.x(to), scale.width)];
    if (k) {
      pen.fillStyle = colours.edge;
      pen.fillRect(left, top, 1, height);
    }
    pen.fillStyle = colours.soft;
    if (right - left > pen.measureText(why).width + 10) pen.fillText(why, left + 5, top + height / 2);
  });
}

function bars(pen, levels, middle, way, room, colour) {
  pen.fillStyle = colour;
  pen.globalAlpha = 0.75;
  for (let x = 0; x < levels.length; x += 2) {
    const level = levels[x];
    if (Number.isNaN(level) || level < -60) continue;
    const size = Math.min(room, ((level + 60) / 48) * room);
    pen.fillRect(x, way < 0 ? middle - size : middle + 1, 1.4, size);
  }
  pen.globalAlpha = 1;
}

function tick(pen, scale, mark, colours) {
  const tall = mark.severity === "must" ? 12 : 7;
  pen.fillStyle = mark.state === "open" ? colours.fault : colours.edge;
  pen.fillRect(scale.x(mark.in) - 1, TICKS - tall, 2, tall);
}
