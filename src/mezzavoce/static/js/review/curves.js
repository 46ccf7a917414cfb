// The curves of the newest judgement: fetched, smoothed for the eye, and put into the store.
import { ladderFor } from "../timeline/lanes.js";
import { smoothLevel, unpackSeries } from "../timeline/series.js";

const NOTHING_LUFS = -60;
const SMOOTHED = { voice: 7, music: 3, under: 3, effects: 5 };

/**
 * Returns a function that fetches the curves at an address of the server; those that are here already are not sent
 * again. Null where there are none.
 */
export function makeCurves(address) {
  let kept = null;

  return async () => {
    const have = kept ? Object.values(kept.digests).join(",") : "";
    const response = await fetch(`${address}?${new URLSearchParams({ have })}`, { credentials: "same-origin" });
    if (response.ok) kept = unpackSeries(await response.arrayBuffer(), kept);
    return response.ok ? kept : null;
  };
}

/** Put curves into the store. Without stems the loudness has the large lane, and the small one is free for peaks. */
export function takeCurves(series, store) {
  if (!series) return;
  const {
    speech_lufs: spoken,
    music_lufs: music,
    effects_lufs: effects,
    background_lufs: under,
    speech_probability: share,
    momentary_lufs: whole,
    background_low_lufs: low,
    background_high_lufs: high,
  } = series.curves;
  const hasLevels = spoken.some((v) => !Number.isNaN(v));
  const active = Array.from(share, (v) => v >= 0.5);
  const drawn = {
    voice: hasLevels ? smoothLevel(spoken, SMOOTHED.voice, active) : whole,
    music: smoothLevel(music, SMOOTHED.music),
    under: smoothLevel(under, SMOOTHED.under),
    effects: effects.some((v) => v > NOTHING_LUFS) ? smoothLevel(effects, SMOOTHED.effects) : null,
    // From where to where what lies under the voice may lie; null where that is known exactly.
    doubt: low?.some((v) => !Number.isNaN(v))
      ? { low: smoothLevel(low, SMOOTHED.under), high: smoothLevel(high, SMOOTHED.under) }
      : null,
  };
  const where = (curve) => curve.map((value, i) => (active[i] ? value : NaN));
  store.set({
    series,
    hasLevels,
    ...drawn,
    // Where somebody speaks, and how far the voice stands over what lies under it there.
    spoken: where(new Float32Array(active.length).fill(1)),
    ratios: where(series.curves.local_ratio_lu),
    ladder: ladderFor(hasLevels ? [drawn.voice, drawn.music] : [drawn.voice]),
    ...(hasLevels ? {} : { lower: "peaks" }),
  });
}
