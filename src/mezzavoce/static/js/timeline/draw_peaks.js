// True peaks of every channel beside each other, against the ceiling.
const LADDER = { top: 3, bottom: -48 };

/**
 * Draw the lane. `peaks` is {hop, first, channels, names, values}; dB by dB from the bottom up, overs in the fault
 * colour.
 */
export function drawPeaks(pen, lane, scale, peaks, limit, colours) {
  const room = lane.height / peaks.channels;
  for (let channel = 0; channel < peaks.channels; channel += 1) {
    const top = lane.top + channel * room;
    const y = (level) =>
      top +
      ((LADDER.top - Math.min(LADDER.top, Math.max(LADDER.bottom, level))) / (LADDER.top - LADDER.bottom)) * (room - 3);
    drawChannel(pen, scale, peaks, channel, y, limit, colours);
  }
}

/** Which channel stands in which row, in the margin. */
export function drawChannelNames(pen, lane, right, peaks) {
  const room = lane.height / peaks.channels;
  pen.textAlign = "right";
  peaks.names.forEach((name, channel) => pen.fillText(name, right, lane.top + (channel + 0.5) * room));
}

function drawChannel(pen, scale, peaks, channel, y, limit, colours) {
  const bottom = y(LADDER.bottom);
  const width = Math.max(1, peaks.hop * scale.perSecond - 0.5);
  for (let k = 0; k * peaks.channels < peaks.values.length; k += 1) {
    const packed = peaks.values[k * peaks.channels + channel];
    if (!packed) continue;
    const level = packed / 2 - 100;
    const over = limit !== null && limit !== undefined && level > limit + 0.25;
    pen.fillStyle = over ? colours.fault : colours.pencil;
    pen.globalAlpha = over ? 1 : 0.6;
    pen.fillRect(scale.x((peaks.first + k) * peaks.hop), y(level), width, bottom - y(level));
  }
  pen.globalAlpha = 1;
  pen.fillStyle = colours.rule;
  pen.fillRect(0, bottom, scale.width, 1);
  if (limit === null || limit === undefined) return;
  pen.fillStyle = colours.fault;
  for (let x = 0; x < scale.width; x += 8) pen.fillRect(x, Math.round(y(limit)), 5, 1);
}
