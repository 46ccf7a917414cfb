// Wordings of notes: what is typed is tried on a finding of the production at once.
const address = document.querySelector("[data-try]").dataset.try;
const AFTER_MS = 300;

document.querySelectorAll(".worded form").forEach((form) => {
  const place = form.querySelector("[data-tried]");
  const field = form.querySelector("textarea");
  let turn = 0;
  if (place)
    field.addEventListener("input", () => {
      clearTimeout(turn);
      turn = setTimeout(() => show(form, field, place), AFTER_MS);
    });
});

async function show(form, field, place) {
  const asked = field.value;
  const query = new URLSearchParams({ kind: form.elements.kind.value, text: asked });
  const response = await fetch(`${address}?${query}`, { headers: { Accept: "application/json" } }).catch(() => null);
  const told = response ? await response.json().catch(() => ({})) : {};
  if (field.value !== asked) return;
  place.textContent = told.text || told.error || "";
  place.classList.toggle("wrong", !told.text);
}
