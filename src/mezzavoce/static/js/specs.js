// The spec page: saving keeps what was typed when something is refused; leaving with changes that are not saved is
// asked about once.
import { say } from "./http.js";

const form = document.getElementById("spec-form");
if (form) start();

function start() {
  let changed = false;
  form.addEventListener("input", (event) => {
    changed = true;
    event.target.classList.remove("is-invalid");
  });
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    const address = await save().catch((error) => say(error.message, true));
    if (!address) return;
    changed = false;
    location.assign(address);
  });
  window.addEventListener("beforeunload", (event) => {
    if (changed) event.preventDefault();
  });
}

/** Send the form; resolves with the address of the page that shows what was saved. */
async function save() {
  const response = await fetch(form.action, {
    method: "POST",
    body: new FormData(form),
    credentials: "same-origin",
    headers: { Accept: "application/json" },
  });
  if (response.ok) return response.url;
  const { error } = await response
    .json()
    .catch(() => ({ error: "The server did not understand that. Reload the page and try again." }));
  throw new Error(named(error));
}

/** Marks the fields that a sentence names, and puts the words of the page in the place of their names. */
function named(sentence) {
  const found = [];
  const words = sentence.replace(/“([^”]+)”/g, (whole, name) => {
    const field =
      form.elements.namedItem(name) || Array.from(form.elements).find((e) => e.labels?.[0]?.textContent === name);
    if (!field) return whole;
    found.push(field);
    return `“${field.labels[0].textContent}”`;
  });
  found.forEach((field) => field.classList.add("is-invalid"));
  found[0]?.focus();
  return words;
}
