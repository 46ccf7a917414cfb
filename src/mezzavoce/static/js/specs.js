// The spec page: leaving with changes that are not saved is asked about once.
const form = document.getElementById("spec-form");
if (form) {
  let changed = false;
  form.addEventListener("input", () => { changed = true; });
  form.addEventListener("submit", () => { changed = false; });
  window.addEventListener("beforeunload", (event) => { if (changed) event.preventDefault(); });
}
