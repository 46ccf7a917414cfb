// What the page shows follows the server: what changed there is put into store, side, list and player.
import { isWriting, makeRefresh } from "../refresh.js";

const MEASURING_MS = 1000;
const QUIET_MS = 2000;

/**
 * Keep the review fresh. `judged(data)` hears what a new judgement brings, `shown()` that another finding stands on the
 * page.
 */
export function makeState({ store, side, judged, shown }) {
  const place = document.getElementById("state");
  const sidePart = document.getElementById("side");
  let finding = store.get().chosen?.label || "";

  function take(state) {
    const before = store.get().chosen?.label || "";
    side.take(state);
    if (state.data) judged(state.data, state.chosen);
    if (state.states)
      store.set({
        marks: store.get().marks.map((mark) => ({ ...mark, state: state.states[mark.label] || mark.state })),
      });
    if (state.chosen !== before) choose(state.chosen);
    if (state.playback === "ready") showPlayer();
    finding = state.chosen;
    if (state.parts.finding !== undefined) shown();
  }

  function choose(label) {
    const mark = store.get().marks.find((m) => m.label === label) || null;
    store.set({ chosen: mark, proposal: mark?.remedy || null });
  }

  return makeRefresh({
    address: place.dataset.address,
    version: place.dataset.version,
    words: () => ({ mark: store.get().chosen?.label || "", shown: finding }),
    take,
    mayTake: () => !isWriting(sidePart),
    pace: () => (document.querySelector("[data-part=measuring] progress, [data-preparing]") ? MEASURING_MS : QUIET_MS),
  });
}

/** A mix without figures is only looked at until it has some. */
export function waitForFigures() {
  const place = document.getElementById("state");
  makeRefresh({
    address: place.dataset.address,
    version: place.dataset.version,
    pace: () => MEASURING_MS,
    take: (state) => {
      if (state.data) location.reload();
    },
  });
}

function showPlayer() {
  const player = document.getElementById("player");
  if (player.dataset.state === "ready") return;
  const video = document.getElementById("video");
  player.dataset.state = "ready";
  video.src = video.dataset.src;
  document.getElementById("play").hidden = false;
}
