// Writes the names of the lines on the ladder.
import { columns, visible } from "./detail.js";
import { proposed } from "./draw_levels.js";
import { label, labelWidth } from "./ink.js";
import { LADDER, levelY } from "./lanes.js";
import { between, highest, placed, traced, tracedCorners } from "./names.js";

// The bracket of the chosen finding stands above.
const UNDER_BRACKET = 20;

/** Names of voice, music, effects and of what is proposed, clear of what is drawn. */
export function drawNames(pen, lane, scale, state, colours) {
  const y = (level) => (level > LADDER.bottom ? levelY(lane, level) : NaN);
  const trace = (curve) => traced(columns(curve, state.series.hop, scale), y);
  const names = [
    { text: "voice", curve: state.voice, colour: colours.voice, side: -1, from: 0.04, to: 0.96 },
    { text: "music", curve: state.music, colour: colours["music-text"], side: -1, from: 0.03, to: 0.97 },
    { text: "effects", curve: state.effects, colour: colours.effects, side: 1, from: 0.5, to: 0.95 },
  ].filter(({ curve }) => curve).map((name) => ({ ...name, line: trace(name.curve) }));
  names.forEach((name) => { name.near = highest(name.line, name.from * scale.width, name.to * scale.width); });
  const proposal = nameOfProposal(scale, state, trace, colours);
  if (proposal) names.push(proposal);
  const beside = [between(names[0].line, trace(state.under)), ...duckLines(lane, scale, state)];
  const shown = names.map((name) => ({ ...name, width: labelWidth(pen, name.text) }));
  const bounds = { left: 4, right: scale.width - 4, top: lane.top + UNDER_BRACKET, bottom: lane.top + lane.height };
  placed(shown, beside, bounds).forEach((place, index) => {
    if (place) label(pen, shown[index].text, place.x, place.y, shown[index].colour);
  });
}

function nameOfProposal(scale, state, trace, colours) {
  const curve = state.proposal && proposed(state, ...visible(state.series.count, state.series.hop, scale));
  if (!curve) return null;
  const { role, points } = state.proposal;
  const voice = role === "dialogue";
  const near = scale.x((points[0][0] + points[points.length - 1][0]) / 2);
  return { text: `${voice ? "voice" : role} as proposed`, colour: colours.pencil, line: trace(curve), near, side: voice ? -1 : 1 };
}

function duckLines(lane, scale, { ducks, series }) {
  const corner = (time, level) => [scale.x(time - series.start), levelY(lane, level)];
  return (ducks || []).filter(([, , , , open, bed]) => open !== null && bed !== null).map(([fallStart, fallEnd, returnStart, returnEnd, open, bed]) => {
    const corners = [[fallStart, open], [fallEnd, bed], [returnStart, bed], [returnEnd, open]];
    return tracedCorners(corners.filter(([time]) => time !== null).map(([time, level]) => corner(time, level)), scale.width);
  });
}
