// The review page: brings store, view, side, player and keys together.
import { onKeys } from "../keys.js";
import { fragment, say } from "../talk.js";
import { nextOpen } from "../timeline/marks.js";
import { windowAround, zoomed } from "../timeline/scale.js";
import { loudestTime, smoothLevel, unpackSeries } from "../timeline/series.js";
import { makeClock } from "../timeline/timecode.js";
import { makeHearing } from "./hear.js";
import { fetchJudged } from "./judged.js";
import { makePeaks } from "./peaks.js";
import { showPicture as showPictureOf } from "./pictures.js";
import { makePlayer } from "./player.js";
import { makeRanges } from "./ranges.js";
import { makeSide } from "./side.js";
import { makeSpans } from "./spans.js";
import { makeStore } from "./store.js";
import { makeView } from "./view.js";

const SPAN = 20;
const page = document.getElementById("review");
if (page) start(page);
watchMeasuring();

function start(root) {
  const data = JSON.parse(document.getElementById("review-data").textContent);
  const chosenLetters = document.querySelector(".finding")?.dataset.mark;
  const chosen = data.marks.find((mark) => mark.letters === chosenLetters) || null;
  // Where nothing was found, what is of interest begins with the programme, not with its leader.
  const begin = data.range.parts.length ? data.range.parts[0][0] : 0;
  const store = makeStore({
    ...data, clock: makeClock(data.rate, data.dropFrame, data.start), chosen, time: chosen ? Math.max(0, chosen.in - 2) : begin, span: null, series: null, hasLevels: false,
    view: viewOf(chosen, data.duration, begin), proposal: chosen?.remedy || null, parts: data.range.parts, lower: lowerFor(chosen), peaks: null,
  });
  const player = makePlayer(document.getElementById("video"), data.duration, (time, playing) => tell(store, time, playing));
  const hearing = makeHearing(root, document.getElementById("video"), store);
  const side = makeSide(document.getElementById("side"), pick, changed, (choice) => hearing.turn(choice));
  const spans = makeSpans(store, root, (time) => { player.seek(time); keepInView(time); }, judgedAgain);
  makeView(store, (time) => player.seek(time), pick, spans);
  side.arrange();
  const ranges = makeRanges(store, (time) => { player.seek(time); keepInView(time); });
  makePeaks(store, root.dataset.peaks, () => store.get().lower === "peaks");
  fetchSeries(root.dataset.series).then((series) => { take(series, store); picture(); });
  if (chosen) player.visit(chosen, false);
  else if (begin > 0) player.seek(begin);
  comeBack();
  bindKeys();
  bindButtons();
  root.dataset.ready = "yes";

  /** Judged anew: what hangs on that is fetched and drawn, and nothing moves under somebody's hands. */
  async function judgedAgain() {
    try {
      const curves = fetchSeries(root.dataset.series);
      const fresh = await fetchJudged(root, side, store.get().chosen?.letters || "");
      const letters = document.querySelector(".finding")?.dataset.mark;
      const mark = fresh.marks.find((m) => m.letters === letters) || null;
      store.set({ ...fresh, chosen: mark, proposal: mark?.remedy || null });
      nameLoop();
      hearing.chosen();
      refreshHead(side.facts());
      take(await curves, store);
      picture();
      root.dataset.turn = String(Number(root.dataset.turn || 0) + 1);
      say("Judged again.");
    } catch {
      reload();
    }
  }

  /** The whole page is fetched again and comes back to where it was. */
  function reload() {
    sessionStorage.setItem(`mezzavoce.place ${root.dataset.mix}`, JSON.stringify({ time: player.time(), view: store.get().view }));
    location.reload();
  }

  function comeBack() {
    const key = `mezzavoce.place ${root.dataset.mix}`;
    const place = JSON.parse(sessionStorage.getItem(key) || "null");
    sessionStorage.removeItem(key);
    if (!place) return;
    store.set({ view: place.view });
    player.seek(place.time);
    say("Judged again.");
  }

  /** Go to a mark in picture, sound and address. */
  function goTo(letters, play) {
    const mark = store.get().marks.find((m) => m.letters === letters);
    if (!mark) return;
    store.set({ chosen: mark, view: viewOf(mark, data.duration), proposal: mark.remedy, lower: store.get().hasLevels ? lowerFor(mark) : "peaks" });
    nameLower();
    history.replaceState(null, "", `?mark=${letters}`);
    hearing.chosen();
    player.visit(mark, play);
    nameLoop();
  }

  async function pick(letters, play = true) {
    goTo(letters, play);
    await side.show(letters).catch((error) => say(error.message, true));
    picture();
  }

  function picture() {
    showPictureOf(document.getElementById("side"), (from, to) => loudestTime(store.get().series, from, to));
  }

  /** Both sides of an edge are in view, as far as there are two. */
  function keepInView(time) {
    const { view } = store.get();
    const room = (view.to - view.from) / 8;
    if (time < view.from + room || time > view.to - room) store.set({ view: windowAround(time, view.to - view.from, data.duration) });
  }

  function swapLower() {
    store.set({ lower: store.get().lower === "peaks" ? "loudness" : "peaks" });
    nameLower();
  }

  function nameLower() {
    document.querySelector("[data-lower]").textContent = store.get().lower === "peaks" ? "show loudness" : "show peaks";
  }

  /** Something was decided, worded or undone: one refresh of the side, on to the next open mark after a decision. */
  async function changed(letters, { did, what, alike, again }) {
    if (again) {
      await judgedAgain();
      return;
    }
    const decided = did === "decide" && what !== "reopen";
    const kind = alike && store.get().marks.find((m) => m.letters === letters)?.kind;
    const marks = store.get().marks.map((m) => (decided && (m.letters === letters || m.kind === kind) ? { ...m, state: "decided" } : m));
    const next = decided && !editNext ? nextOpen(marks, marks.findIndex((m) => m.letters === letters)) : -1;
    const target = next >= 0 ? marks[next].letters : letters;
    await side.show(target || store.get().chosen?.letters || "");
    picture();
    refreshHead(side.facts());
    const done = side.decided();
    store.set({ marks: marks.map((m) => ({ ...m, state: done.has(m.letters) ? "decided" : "open" })) });
    goTo(target, next >= 0);
    if (editNext) side.edit();
    else if (did === "word") say("The wording is saved.");
    else if (!decided) say(letters ? `${letters} is as it was before.` : "It is as it was before.");
    else if (next < 0) say("Every finding is decided. M shows the notes.");
    editNext = false;
  }

  let editNext = false;

  function step(way) {
    const order = side.order();
    if (!order.length) return;
    const at = order.indexOf(store.get().chosen?.letters);
    pick(order[Math.min(Math.max(0, at + way), order.length - 1)]);
  }

  function bindKeys() {
    const frame = store.get().clock.frameLength;
    onKeys({
      j: () => step(1), k: () => step(-1), ArrowDown: () => step(1), ArrowUp: () => step(-1),
      " ": () => player.toggle(),
      r: () => store.get().chosen && player.visit(store.get().chosen),
      l: toggleLoop,
      ArrowLeft: (e) => player.seek(player.time() - (e.shiftKey ? frame : 1)),
      ArrowRight: (e) => player.seek(player.time() + (e.shiftKey ? frame : 1)),
      "+": () => zoom(0.6), "=": () => zoom(0.6), "-": () => zoom(1 / 0.6),
      w: swapLower,
      g: () => ranges.open(),
      i: () => spans.setEdge("in", player.time()) || ranges.setEdge("in", player.time()),
      o: () => spans.setEdge("out", player.time()) || ranges.setEdge("out", player.time()),
      s: () => spans.speech(player.time()),
      b: () => spans.bounds(),
      t: () => hearing.turn(),
      1: () => hearing.hear("mix"), 2: () => hearing.hear("dialogue"), 3: () => hearing.hear("music"), 4: () => hearing.hear("effects"),
      v: () => side.group(),
      p: () => document.getElementById("picture").classList.toggle("is-large"),
      Enter: (e) => side.press("note it", e.shiftKey),
      x: (e) => side.press("not a fault", e.shiftKey),
      a: () => side.openAllow(),
      e: () => { if (!side.edit()) editNext = side.press("note it"); },
      z: () => side.undo(),
    });
  }

  function bindButtons() {
    document.getElementById("play")?.addEventListener("click", () => player.toggle());
    document.getElementById("loop").addEventListener("click", toggleLoop);
    document.getElementById("lower").addEventListener("click", swapLower);
    nameLower();
    document.getElementById("zoom-in").addEventListener("click", () => zoom(0.6));
    document.getElementById("zoom-out").addEventListener("click", () => zoom(1 / 0.6));
    document.getElementById("picture").addEventListener("click", (e) => e.currentTarget.classList.toggle("is-large"));
    nameLoop();
  }

  function nameLoop() {
    document.querySelector("[data-loop-mark]").textContent = store.get().chosen?.letters || "";
  }

  function toggleLoop() {
    const on = player.loop(store.get().chosen);
    document.getElementById("loop").setAttribute("aria-pressed", String(on));
  }

  function zoom(factor) {
    const { view, time } = store.get();
    const about = time >= view.from && time <= view.to ? time : (view.from + view.to) / 2;
    store.set({ view: zoomed(view, factor, about, data.duration) });
  }
}

