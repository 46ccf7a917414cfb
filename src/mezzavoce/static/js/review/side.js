// The side of the review page: server-rendered, refreshed as a whole; its forms are posted from here.
import { clientKey, fragment, say, send } from "../talk.js";

/** Look after the side. `onChange(mark)` is called after something was decided, worded or undone. */
export function makeSide(element, onPick, onChange, onHear) {
  let asked = 0;
  let sending = 0;
  let lines = Array.from(element.querySelectorAll(".list > li"));
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
    sending += 1;
    try {
      const answer = await send(form.action, body);
      await onChange(answer.mark, { did: form.dataset.do, what: body.get("what"), alike: body.has("alike"), again: answer.again });
    } catch (error) {
      say(error.message, true);
    }
    sending -= 1;
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
    const button = element.querySelector("[data-group]");
    const on = Boolean(button) && grouped();
    button?.setAttribute("aria-pressed", String(on));
    standIn(element.querySelector(".list"), on ? alikeTogether(lines) : lines);
  }

  /** Take over the parts of the side. Lines that say what they said before stay where they are, so that a long list is not drawn anew. */
  function replace(parts) {
    const list = element.querySelector(".list");
    const at = parts.findIndex((part) => part.matches(".list"));
    const known = new Map(lines.map((line) => [lettersOf(line), line]));
    lines = Array.from(parts[at].children, (line) => (known.get(lettersOf(line))?.isEqualNode(line) ? known.get(lettersOf(line)) : line));
    Array.from(element.children).filter((part) => part !== list).forEach((part) => part.remove());
    list.before(...parts.slice(0, at));
    list.after(...parts.slice(at + 1));
    arrange();
    element.querySelector(".is-chosen")?.scrollIntoView({ block: "nearest" });
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
      const content = await fragment(`${element.closest("[data-side]").dataset.side}?mark=${encodeURIComponent(letters)}`);
      if (turn === asked) this.take(content);
    },
    /** Show what was rendered elsewhere. */
    take(content) {
      asked += 1;
      replace(Array.from(content.children));
    },
    arrange,
    /** Whether something is on its way that changes what is shown. */
    busy: () => sending > 0,
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
      if (!field) return false;
      field.focus({ preventScroll: true });
      // The whole wording and the button that saves it, not a line of them at the fold.
      field.form.scrollIntoView({ block: "end" });
      return true;
    },
    decided: () => new Set(Array.from(element.querySelectorAll(".list .is-done a"), (link) => link.dataset.mark)),
    facts: () => element.querySelector(".side-data").dataset,
  };
}

function lettersOf(line) {
  return line.querySelector("a").dataset.mark;
}

/** Lines with a heading for each kind, the kind with most of them first. */
function alikeTogether(lines) {
  const kinds = new Map();
  lines.forEach((line) => kinds.set(line.dataset.kind, [...(kinds.get(line.dataset.kind) || []), line]));
  return [...kinds.values()].sort((a, b) => b.length - a.length).flatMap((alike) => [headOf(alike), ...alike]);
}

function headOf(alike) {
  const head = document.createElement("li");
  head.className = "list-kind";
  head.textContent = `${alike[0].dataset.words} · ${alike.length}`;
  return head;
}

/** What a list holds, in order; what stands in its place already is not touched. */
function standIn(list, wanted) {
  const staying = new Set(wanted);
  Array.from(list.children).filter((line) => !staying.has(line)).forEach((line) => line.remove());
  wanted.forEach((line, at) => {
    if (list.children[at] !== line) list.insertBefore(line, list.children[at] || null);
  });
}
