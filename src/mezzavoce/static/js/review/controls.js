// Keys and buttons of the review page, and the words on the buttons that follow the store.
import { onKeys } from "../keys.js";
import { windowZoomed } from "./viewport.js";

const CLOSER = 0.6;
const STEP_S = 1;

export function bindControls({ store, player, hearing, ranges, side, spans, walk, write }) {
  const enlarge = () => document.getElementById("picture").classList.toggle("is-large");

  function swapLower() {
    store.set({ lower: store.get().lower === "peaks" ? "loudness" : "peaks" });
  }

  function toggleLoop() {
    const on = player.loop(store.get().chosen);
    document.getElementById("loop").setAttribute("aria-pressed", String(on));
  }

  function zoom(factor) {
    const { time, view, duration } = store.get();
    store.set({ view: windowZoomed(factor, time, view, duration) });
  }

  function seekBy(event, way) {
    player.seek(player.time() + way * (event.shiftKey ? store.get().clock.frameLength : STEP_S));
  }

  function setEdge(which) {
    if (!spans.setEdge(which, player.time())) ranges.setEdge(which, player.time());
  }

  function nameButtons({ lower, series, hasLevels, chosen }) {
    const button = document.getElementById("lower");
    button.hidden = Boolean(series) && !hasLevels;
    button.querySelector("[data-lower]").textContent = lower === "peaks" ? "show loudness" : "show peaks";
    document.querySelector("[data-loop-mark]").textContent = chosen?.label || "";
  }

  onKeys({
    j: () => walk.step(1),
    k: () => walk.step(-1),
    ArrowDown: () => walk.step(1),
    ArrowUp: () => walk.step(-1),
    " ": () => player.toggle(),
    r: () => store.get().chosen && player.visit(store.get().chosen),
    l: toggleLoop,
    ArrowLeft: (e) => seekBy(e, -1),
    ArrowRight: (e) => seekBy(e, 1),
    "+": () => zoom(CLOSER),
    "=": () => zoom(CLOSER),
    "-": () => zoom(1 / CLOSER),
    w: swapLower,
    g: () => ranges.open(),
    i: () => setEdge("in"),
    o: () => setEdge("out"),
    s: () => spans.speech(player.time()),
    b: () => spans.bounds(),
    t: () => hearing.turn(),
    1: () => hearing.hear("mix"),
    2: () => hearing.hear("dialogue"),
    3: () => hearing.hear("music"),
    4: () => hearing.hear("effects"),
    v: () => side.group(),
    p: enlarge,
    Enter: (e) => side.press("note it", e.shiftKey),
    x: (e) => side.press("not a fault", e.shiftKey),
    a: () => side.openAllow(),
    e: () => walk.edit(),
    z: () => side.undo(),
    h: () => write(),
  });
  document.getElementById("play")?.addEventListener("click", () => player.toggle());
  document.querySelector("[data-write]")?.addEventListener("click", () => write());
  document.getElementById("loop").addEventListener("click", toggleLoop);
  document.getElementById("lower").addEventListener("click", swapLower);
  document.getElementById("zoom-in").addEventListener("click", () => zoom(CLOSER));
  document.getElementById("zoom-out").addEventListener("click", () => zoom(1 / CLOSER));
  document.getElementById("picture").addEventListener("click", enlarge);
  store.watch((state, changes) => {
    if (["lower", "series", "chosen"].some((name) => name in changes)) nameButtons(state);
  });
  nameButtons(store.get());
}
