// What one hears (mix, voice, music, effects) and in which state (as it is, as proposed). The picture plays on, its own
// sound muted.
import { say } from "../http.js";
import { RUN_UP } from "./player.js";

const LONGEST = 45;
const RUN_OUT = 2;

/** Look after both controls. `address` gives the sound of a stretch; the mix as it is comes from the player itself. */
export function makeHearing(root, video, store) {
  const panel = document.getElementById("hear");
  if (!panel || !video) return { hear() {}, turn() {}, chosen() {} };
  const state = { what: "mix", proposed: false, choice: 0 };
  const kept = new Map();
  let context = null;
  let playing = null;
  let turn = 0;
  // The picture was stopped here, until its sound is there; then it goes on, and that is no new beginning.
  let waiting = false;

  const own = () => state.what === "mix" && !state.proposed;

  /**
   * The stretch around the playhead: the chosen finding with its run-up where it lies in that, else what comes next.
   */
  function stretch() {
    const { chosen, duration } = store.get();
    const time = video.currentTime;
    const from = chosen ? Math.max(0, chosen.in - RUN_UP) : time;
    const to = chosen ? Math.min(duration, chosen.out + RUN_OUT, from + LONGEST) : time;
    return time >= from - 0.05 && time < to - 0.05
      ? [from, to]
      : [Math.max(0, time - 0.2), Math.min(duration, time + LONGEST / 3)];
  }

  function addressOf([from, to]) {
    const words = new URLSearchParams({ what: state.what, from: from.toFixed(3), to: to.toFixed(3) });
    if (state.proposed) {
      words.set("mark", store.get().chosen.label);
      words.set("choice", state.choice);
    }
    return `${root.dataset.sound}?${words}`;
  }

  async function sound(span) {
    const address = addressOf(span);
    if (!kept.has(address)) {
      const response = await fetch(address, { credentials: "same-origin", headers: { Accept: "application/json" } });
      if (!response.ok)
        throw new Error((await response.json().catch(() => ({}))).error || "This sound could not be made; try again.");
      context = context || new AudioContext();
      kept.set(address, await context.decodeAudioData(await response.arrayBuffer()));
      if (kept.size > 12) kept.delete(kept.keys().next().value);
    }
    return kept.get(address);
  }

  function stop() {
    playing?.source.stop();
    playing = null;
  }

  /** Make what is heard follow the controls and the player. */
  async function follow() {
    turn += 1;
    const mine = turn;
    stop();
    video.muted = !own();
    root.dataset.hearing = own() ? "mix" : `${state.what}${state.proposed ? " proposed" : ""}`;
    const goesOn = waiting || !video.paused;
    if (own()) {
      if (waiting) video.play().catch(() => {});
      waiting = false;
      return;
    }
    if (!goesOn || video.seeking) return;
    const span = stretch();
    waiting = true;
    try {
      video.pause();
      const buffer = await sound(span);
      await context.resume();
      if (mine !== turn) return;
      await video.play();
      if (mine !== turn) return;
      waiting = false;
      start(buffer, span);
    } catch (error) {
      if (error.name !== "AbortError") say(error.message, true);
      if (mine === turn) waiting = false;
    }
  }

  function start(buffer, span) {
    stop();
    const offset = video.currentTime - span[0];
    if (own() || video.paused || offset < 0 || offset >= buffer.duration) return;
    const source = new AudioBufferSourceNode(context, { buffer });
    source.connect(context.destination);
    source.start(0, offset);
    playing = { source, to: span[1] };
    root.dataset.heard = root.dataset.hearing;
  }

  video.addEventListener("play", () => {
    if (!own() && !playing && !waiting) follow();
  });
  video.addEventListener("pause", stop);
  video.addEventListener("seeked", () => {
    if (!own() && (waiting || !video.paused)) follow();
  });
  video.addEventListener("timeupdate", () => {
    if (playing && video.currentTime >= playing.to) follow();
  });

  /** Which buttons are down, and which cannot be, with the reason. */
  function show() {
    const { chosen, hearable } = store.get();
    panel.querySelectorAll("[data-what]").forEach((button) => {
      const what = button.dataset.what;
      const missing = what !== "mix" && !hearable.includes(what);
      button.setAttribute("aria-pressed", String(state.what === what));
      button.disabled = missing;
      button.title = missing ? `No stem of the ${what} was ingested.` : "";
    });
    const offered = chosen ? [chosen.remedy, ...chosen.others].filter(Boolean) : [];
    const remedy = offered[state.choice];
    const why = !remedy
      ? "Nothing is proposed here."
      : remedy.role !== "mix" && !hearable.includes(remedy.role)
        ? `No stem of the ${remedy.role} was ingested.`
        : "";
    if (why && state.proposed) state.proposed = false;
    panel.querySelectorAll("[data-state]").forEach((button) => {
      button.setAttribute("aria-pressed", String((button.dataset.state === "proposed") === state.proposed));
      button.disabled = button.dataset.state === "proposed" && Boolean(why);
      button.title = button.disabled ? why : "";
    });
    return why;
  }

  function set(changes) {
    Object.assign(state, changes);
    const why = show();
    if (changes.proposed && why) say(why);
    store.set({ proposal: proposalOf(store.get().chosen) });
    follow();
  }

  function proposalOf(mark) {
    return mark ? [mark.remedy, ...mark.others].filter(Boolean)[state.choice] || null : null;
  }

  panel.addEventListener("click", (event) => {
    const button = event.target.closest("button");
    if (button?.dataset.what) set({ what: button.dataset.what });
    if (button?.dataset.state) set({ proposed: button.dataset.state === "proposed" });
  });
  show();

  return {
    /** Hear the mix or a stem, if it is there. */
    hear(what) {
      const button = panel.querySelector(`[data-what="${what}"]`);
      if (button && !button.disabled) set({ what });
      else say(button?.title || "There is no such stem.");
    },
    /** As it is, or as proposed; with a choice, that one as proposed. */
    turn(choice = null) {
      set(choice === null ? { proposed: !state.proposed } : { proposed: true, choice });
    },
    /** Another finding was chosen. */
    chosen() {
      state.choice = 0;
      show();
      follow();
    },
  };
}
