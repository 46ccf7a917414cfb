// Where the lanes of the score lie. Pure.

export const LADDER = { top: -8, bottom: -52, step: 10 };
export const MARGIN = 44;
const LOWEST = -72;
const SILENT = -69;
// What lies lower for less than this share of its time needs no place on the ladder.
const SHARE = 0.05;

/** Rectangles of ruler, levels, speech and loudness in a height. */
export function layLanes(height) {
  const ruler = { top: 8, height: 22 };
  const loudness = { height: Math.max(64, Math.round(height * 0.18)) };
  const speech = { height: 26 };
  const levels = {
    top: ruler.top + ruler.height,
    height: Math.max(120, height - ruler.top - ruler.height - speech.height - loudness.height - 26),
  };
  speech.top = levels.top + levels.height + 4;
  loudness.top = speech.top + speech.height + 18;
  return { ruler, levels, speech, loudness };
}

/** Pixel row of a level in LUFS in a lane. */
export function levelY(lane, level, ladder = LADDER) {
  const clipped = Math.min(ladder.top, Math.max(ladder.bottom, level));
  return lane.top + ((ladder.top - clipped) / (ladder.top - ladder.bottom)) * lane.height;
}

/**
 * A ladder on which some curves have their place: the usual one, or one that reaches further down (or up) where they
 * do.
 */
export function ladderFor(curves) {
  const lows = curves.map((curve) => lowShare(curve)).filter(Number.isFinite);
  const bottom = Math.max(LOWEST, Math.min(LADDER.bottom, Math.floor(Math.min(...lows, 0) / 10) * 10 - 2));
  const loudest = Math.max(
    LADDER.top - 1,
    ...curves.map((curve) => curve.reduce((most, v) => (v > most ? v : most), -Infinity)),
  );
  return { ...LADDER, bottom, top: Math.min(0, Math.ceil(loudest / 2) * 2 + (loudest > LADDER.top - 1 ? 2 : 0)) };
}

/** The level that a curve stays over for all but a share of the time in which it sounds. */
function lowShare(curve) {
  const sounding = Float32Array.from(curve.filter((v) => v > SILENT)).sort();
  return sounding.length ? sounding[Math.floor(sounding.length * SHARE)] : NaN;
}
