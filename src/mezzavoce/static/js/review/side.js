// The side of the review page: server-rendered, refreshed as a whole; its forms are posted from here.
import { clientKey, fragment, say, send } from "../talk.js";

/** Look after the side. `onChange(mark)` is called after something was decided, worded or undone. */
export function makeSide(element, onPick, onChange) {
  let asked = 0;
  element.addEventListener("click", (event) => {
    const link = event.target.closest("a[data-mark]");
    if (link) {
      event.preventDefault();
      onPick(link.dataset.mark);
    }
    if (event.target.closest("[data-allow]")) openAllow();
  });
  element.addEventListener("submit", (event) => {
    event.preventDefault();
    post(event.target, event.submitter);
  });
  element.addEventListener("keydown", (event) => {
    if (event.key === "Enter" && event.ctrlKey && event.target.form) event.target.form.requestSubmit();
    if (event.key === "Escape" && event.target.matches("input, textarea")) event.target.blur();
  });

  async function post(form, button) {
    const body = new FormData(form);
    if (button && button.name) body.set(button.name, button.value);
    if (form.dataset.do === "decide") body.set("client_key", clientKey());
    try {
      const answer = await send(form.action, body);
      onChange(answer.mark, form.dataset.do, body.get("what"));
    } catch (error) {
      say(error.message, true);
    }
  }

  function openAllow() {
    const form = element.querySelector("#allow-form");
    if (!form) return;
    form.hidden = false;
    element.querySelector("[data-allow]").setAttribute("aria-expanded", "true");
    form.querySelector("input[name=reason]").focus();
  }

  return {
    /** Show a mark. Of two asked for in a row the later one stays, whichever answer comes first. */
    async show(letters) {
      asked += 1;
      const turn = asked;
      const html = await fragment(`${element.closest("[data-side]").dataset.side}?mark=${encodeURIComponent(letters)}`);
      if (turn !== asked) return;
      element.innerHTML = html;
      element.querySelector(".is-chosen")?.scrollIntoView({ block: "nearest" });
    },
    press(what) {
      const button = element.querySelector(`.decide button[value="${what}"]`);
      if (button) post(button.form, button);
      return Boolean(button);
    },
    undo() {
      const form = element.querySelector("form[data-do=undo]");
      if (form) post(form, null);
      else say("Nothing to undo here.");
    },
    openAllow,
    edit() {
      const field = element.querySelector("#wording");
      field?.focus();
      return Boolean(field);
    },
    decided: () => new Set(Array.from(element.querySelectorAll(".list .is-done a"), (link) => link.dataset.mark)),
    facts: () => element.querySelector(".side-data").dataset,
  };
}
