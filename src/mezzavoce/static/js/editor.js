// The editor's page: copying timecodes, answering. An answer that is not sent yet is kept in this browser.
import { clientKey, say, send } from "./http.js";

const NAMES = { fixed: "fixed", "cannot fix": "cannot fix", question: "question" };

document
  .querySelectorAll("[data-copy]")
  .forEach((button) => button.addEventListener("click", () => copy(button.dataset.copy)));
document.querySelectorAll(".item").forEach(prepare);

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

function prepare(item) {
  const form = item.querySelector("form");
  const words = item.querySelector(".words");
  const field = item.querySelector("textarea");
  const draft = `mezzavoce:${form.getAttribute("action")}`;
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
    answer(event.submitter ? event.submitter.value : "");
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

  async function answer(what) {
    // One key a touch: sent again after a broken line it is still one answer.
    form.elements.client_key.value = form.dataset.pending || clientKey();
    form.dataset.pending = form.elements.client_key.value;
    const body = new FormData(form);
    body.set("what", what);
    try {
      const given = await send(form.action, body);
      delete form.dataset.pending;
      localStorage.removeItem(draft);
      show(given);
    } catch (error) {
      if (error.status) delete form.dataset.pending;
      say(error.message, true);
    }
  }

  function show(given) {
    const answered = given.what in NAMES;
    item.classList.toggle("is-answered", answered);
    item.querySelector(".given").hidden = !answered;
    item.querySelector("[data-given]").textContent = NAMES[given.what] || "";
    item.querySelector("[data-reason]").textContent = given.reason;
    words.hidden = true;
    field.value = "";
    say(answered ? "The reviewer has your answer." : "Taken back.");
  }
}
