// From finding to finding: picture, sound, side and address go together, whatever was decided, worded or judged anew.
import { say } from "../http.js";
import { nextOpen } from "../timeline/marks.js";
import { loudestTime } from "../timeline/series.js";
import { takeCurves } from "./curves.js";
import { showPicture } from "./pictures.js";
import { windowOf } from "./viewport.js";

/** Peaks for what is about peaks and signal, loudness for everything else. */
export function lowerFor(mark) {
  return mark && mark.kind !== "stems-off" && ["peak", "signal"].includes(mark.family) ? "peaks" : "loudness";
}

/** `state` is made after this, because it tells this what changed; it is handed in with `follow(state)`. */
export function makeWalk(root, { store, player, hearing, side, curves }) {
  let state = null;
  let editNext = false;

  /** Go to a mark in picture, sound and address. */
  function goTo(label, play) {
    const { marks, duration, hasLevels } = store.get();
    const mark = marks.find((m) => m.label === label);
    if (!mark) return;
    store.set({
      chosen: mark,
      view: windowOf(mark, duration),
      proposal: mark.remedy,
      lower: hasLevels ? lowerFor(mark) : "peaks",
    });
    side.mark(label);
    history.replaceState(null, "", `?mark=${label}`);
    hearing.chosen();
    player.visit(mark, play);
  }

  function picture() {
    showPicture(document.getElementById("side"), (from, to) => loudestTime(store.get().series, from, to));
  }

  async function pick(label, play = true) {
    goTo(label, play);
    await state.ask().catch((error) => say(error.message, true));
  }

  /** Judged anew: what hangs on that is drawn, and nothing moves under somebody's hands. */
  async function judged(data, label) {
    const before = store.get();
    const mark = data.marks.find((m) => m.label === label) || null;
    // Parts that are being set by hand stay as they are.
    const parts = before.parts === before.range.parts ? { parts: data.range.parts } : {};
    store.set({ ...data, ...parts, chosen: mark, proposal: mark?.remedy || null });
    hearing.chosen();
    takeCurves(await curves().catch(() => null), store);
    root.dataset.turn = String(Number(root.dataset.turn || 0) + 1);
  }

  /** Post something about the stretch under the hand; judged again by it. Rejects with the server's sentence. */
  async function post(address, body) {
    await state.post(address, body);
    say("Judged again.");
  }

  /** Send a form of the side; after a decision go on to the next open mark. Rejects with the server's sentence. */
  async function send(form, body) {
    const label = store.get().chosen?.label || "";
    const did = form.dataset.do;
    const next = nextAfterForm(form, body, label);
    const answer = await state.post(form.getAttribute("action"), body, next ? { mark: next } : {});
    // Somebody has gone on meanwhile: there is where to stay.
    if (!answer) return;
    const { chosen } = store.get();
    if (did !== "word" && chosen && !answer.data) goTo(chosen.label, Boolean(next));
    if (editNext) side.edit();
    else if (!next) say(answer.data ? "Judged again." : saidAfter(did, body.get("what"), chosen?.label));
    editNext = false;
  }

  /** The label of the next open mark where a form decides one, alone or with all alike; none where it stays. */
  function nextAfterForm(form, body, label) {
    if (form.dataset.do !== "decide" || body.get("what") === "reopen" || editNext) return "";
    const { marks } = store.get();
    const kind = body.has("alike") && marks.find((m) => m.label === label)?.kind;
    const left = marks.map((m) => (m.label === label || m.kind === kind ? { ...m, state: "decided" } : m));
    const at = left.findIndex((m) => m.label === label);
    return left[nextOpen(left, at)]?.label || "";
  }

  function step(way) {
    const order = side.order();
    if (!order.length) return;
    const at = order.indexOf(store.get().chosen?.label);
    pick(order[Math.min(Math.max(0, at + way), order.length - 1)]);
  }

  /** To the wording of the chosen finding; one that is open is noted first. */
  function edit() {
    if (side.edit()) return;
    editNext = true;
    editNext = side.press("note it");
  }

  return {
    pick,
    step,
    send,
    post,
    judged,
    picture,
    edit,
    follow: (made) => {
      state = made;
    },
  };
}

function saidAfter(did, what, label) {
  if (did === "word") return "The wording is saved.";
  if (did === "decide" && what !== "reopen") return "Every finding is decided. M shows the notes.";
  return label ? `${label} is as it was before.` : "It is as it was before.";
}
