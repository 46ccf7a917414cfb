// Draws the zoomed part: ruler, bracket of the chosen finding, levels, speech, loudness, playhead.
import { within } from "./detail.js";
import { drawLadder, drawLevels } from "./draw_levels.js";
import { drawNames } from "./draw_names.js";
import { drawChannelNames, drawPeaks } from "./draw_peaks.js";
import { drawOutside } from "./draw_strip.js";
import { fit, label } from "./ink.js";
import { MARGIN, layLanes, levelY } from "./lanes.js";
import { makeScale, rulerStep } from "./scale.js";
import { seen } from "./seen.js";

const SMALL_LADDER = { top: -10, bottom: -45 };

/** Draw all lanes; returns the scale used, for hit tests. */
export function drawLanes(canvas, state, colours) {
  const { pen, width, height } = fit(canvas);
  const lanes = layLanes(height);
  const scale = makeScale(state.view.from, state.view.to, width - MARGIN);
  drawRuler(pen, lanes.ruler, scale, state.clock, colours);
  drawLadder(pen, lanes.levels, state.ladder, MARGIN, width, colours);
  pen.save();
  pen.translate(MARGIN, 0);
  pen.beginPath();
  pen.rect(0, 0, width - MARGIN, height);
  pen.clip();
  if (state.series) {
    // The curves' first block may begin a little before or after the file's first sample.
    const { start } = state.series;
    const curves = makeScale(state.view.from - start, state.view.to - start, width - MARGIN);
    if (state.hasLevels) {
      drawLevels(pen, lanes.levels, curves, state, colours);
      drawNames(pen, lanes.levels, curves, state, colours);
      drawSpeech(pen, lanes.speech, scale, state, colours);
    } else drawLoudness(pen, lanes.levels, state.ladder, curves, state, colours);
    if (state.lower === "peaks") {
      if (state.peaks) drawPeaks(pen, lanes.loudness, scale, state.peaks, state.limits.true_peak_max_dbtp, colours);
    } else drawLoudness(pen, lanes.loudness, SMALL_LADDER, curves, state, colours);
  }
  drawOutside(pen, scale, state, lanes.levels.top, height - lanes.levels.top, colours);
  if (state.chosen) bracket(pen, lanes.levels, scale, state.chosen, colours);
  if (state.span) drawSpan(pen, lanes, scale, state.span, colours);
  pen.restore();
  drawHeads(pen, lanes, state, colours);
  return scale;
}

function drawRuler(pen, lane, scale, clock, colours) {
  const step = rulerStep(scale.perSecond);
  pen.fillStyle = colours.ink;
  pen.fillRect(MARGIN, lane.top, scale.width, 1);
  pen.font = "12px 'JetBrains Mono', monospace";
  pen.textAlign = "left";
  pen.textBaseline = "top";
  for (let about = Math.ceil(scale.from / step) * step; about <= scale.to; about += step) {
    const time = step >= 1 ? clock.secondAt(about + 0.5) : about;
    if (time < scale.from) continue;
    const x = MARGIN + scale.x(time);
    pen.fillStyle = colours.ink;
    pen.fillRect(x, lane.top, 1, 8);
    pen.fillStyle = colours.soft;
    if (x + 84 < MARGIN + scale.width) pen.fillText(clock.timecode(time), x + 4, lane.top + 4);
  }
}

function drawHeads(pen, lanes, state, colours) {
  pen.font = "12px 'Source Sans 3', sans-serif";
  pen.fillStyle = colours.soft;
  pen.textAlign = "right";
  pen.textBaseline = "middle";
  pen.fillText("LUFS", MARGIN - 6, lanes.ruler.top + 12);
  if (state.hasLevels) pen.fillText("speech", MARGIN - 4, lanes.speech.top + lanes.speech.height / 2);
  pen.textAlign = "left";
  const target = given(state.limits.integrated_lufs, "target", "LUFS");
  const loudness = `loudness: short-term (heavy), momentary (fine)${target}`;
  const peaks = `true peak of each channel, dBTP${given(state.limits.true_peak_max_dbtp, "ceiling", "dBTP")}`;
  if (!state.hasLevels) pen.fillText(loudness, MARGIN, lanes.speech.top + 6);
  pen.fillText(state.lower === "peaks" ? peaks : loudness, MARGIN, lanes.loudness.top - 8);
  if (state.lower === "peaks" && state.peaks) drawChannelNames(pen, lanes.loudness, MARGIN - 6, state.peaks);
}

