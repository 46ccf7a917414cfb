// The page of one note: saving by keys, taking the proposed words, choosing points of one's own by writing them.
const form = document.querySelector(".one-note");
const text = form.querySelector("#text");

document.addEventListener("keydown", (event) => {
  if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) form.requestSubmit();
});
form.querySelector("[data-take]")?.addEventListener("click", (event) => {
  text.value = event.currentTarget.dataset.take;
  text.focus();
});
form.querySelector(".own-points").addEventListener("input", () => {
  form.querySelector("#remedy-own").checked = true;
});
