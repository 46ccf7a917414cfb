// What every page does: the sheet of keys, links that have a key, short explanations.
import { say, send } from "./http.js";
import { onKeys } from "./keys.js";

function openSheet() {
  const sheet = document.getElementById("keys");
  if (sheet && window.bootstrap) window.bootstrap.Modal.getOrCreateInstance(sheet).show();
}

function followKey(key) {
  const link = document.querySelector(`a[data-key="${key}"]`);
  if (link) link.click();
}

/** Short explanations for the terms in a part of the page. */
export function explain(part) {
  if (!window.bootstrap) return;
  part
    .querySelectorAll("[data-bs-toggle=popover]")
    .forEach((term) => new window.bootstrap.Popover(term, { container: "body" }));
}

/** The first words of a page, once somebody knows them. */
async function putAway(event) {
  event.preventDefault();
  const form = event.target;
  try {
    await send(form.action, new FormData(form));
    form.closest("[data-first-words]").remove();
    window.dispatchEvent(new Event("resize"));
  } catch (error) {
    say(error.message, true);
  }
}

document.querySelectorAll("[data-first-words] form").forEach((form) => form.addEventListener("submit", putAway));
document.querySelectorAll("[data-help]").forEach((button) => button.addEventListener("click", openSheet));
onKeys({
  "?": openSheet,
  n: () => followKey("n"),
  d: () => followKey("d"),
  m: () => followKey("m"),
  s: () => followKey("s"),
  p: () => followKey("p"),
  u: () => followKey("u"),
  c: () => followKey("c"),
  Escape: () => followKey("Escape"),
});
if (document.querySelector(".productions"))
  onKeys(Object.fromEntries(Array.from("123456789", (key) => [key, () => followKey(key)])));
if (!document.querySelector("#review")) onKeys({ Enter: () => followKey("Enter") });
if (document.readyState === "complete") explain(document);
else window.addEventListener("load", () => explain(document));
