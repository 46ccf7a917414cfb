// The side of the review page: server-rendered, refreshed as a whole; its forms are posted from here.
import { clientKey, fragment, say, send } from "../talk.js";

/** Look after the side. `onChange(mark)` is called after something was decided, worded or undone. */
export function makeSide(element, onPick, onChange, onHear) {
  let asked = 0;
  element.addEventListener("click", (event) => {
    const link = event.target.closest("a[data-mark]");
    if (link) {
      event.preventDefault();
      onPick(link.dataset.mark);
    }
    if (event.target.closest("[data-allow]")) openAllow();
    const heard = event.target.closest("[data-hear]");
    if (heard) onHear(Number(heard.dataset.hear));
    if (event.target.closest("[data-group]")) group(!grouped());
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
      onChange(answer.mark, { did: form.dataset.do, what: body.get("what"), alike: body.has("alike"), again: answer.again });
    } catch (error) {
      say(error.message, true);
    }
  }

  /** Those alike together, or by place; remembered in this browser. */
  function grouped() {
    return localStorage.getItem("mezzavoce.grouped") === "yes";
  }

  function group(on) {
    localStorage.setItem("mezzavoce.grouped", on ? "yes" : "no");
    arrange();
  }

  function arrange() {
    const list = element.querySelector(".list");
    const button = element.querySelector("[data-group]");
    if (!list || !button) return;
    const on = grouped();
    button.setAttribute("aria-pressed", String(on));
    list.querySelectorAll(".list-kind").forEach((head) => head.remove());
    const rows = Array.from(list.children).sort((a, b) => a.dataset.place - b.dataset.place);
    const kinds = [...new Set(rows.map((row) => row.dataset.kind))];
    const size = (kind) => rows.filter((row) => row.dataset.kind === kind).length;
    const order = on ? kinds.sort((a, b) => size(b) - size(a)).flatMap((kind) => [headOf(kind, rows), ...rows.filter((row) => row.dataset.kind === kind)]) : rows;
    list.replaceChildren(...order.filter(Boolean));
  }

  function headOf(kind, rows) {
    const alike = rows.filter((row) => row.dataset.kind === kind);
    const head = document.createElement("li");
    head.className = "list-kind";
    head.textContent = `${alike[0].dataset.words} · ${alike.length}`;
    return head;
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
      if (turn === asked) this.take(html);
    },
    /** Show what was rendered elsewhere. */
    take(html) {
      asked += 1;
      element.innerHTML = html;
      arrange();
      element.querySelector(".is-chosen")?.scrollIntoView({ block: "nearest" });
    },
    arrange,
    group: () => group(!grouped()),
    /** Letters in the order of the list. */
    order: () => Array.from(element.querySelectorAll(".list a[data-mark]"), (link) => link.dataset.mark),
    press(what, alike = false) {
      const button = element.querySelector(`.${alike ? "alike" : "decide"} button[value="${what}"]`);
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