/** Peaks for what is about peaks and signal, loudness for everything else. */
function lowerFor(mark) {
  return mark && mark.kind !== "stems-off" && ["peak", "signal"].includes(mark.family) ? "peaks" : "loudness";
}

function viewOf(mark, duration, begin = 0) {
  if (!mark) return windowAround(begin + SPAN * 0.4, SPAN, duration);
  return windowAround((mark.in + mark.out) / 2, Math.max(SPAN, Math.min(60, (mark.out - mark.in) * 1.5)), duration);
}

/** The curves of the newest judgement; null where there are none. */
async function fetchSeries(address) {
  const response = await fetch(address, { credentials: "same-origin" });
  return response.ok ? unpackSeries(await response.arrayBuffer()) : null;
}

function take(series, store) {
  if (!series) return;
  const { speech_lufs: spoken, music_lufs: music, effects_lufs: effects, background_lufs: under, speech_probability: share, momentary_lufs: whole } = series.curves;
  const hasLevels = spoken.some((v) => !Number.isNaN(v));
  const active = Array.from(share, (v) => v >= 0.5);
  store.set({
    series, hasLevels, active,
    voice: hasLevels ? smoothLevel(spoken, 7, active) : whole,
    music: smoothLevel(music, 3), under: smoothLevel(under, 3), effects: effects.some((v) => v > -60) ? smoothLevel(effects, 5) : null,
  });
  // Without stems the loudness has the large lane, and the small one is free for peaks.
  if (!hasLevels) store.set({ lower: "peaks" });
  document.getElementById("lower").hidden = !hasLevels;
  readout(store.get(), store.get().time);
}

