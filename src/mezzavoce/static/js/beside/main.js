// A new mix beside the one before: from note to note by keys, heard in both, confirmed with one key each.
import { say, send } from "../http.js";
import { onKeys } from "../keys.js";
import { makeHear } from "./hear.js";
import { makeLadders } from "./ladders.js";

const data = JSON.parse(document.getElementById("beside-data").textContent);
const list = document.getElementById("rechecks");
const items = Array.from(list.querySelectorAll("[data-recheck]"));
const doing = document.getElementById("recheck-do");
const enough = document.getElementById("enough");
const place = document.getElementById("place");
let chosen = items.find((item) => !item.classList.contains("is-done")) || items[0];

start();

async function start() {
  let hear = null;
  const ladders = await makeLadders(data.limits, () => hear?.stop());
  hear = makeHear(ladders.sides, ladders.draw);
  const go = (item) => {
    if (!item) return;
    chosen?.classList.remove("is-chosen");
    chosen = item;
    chosen.classList.add("is-chosen");
    chosen.scrollIntoView({ block: "nearest" });
    if (enough) enough.hidden = place.hidden = true;
    doing?.querySelectorAll("[data-do=again], [data-do=allow]").forEach((button) => {
      button.disabled = !chosen.dataset.left;
    });
    ladders.show(data.places[chosen.dataset.recheck]);
  };
  const step = (by) => go(items[Math.max(0, Math.min(items.length - 1, items.indexOf(chosen) + by))]);
  const forward = () => go(items.slice(items.indexOf(chosen) + 1).find(isOpen) || items.find(isOpen) || chosen);
  const confirm = (what, reason) => settle(what, reason).then((done) => done && forward());
  items.forEach((item) => item.addEventListener("click", () => go(item)));
  onKeys({
    j: () => step(1),
    k: () => step(-1),
    " ": hear.toggle,
    1: () => hear.choose("old"),
    2: () => hear.choose("new"),
    Enter: () => confirm(""),
    n: () => confirm("note it"),
    a: askWhy,
    b: askWhere,
    v: () => document.querySelector("[data-all]")?.click(),
  });
  const acts = { confirm: () => confirm(""), again: () => confirm("note it"), allow: askWhy, place: askWhere };
  doing?.addEventListener("click", (event) => acts[event.target.closest("[data-do]")?.dataset.do]?.());
  enough?.addEventListener("submit", (event) => {
    event.preventDefault();
    confirm("allow", document.getElementById("reason").value);
  });
  place?.addEventListener("submit", placeIt);
  go(chosen);
}

function askWhere() {
  if (!place || !chosen) return;
  place.hidden = false;
  place.elements.from.value = chosen.dataset.in;
  place.elements.to.value = chosen.dataset.out;
  place.elements.from.focus();
}

/** What became of it is worked out anew, so the page is loaded again. */
async function placeIt(event) {
  event.preventDefault();
  try {
    const { address } = await send(chosen.dataset.place, new FormData(place));
    location.assign(address);
  } catch (error) {
    say(error.message, true);
  }
}

function isOpen(item) {
  return !item.classList.contains("is-done");
}

function askWhy() {
  if (!enough || !chosen?.dataset.left) return;
  enough.hidden = false;
  document.getElementById("reason").focus();
}

/** Say to the server that it is so, and what is to be done about what is left; whether it took that. */
async function settle(what = "", reason = "") {
  if (!chosen || !doing || (what && !chosen.dataset.left)) return false;
  const body = new FormData();
  body.set("seen", chosen.dataset.result);
  body.set("what", what);
  body.set("reason", reason);
  try {
    const { open } = await send(chosen.dataset.confirm, body);
    chosen.classList.add("is-done");
    document.getElementById("left").textContent = `${open} of ${items.length} to confirm`;
    if (what) say(what === "allow" ? "Allowed in this mix." : "Noted again for this mix.");
    return true;
  } catch (error) {
    say(error.message, true);
    return false;
  }
}
