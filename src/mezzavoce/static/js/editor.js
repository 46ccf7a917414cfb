// The editor's page: copying timecodes, hearing a passage as it is and as proposed, answering.
// Words that are not sent yet are kept in this browser, and so are answers for which there is no connection.
import { clientKey, changes, say, send } from "./http.js";
import { makeOutbox } from "./outbox.js";

const NAMES = { fixed: "fixed", "cannot fix": "cannot fix", question: "question" };
const page = document.getElementById("editor");
const items = Array.from(document.querySelectorAll(".item"));
const waiting = makeOutbox(`mezzavoce:waiting:${page.dataset.visit}`, { took, refused, told });

document
  .querySelectorAll("[data-copy]")
  .forEach((button) => button.addEventListener("click", () => copy(button.dataset.copy)));
items.forEach((item) => {
  prepareVersions(item);
  if (item.querySelector(".answer-form")) prepareAnswer(item);
});
prepareAll();
showWhatIsNew();
waiting.start();
setInterval(askWhatChanged, 60000);

async function copy(text) {
  try {
    await navigator.clipboard.writeText(text);
  } catch {
    const field = document.createElement("textarea");
    field.value = text;
    document.body.append(field);
    field.select();
    document.execCommand("copy");
    field.remove();
  }
  say(`${text} copied`);
}

/** As it is and as proposed, switched at the same place. */
function prepareVersions(item) {
  const film = item.querySelector("video");
  const buttons = Array.from(item.querySelectorAll("[data-version]"));
  buttons.forEach((button) =>
    button.addEventListener("click", () => {
      const at = film.currentTime;
      const plays = !film.paused || film.currentTime === 0;
      film.src = button.dataset.version;
      film.currentTime = at;
      if (plays) film.play().catch(() => {});
      buttons.forEach((other) => {
        other.classList.toggle("is-chosen", other === button);
        other.setAttribute("aria-pressed", String(other === button));
      });
    }),
  );
}

function prepareAnswer(item) {
  const form = item.querySelector("form");
  const words = item.querySelector(".words");
  const field = item.querySelector("textarea");
  const draft = draftOf(form);
  const kept = JSON.parse(localStorage.getItem(draft) || "null");
  if (kept && !item.classList.contains("is-answered")) ask(kept.what, kept.text);

  item
    .querySelectorAll("[data-ask]")
    .forEach((button) => button.addEventListener("click", () => ask(button.dataset.ask)));
  field.addEventListener("input", () =>
    localStorage.setItem(draft, JSON.stringify({ what: words.dataset.what, text: field.value })),
  );
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    const what = event.submitter ? event.submitter.value : "";
    const answer = { what, reason: what === "fixed" ? "" : field.value, client_key: clientKey() };
    waiting.put(form.getAttribute("action"), answer);
  });

  function ask(what, text = field.value) {
    words.hidden = false;
    words.dataset.what = what;
    field.value = text;
    words.querySelector("[data-label]").textContent =
      what === "question" ? "Your question" : "Why can it not be fixed?";
    words.querySelector("[data-send]").value = what;
    if (!kept) field.focus();
  }
}

function draftOf(form) {
  return `mezzavoce:${form.getAttribute("action")}`;
}

function itemOf(address) {
  return items.find((item) => item.querySelector("form")?.getAttribute("action") === address);
}

/** The server has an answer. */
function took(address, given) {
  const item = itemOf(address);
  if (!item) return;
  localStorage.removeItem(draftOf(item.querySelector("form")));
  show(item, given);
  say(given.what in NAMES ? "The reviewer has your answer." : "Taken back.");
}

/** The server does not take an answer, and says why; the words stay in the field. */
function refused(_address, error) {
  say(error.message, true);
}

/** How many answers wait for a connection. */
function told(addresses) {
  const place = document.getElementById("kept");
  const one = addresses.length === 1;
  place.hidden = !addresses.length;
  place.textContent = `No connection: ${addresses.length} answer${one ? " is" : "s are"} kept here and sent as soon as there is one.`;
  items.forEach((item) =>
    item.classList.toggle("is-kept", addresses.includes(item.querySelector("form")?.getAttribute("action"))),
  );
}

function show(item, given) {
  const answered = given.what in NAMES;
  item.classList.toggle("is-answered", answered);
  item.toggleAttribute("data-open", !answered);
  item.querySelector(".given").hidden = !answered;
  item.querySelector("[data-given]").textContent = NAMES[given.what] || "";
  item.querySelector("[data-reason]").textContent = given.reason;
  item.querySelector(".words").hidden = true;
  item.querySelector("textarea").value = "";
}

/** All that wait for an answer at once. */
function prepareAll() {
  const form = document.querySelector(".all-form");
  form?.addEventListener("submit", async (event) => {
    event.preventDefault();
    form.elements.client_key.value ||= clientKey();
    try {
      const { fixed } = await send(form.action, new FormData(form));
      items
        .filter((item) => fixed.includes(Number(item.dataset.item)))
        .forEach((item) => show(item, { what: "fixed", reason: "" }));
      form.hidden = true;
      say(`The reviewer has your answers: ${fixed.length} fixed.`);
    } catch (error) {
      say(error.message, true);
    }
  });
}

/** What the reviewer said, changed or withdrew since this browser was here last. */
function showWhatIsNew() {
  const key = `mezzavoce:visit:${page.dataset.visit}`;
  const before = localStorage.getItem(key);
  items
    .filter((item) => before && item.dataset.changed && new Date(item.dataset.changed) > new Date(before))
    .forEach((item) => {
      item.querySelector(".is-fresh").hidden = false;
    });
  localStorage.setItem(key, new Date().toISOString());
}

/** Whether there is something new while the page is open; nothing is loaded by itself, because somebody may be writing. */
async function askWhatChanged() {
  if (document.hidden) return;
  const stamps = await changes(page.dataset.state).catch(() => null);
  const shown = (item) => (item.dataset.changed ? new Date(item.dataset.changed).getTime() : 0);
  const moved = (item) => {
    const stamp = stamps[item.dataset.item];
    return stamp && Math.abs(new Date(stamp).getTime() - shown(item)) > 1000;
  };
  if (stamps && items.some(moved)) document.getElementById("fresh").hidden = false;
}
