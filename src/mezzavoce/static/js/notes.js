// The notes of a mix: going from note to note by keys; how mails fare and what editors answer appears by itself.
import { onKeys } from "./keys.js";
import { isWriting, makeRefresh } from "./refresh.js";

const sent = document.getElementById("sent");
const rows = Array.from(document.querySelectorAll(".note-list > li"));

if (sent) {
  makeRefresh({ address: sent.dataset.state, version: sent.dataset.version, mayTake: () => !isWriting(sent) });
}

const here = () => rows.findIndex((row) => row.contains(document.activeElement));

function go(step) {
  if (!rows.length) return;
  const next = here() < 0 ? 0 : Math.min(Math.max(here() + step, 0), rows.length - 1);
  rows[next].querySelector("h2 a").focus();
  rows[next].scrollIntoView({ block: "nearest" });
}

function press(selector) {
  rows[here()]?.querySelector(selector)?.click();
}

onKeys({
  j: () => go(1),
  k: () => go(-1),
  e: () => press("[data-change]"),
  x: () => press("input[name=note]"),
});
