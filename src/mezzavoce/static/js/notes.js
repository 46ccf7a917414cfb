// The notes of a mix: going from note to note by keys; how mails fare and what editors answer appears by itself.
import { onKeys } from "./keys.js";
import { isWriting, makeRefresh } from "./refresh.js";

const sent = document.getElementById("sent");
const list = document.querySelector(".note-list");
const more = document.querySelector("[data-more]");
let rows = Array.from(document.querySelectorAll(".note-list > li"));

if (sent) {
  makeRefresh({ address: sent.dataset.state, version: sent.dataset.version, mayTake: () => !isWriting(sent) });
}

/** The rows that did not come with the page. */
async function bringMore() {
  const response = await fetch(more.dataset.more, { credentials: "same-origin" }).catch(() => null);
  if (!response?.ok) return;
  list.insertAdjacentHTML("beforeend", await response.text());
  rows = Array.from(list.children);
  more.remove();
}
if (more) bringMore();

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
