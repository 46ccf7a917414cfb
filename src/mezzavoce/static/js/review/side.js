// The side of the review page: the chosen finding, the list of all, undo. The server renders them; their forms are sent
// from here.
import { clientKey, say } from "../http.js";

/**
 * Look after the side. `onPick(label)` is called for a line that was chosen, `onSend(form, body)` for a form,
 * `onHear(choice)` for a remedy.
 */
export function makeSide(element, { onPick, onSend, onHear }) {
  const list = element.querySelector(".list");
  let lines = Array.from(list.children);

  element.addEventListener("click", (event) => {
    const link = event.target.closest("a[data-mark]");
    if (link) {
      event.preventDefault();
      // After the mouse the keys mean the finding, not the line; whoever came with Tab stays where they are.
      if (event.detail) link.blur();
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
    // A second press while the first is on its way is no second decision.
    if (form.dataset.sending) return;
    form.dataset.sending = "yes";
    const body = new FormData(form);
    if (button?.name) body.set(button.name, button.value);
    if (form.dataset.do === "decide") body.set("client_key", clientKey());
    await onSend(form, body).catch((error) => say(error.message, true));
    delete form.dataset.sending;
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
    const on = lines.length > 1 && grouped();
    button.hidden = lines.length < 2;
    button.setAttribute("aria-pressed", String(on));
    standIn(list, on ? alikeTogether(lines) : lines);
  }

  /**
   * Take over lines that changed. Those that read as before stay where they are, so that a long list is not drawn anew.
   */
  function replace(changed, order) {
    const known = new Map(lines.map((line) => [labelOf(line), line]));
    Object.entries(changed).forEach(([label, html]) => {
      const fresh = lineFrom(html);
      if (!isSame(known.get(label), fresh)) known.set(label, fresh);
    });
    lines = (order || lines.map(labelOf)).map((label) => known.get(label)).filter(Boolean);
    arrange();
  }

  function mark(label) {
    lines.forEach((line) => {
      const chosen = labelOf(line) === label;
      line.classList.toggle("is-chosen", chosen);
      line.querySelector("a").toggleAttribute("aria-current", chosen);
    });
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
    /** Take over what changed, and which mark is chosen. */
    take(state) {
      if (state.lines) replace(state.lines, state.order);
      mark(state.chosen);
    },
    mark,
    arrange,
    group: () => group(!grouped()),
    /** Labels in the order of the list. */
    order: () => Array.from(list.querySelectorAll("a[data-mark]"), (link) => link.dataset.mark),
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
  };
}

function labelOf(line) {
  return line.querySelector("a").dataset.mark;
}

function lineFrom(html) {
  const holder = document.createElement("template");
  holder.innerHTML = html;
  return holder.content.querySelector("li");
}

/** Whether a line reads as the fresh one, whichever is chosen. */
function isSame(line, fresh) {
  if (!line) return false;
  const plain = line.cloneNode(true);
  plain.classList.remove("is-chosen");
  plain.querySelector("a").removeAttribute("aria-current");
  return (
    plain.className.trim() === fresh.className.trim() &&
    plain.dataset.kind === fresh.dataset.kind &&
    plain.innerHTML === fresh.innerHTML
  );
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
  Array.from(list.children)
    .filter((line) => !staying.has(line))
    .forEach((line) => line.remove());
  wanted.forEach((line, at) => {
    if (list.children[at] !== line) list.insertBefore(line, list.children[at] || null);
  });
}
