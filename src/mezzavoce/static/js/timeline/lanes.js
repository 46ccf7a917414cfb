// Where the lanes of the score lie. Pure.

export const LADDER = { top: -8, bottom: -52, step: 10 };
export const MARGIN = 44;

/** Rectangles of ruler, levels, speech and loudness in a height. */
export function layLanes(height) {
  const ruler = { top: 8, height: 22 };
  const loudness = { height: Math.max(64, Math.round(height * 0.18)) };
  const speech = { height: 26 };
  const levels = { top: ruler.top + ruler.height, height: Math.max(120, height - ruler.top - ruler.height - speech.height - loudness.height - 26) };
  speech.top = levels.top + levels.height + 4;
  loudness.top = speech.top + speech.height + 18;
  return { ruler, levels, speech, loudness };
}

/** Pixel row of a level in LUFS in a lane. */
export function levelY(lane, level, ladder = LADDER) {
  const clipped = Math.min(ladder.top, Math.max(ladder.bottom, level));
  return lane.top + ((ladder.top - clipped) / (ladder.top - ladder.bottom)) * lane.height;
}