function given(limit, word, unit) {
  return limit === null || limit === undefined ? "" : `, ${word} ${limit} ${unit}`;
}

function drawSpeech(pen, lane, scale, state, colours) {
  pen.fillStyle = colours.voice;
  pen.globalAlpha = 0.85;
  within(state.speech, (region) => region, scale.from, scale.to).forEach(([from, to]) => {
    pen.fillRect(scale.x(from), lane.top + 8, Math.max(1, scale.x(to) - scale.x(from)), 9);
  });
  pen.globalAlpha = 1;
}

/** A stretch under the hand, in graphite: dotted edges over the lanes it is about, a band between them. */
function drawSpan(pen, lanes, scale, span, colours) {
  const top = span.what === "speech" ? lanes.speech.top : lanes.levels.top;
  const bottom = lanes.speech.top + lanes.speech.height;
  const [from, to] = [scale.x(span.from), scale.x(span.to)];
  pen.fillStyle = colours.pencil;
  pen.globalAlpha = 0.14;
  pen.fillRect(from, top, Math.max(1, to - from), bottom - top);
  pen.globalAlpha = 1;
  pen.strokeStyle = colours.pencil;
  pen.lineWidth = 2;
  pen.setLineDash([2, 3]);
  [from, to].forEach((x) => {
    pen.beginPath();
    pen.moveTo(x, lanes.levels.top);
    pen.lineTo(x, bottom);
    pen.stroke();
  });
  pen.setLineDash([]);
  [from, to].forEach((x) => pen.fillRect(x - 3, bottom - 18, 6, 18));
}

function drawLoudness(pen, lane, ladder, scale, state, colours) {
  const target = state.limits.integrated_lufs;
  if (target !== null && target !== undefined) {
    pen.fillStyle = colours.ink;
    pen.fillRect(0, Math.round(levelY(lane, target, ladder)), scale.width, 1);
  }
  const view = seen(state.series, scale);
  const late = view.fine ? view.step / 2 : 0;
  [
    ["momentary_lufs", 0.8, colours.soft],
    ["short_term_lufs", 2, colours.ink],
  ].forEach(([name, width, colour]) => {
    const { low, high } = view.of(state.series.curves[name]);
    pen.strokeStyle = colour;
    pen.lineWidth = width;
    pen.beginPath();
    for (let i = view.first; i < view.last; i += 1) {
      // A window of loudness belongs to its end.
      if (!Number.isNaN(high[i])) pen.lineTo(view.x(i) + late, levelY(lane, high[i], ladder));
      if (low[i] < high[i]) pen.lineTo(view.x(i) + late, levelY(lane, low[i], ladder));
    }
    pen.stroke();
  });
}

function bracket(pen, lane, scale, mark, colours) {
  const y = lane.top + 6;
  pen.strokeStyle = mark.state === "open" ? colours.fault : colours.edge;
  pen.lineWidth = 1.6;
  pen.beginPath();
  pen.moveTo(scale.x(mark.in), y + 6);
  pen.lineTo(scale.x(mark.in), y);
  pen.lineTo(scale.x(mark.out), y);
  pen.lineTo(scale.x(mark.out), y + 6);
  pen.stroke();
  const x = Math.min(Math.max(scale.x(mark.in) + 14, 12), scale.width - 12);
  pen.fillStyle = mark.state === "open" ? colours.fault : colours.edge;
  pen.fillRect(x - 12, y - 7, 24, 15);
  label(pen, mark.label, x, y + 1, colours.paper);
}

/** The playhead alone, on a canvas of its own over the lanes: while it moves nothing else is drawn. */
export function drawPlayhead(canvas, scale, time, colours) {
  const { pen, height } = fit(canvas);
  if (!scale || time < scale.from || time > scale.to) return;
  const lanes = layLanes(height);
  const x = MARGIN + scale.x(time);
  pen.fillStyle = colours.ink;
  pen.fillRect(x - 0.75, lanes.ruler.top, 1.5, height - lanes.ruler.top - 4);
  pen.beginPath();
  pen.moveTo(x - 5, lanes.ruler.top);
  pen.lineTo(x + 5, lanes.ruler.top);
  pen.lineTo(x, lanes.ruler.top + 7);
  pen.fill();
}
