// A note of one's own: a dialog that begins at the playhead, and keeps its words until they are taken.
import { send } from "../http.js";

const LENGTH_S = 2;

/** Looks after the dialog; returns what opens it. */
export function makeByHand(store, player) {
  const dialog = document.getElementById("by-hand");
  const form = dialog?.querySelector("form");
  if (!form) return () => {};
  const problem = form.querySelector("[role=alert]");

  async function save() {
    problem.hidden = true;
    try {
      const { address } = await send(form.action, new FormData(form));
      location.assign(address);
    } catch (error) {
      problem.textContent = error.message;
      problem.hidden = false;
    }
  }

  form.addEventListener("submit", (event) => {
    event.preventDefault();
    save();
  });
  form.addEventListener("keydown", (event) => {
    if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) form.requestSubmit();
  });
  dialog.addEventListener("shown.bs.modal", () => form.elements.title.focus());

  return () => {
    const { clock, duration } = store.get();
    const begin = player.time();
    form.elements.from.value = clock.timecode(begin);
    form.elements.to.value = clock.timecode(Math.min(begin + LENGTH_S, duration));
    window.bootstrap.Modal.getOrCreateInstance(dialog).show();
  };
}
