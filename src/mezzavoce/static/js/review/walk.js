// From finding to finding: picture, sound, side and address go together, whatever was decided, worded or judged anew.
import { isWriting } from "../news.js";
import { say } from "../talk.js";
import { nextOpen } from "../timeline/marks.js";
import { loudestTime } from "../timeline/series.js";
import { fetchCurves, takeCurves } from "./curves.js";
import { fetchJudged } from "./judged.js";
import { showPicture } from "./pictures.js";
import { windowOf } from "./windows.js";

/** Peaks for what is about peaks and signal, loudness for everything else. */
export function lowerFor(mark) {
  return mark && mark.kind !== "stems-off" && ["peak", "signal"].includes(mark.family) ? "peaks" : "loudness";
}

export function makeWalk(root, { store, player, hearing, side }) {
  const kept = `mezzavoce.place ${root.dataset.mix}`;
  let editNext = false;

  /** Go to a mark in picture, sound and address. */
  function goTo(letters, play) {
    const { marks, duration, hasLevels } = store.get();
    const mark = marks.find((m) => m.letters === letters);
    if (!mark) return;
    store.set({ chosen: mark, view: windowOf(mark, duration), proposal: mark.remedy, lower: hasLevels ? lowerFor(mark) : "peaks" });
    history.replaceState(null, "", `?mark=${letters}`);
    hearing.chosen();
    player.visit(mark, play);
  }

  function picture() {
    showPicture(document.getElementById("side"), (from, to) => loudestTime(store.get().series, from, to));
  }

  async function pick(letters, play = true) {
    goTo(letters, play);
    await side.show(letters).catch((error) => say(error.message, true));
    picture();
  }

  /** Judged anew: what hangs on that is fetched and drawn, and nothing moves under somebody's hands. */
  async function judgedAgain(words = "Judged again.", mayTake = () => true) {
    try {
      const curves = fetchCurves(root.dataset.series);
      const fresh = await fetchJudged(root, side, store.get().chosen?.letters || "", mayTake);
      if (!fresh) return;
      const letters = document.querySelector(".finding")?.dataset.mark;
      const mark = fresh.marks.find((m) => m.letters === letters) || null;
      store.set({ ...fresh, chosen: mark, proposal: mark?.remedy || null });
      hearing.chosen();
      refreshHead(side.facts());
      takeCurves(await curves, store);
      picture();
      root.dataset.turn = String(Number(root.dataset.turn || 0) + 1);
      if (words) say(words);
    } catch {
      // What a person asked for has to be seen; mere news is asked for again.
      if (words) reload();
    }
  }

  /** The whole page is fetched again and comes back to where it was. */
  function reload() {
    sessionStorage.setItem(kept, JSON.stringify({ time: player.time(), view: store.get().view }));
    location.reload();
  }

  function comeBack() {
    const place = JSON.parse(sessionStorage.getItem(kept) || "null");
    sessionStorage.removeItem(kept);
    if (!place) return;
    store.set({ view: place.view });
    player.seek(place.time);
    say("Judged again.");
  }

  /** Something was decided, worded or undone: one refresh of the side, on to the next open mark after a decision. */
  async function changed(letters, { did, what, alike, again }) {
    if (again) {
      await judgedAgain();
      return;
    }
    const decided = did === "decide" && what !== "reopen";
    const next = decided && !editNext ? nextAfter(letters, alike) : "";
    const target = next || letters;
    await side.show(target || store.get().chosen?.letters || "");
    picture();
    refreshHead(side.facts());
    const done = side.decided();
    store.set({ marks: store.get().marks.map((m) => ({ ...m, state: done.has(m.letters) ? "decided" : "open" })) });
    goTo(target, Boolean(next));
    if (editNext) side.edit();
    else if (did === "word") say("The wording is saved.");
    else if (!decided) say(letters ? `${letters} is as it was before.` : "It is as it was before.");
    else if (!next) say("Every finding is decided. M shows the notes.");
    editNext = false;
  }

  /** The letters of the next open mark behind one that was just decided, alone or with all alike. */
  function nextAfter(letters, alike) {
    const { marks } = store.get();
    const kind = alike && marks.find((m) => m.letters === letters)?.kind;
    const left = marks.map((m) => (m.letters === letters || m.kind === kind ? { ...m, state: "decided" } : m));
    return left[nextOpen(left, left.findIndex((m) => m.letters === letters))]?.letters || "";
  }

  function step(way) {
    const order = side.order();
    if (!order.length) return;
    const at = order.indexOf(store.get().chosen?.letters);
    pick(order[Math.min(Math.max(0, at + way), order.length - 1)]);
  }

  /** To the wording of the chosen finding; one that is open is noted first. */
  function edit() {
    if (!side.edit()) editNext = side.press("note it");
  }

  /** Somebody else did something here, or an editor answered. What is being written stays, and it is looked at a little later. */
  async function news() {
    const quiet = () => !side.busy() && !isWriting(document.getElementById("side"));
    if (quiet()) await judgedAgain("", quiet);
  }

  return { pick, step, changed, judgedAgain, comeBack, picture, edit, news };
}

function refreshHead(facts) {
  const title = document.querySelector("#verdict h1");
  if (title) title.textContent = facts.verdict;
  document.querySelector("[data-counts]").textContent = facts.all === "0" ? "" : `${facts.open} of ${facts.all} open: tall must, short should`;
  document.querySelector("[data-noted]").textContent = facts.noted;
}