function tell(store, time, playing) {
  const state = store.get();
  const view = time < state.view.from || time > state.view.to ? windowAround(time + (state.view.to - state.view.from) * 0.4, state.view.to - state.view.from, state.duration) : state.view;
  store.set({ time, view });
  document.getElementById("timecode").textContent = state.clock.timecode(time);
  const word = document.querySelector("[data-play]");
  if (word) word.textContent = playing ? "Pause" : "Play";
  readout(state, time);
}

function readout(state, time) {
  const place = document.getElementById("readout");
  if (!state.hasLevels) return;
  const at = Math.min(state.series.count - 1, Math.floor(time / state.series.hop));
  const words = [["voice", state.voice[at], "LUFS", "v"], ["music", state.music[at], "LUFS", "m"], ["gap", state.series.curves.local_ratio_lu[at], "LU", ""]];
  place.innerHTML = words.map(([name, value, unit, tone]) => `${name} <b class="${tone}">${Number.isFinite(value) && value > -70 ? value.toFixed(1) : "–"}</b> ${unit}`).join("&ensp;");
}

function refreshHead(facts) {
  const title = document.querySelector("#verdict h1");
  if (title) title.textContent = facts.verdict;
  document.querySelector("[data-counts]").textContent = facts.all === "0" ? "" : `${facts.open} of ${facts.all} open: tall must, short should`;
  document.querySelector("[data-noted]").textContent = facts.noted;
}

/** Looks after what is still in the making. Nothing is reloaded under somebody's hands: a page that shows figures offers the new ones. */
async function watchMeasuring() {
  const place = document.getElementById("measuring");
  const player = document.getElementById("player");
  const measuring = (element) => ["waiting", "running"].includes(element.dataset.state);
  const preparing = player && !["ready", "failed"].includes(player.dataset.state);
  if (!place || !(measuring(place) || preparing)) return;
  await new Promise((resolve) => setTimeout(resolve, 1000));
  try {
    const fresh = (await fragment(place.dataset.address)).firstElementChild;
    if (preparing && fresh.dataset.playback === "ready") showPicture(player);
    if (measuring(place) && !measuring(fresh)) {
      if (!page) {
        location.reload();
        return;
      }
      if (fresh.dataset.state === "measured") fresh.innerHTML = '<p>Measured again. <a href="">Show the new figures</a></p>';
    }
    place.replaceWith(fresh);
  } catch {
    // The next turn tries again.
  }
  watchMeasuring();
}

function showPicture(player) {
  const video = document.getElementById("video");
  player.dataset.state = "ready";
  video.src = video.dataset.src;
  document.getElementById("play").hidden = false;
  player.querySelector("[data-preparing]")?.remove();
}
