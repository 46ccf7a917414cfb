// The desk, and what is up next, keeps itself fresh: quickly while something is measured, slowly otherwise.
import { makeFind } from "./desk_find.js";
import { onKeys } from "./keys.js";
import { makeRefresh } from "./refresh.js";

const BUSY_MS = 1000;
const QUIET_MS = 3000;

const desk = document.getElementById("desk");
const { state: address, version } = desk.dataset;
const find = document.getElementById("find") ? makeFind(desk) : null;

if (find) onKeys({ "/": find.focus });
onKeys({ j: () => step(1), k: () => step(-1) });
makeRefresh({
  address,
  version,
  pace: () => (desk.querySelector("progress") ? BUSY_MS : QUIET_MS),
  take: (state) => {
    if (state.parts?.rows) find?.apply();
  },
});

/** Go to the next or the one before of the programmes in the list; Enter opens it. */
function step(by) {
  const links = Array.from(desk.querySelectorAll(".rows tbody tr:not([hidden]) th a"));
  const at = links.indexOf(document.activeElement);
  links[Math.max(0, Math.min(links.length - 1, at < 0 ? 0 : at + by))]?.focus();
}
