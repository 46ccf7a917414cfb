// Writes the names of the lines on the ladder.
import { columns } from "./detail.js";
import { ducksInView, proposed } from "./draw_levels.js";
import { label, labelWidth } from "./ink.js";
import { levelY } from "./lanes.js";
import { between, highest, placed, traced, tracedCorners } from "./names.js";
import { seen } from "./seen.js";

// The bracket of the chosen finding stands above.
const UNDER_BRACKET = 20;
// Where names stand in the view that is shown; they are looked for anew when the view or a line is another one.
let last = { of: [], names: [] };

/** Names of voice, music, effects and of what is proposed, clear of what is drawn. */
export function drawNames(pen, lane, scale, state, colours) {
  const of = [
    scale.from,
    scale.to,
    scale.width,
    lane.height,
    state.voice,
    state.music,
    state.effects,
    state.ducks,
    state.proposal,
    state.ladder,
  ];
  if (of.some((value, k) => value !== last.of[k])) last = { of, names: namesIn(pen, lane, scale, state) };
  last.names.forEach(({ text, colour, place }) => label(pen, text, place.x, place.y, colours[colour]));
}

function namesIn(pen, lane, scale, state) {
  const y = (level) => (level > state.ladder.bottom ? levelY(lane, level, state.ladder) : NaN);
  const width = Math.floor(scale.width);
  const trace = (curve) => traced(columns(curve, state.series.hop, { ...scale, width }), y);
  const names = [
    { text: "voice", curve: state.voice, colour: "voice", side: -1, from: 0.04, to: 0.96 },
    {
      text: state.doubt ? "music and effects" : "music",
      curve: state.music,
      colour: "music-text",
      side: -1,
      from: 0.03,
      to: 0.97,
    },
    { text: "effects", curve: state.effects, colour: "effects", side: 1, from: 0.5, to: 0.95 },
  ]
    .filter(({ curve }) => curve)
    .map((name) => ({ ...name, line: trace(name.curve) }));
  names.forEach((name) => {
    name.near = highest(name.line, name.from * width, name.to * width);
  });
  const proposal = nameOfProposal(scale, state, y, width);
  if (proposal) names.push(proposal);
  const beside = [between(names[0].line, trace(state.under)), ...duckLines(lane, scale, state, width)];
  const wide = names.map((name) => ({ ...name, width: labelWidth(pen, name.text) }));
  const bounds = { left: 4, right: width - 4, top: lane.top + UNDER_BRACKET, bottom: lane.top + lane.height };
  return placed(wide, beside, bounds)
    .map((place, k) => ({ ...wide[k], place }))
    .filter(({ place }) => place);
}

function nameOfProposal(scale, state, y, width) {
  const view = seen(state.series, scale);
  const curve = state.proposal && proposed(state, view);
  if (!curve) return null;
  const { role, points } = state.proposal;
  const line = { top: new Float32Array(width).fill(NaN), bottom: new Float32Array(width).fill(NaN) };
  for (let x = 0; x < width; x += 1) {
    const i = Math.min(
      view.last - 1,
      Math.max(view.first, view.fine ? Math.floor(scale.time(x) / state.series.hop) : x),
    );
    line.top[x] = line.bottom[x] = y(curve.high[i]);
  }
  const voice = role === "dialogue";
  const near = scale.x((points[0][0] + points[points.length - 1][0]) / 2);
  return { text: `${voice ? "voice" : role} as proposed`, colour: "pencil", line, near, side: voice ? -1 : 1 };
}

/** What is drawn of the ducks, as one line that names keep clear of. */
function duckLines(lane, scale, { ducks, series, ladder }, width) {
  const place = ([time, level]) => [scale.x(time - series.start), levelY(lane, level, ladder)];
  const found = ducksInView(ducks, series, scale);
  return found.length
    ? [
        tracedCorners(
          found.map((corners) => corners.map(place)),
          width,
        ),
      ]
    : [];
}
