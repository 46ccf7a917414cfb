// The figures under the picture: where it is, and how voice and music stand there.
import { windowAt } from "./viewport.js";

const SILENT_LUFS = -70;

/** Write figures whenever time or curves change; `tell(time, playing)` is for the player. */
export function makeReadout(store) {
  const place = document.getElementById("readout");

  function write() {
    const { hasLevels, series, time, voice, music, doubt: doubtful } = store.get();
    if (!hasLevels) return;
    const at = Math.min(series.count - 1, Math.floor(time / series.hop));
    const words = [
      ["voice", voice[at], "LUFS", "v"],
      [doubtful ? "under it" : "music", music[at], "LUFS", "m"],
      ["gap", series.curves.local_ratio_lu[at], "LU", ""],
    ];
    const doubt = series.curves.ratio_doubt_lu?.[at];
    const shown = (value) => (Number.isFinite(value) && value > SILENT_LUFS ? value.toFixed(1) : "–");
    place.innerHTML = words
      .map(([name, value, unit, tone]) => {
        const unsure = name === "gap" && Number.isFinite(doubt) && Number.isFinite(value);
        return `${name} <b class="${tone}">${unsure ? `${value.toFixed(0)} ± ${doubt.toFixed(0)}` : shown(value)}</b> ${unit}`;
      })
      .join("&ensp;");
  }

  store.watch((_, changes) => {
    if ("time" in changes || "series" in changes) write();
  });

  return {
    tell(time, playing) {
      const { clock, view, duration } = store.get();
      const followed = windowAt(time, view, duration);
      // A view that stays is no change: those who fetch for a new one wait until it rests.
      store.set(followed === view ? { time } : { time, view: followed });
      document.getElementById("timecode").textContent = clock.timecode(time);
      const word = document.querySelector("[data-play]");
      if (word) word.textContent = playing ? "Pause" : "Play";
    },
  };
}
