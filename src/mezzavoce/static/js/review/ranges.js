// What of the file is programme: shown on the strip, moved by frames or by typing timecode, saved and judged again at
// once.
import { say } from "../http.js";
import { makeFields } from "./fields.js";

/**
 * Look after the range panel. `seek` moves the playhead, `post` sends what was set; the strip follows the store's
 * `parts`.
 */
export function makeRanges(store, seek, post) {
  const panel = document.getElementById("range-panel");
  const opener = () => document.getElementById("range-open");
  const list = document.getElementById("range-parts");
  if (!panel || !list) return { open() {}, setEdge() {} };
  const { clock } = store.get();
  const { seconds, text, bind } = makeFields(clock, store.get().start, store.get().duration);
  let last = null;

  function rows() {
    return Array.from(list.children, (row) =>
      Array.from(row.querySelectorAll("input"), (input) => seconds(input.value)),
    );
  }

  function show() {
    const parts = rows();
    if (parts.flat().every(Number.isFinite)) store.set({ parts });
  }

  function add([from, to]) {
    const row = document.createElement("li");
    row.innerHTML =
      '<label>in <input class="form-control tc" inputmode="numeric"></label>' +
      '<label>out <input class="form-control tc" inputmode="numeric"></label>' +
      '<button type="button" class="plain">remove</button>';
    const [begin, end] = row.querySelectorAll("input");
    begin.value = text(from);
    end.value = text(to);
    [begin, end].forEach((input) => {
      bind(input, show, seek);
      input.addEventListener("focus", () => {
        last = input;
        const at = seconds(input.value);
        if (Number.isFinite(at)) seek(at);
      });
    });
    row.querySelector("button").addEventListener("click", () => {
      row.remove();
      show();
    });
    list.append(row);
  }

  function fill() {
    list.replaceChildren();
    store.get().parts.forEach(add);
  }

  function open(focus = true) {
    if (panel.hidden) fill();
    panel.hidden = false;
    opener()?.setAttribute("aria-expanded", "true");
    if (focus) list.querySelector("input")?.focus();
  }

  function close() {
    panel.hidden = true;
    opener()?.setAttribute("aria-expanded", "false");
    store.set({ parts: store.get().range.parts });
    opener()?.focus();
  }

  async function save(body) {
    try {
      await post(panel.dataset.address, body);
      close();
    } catch (error) {
      say(error.message, true);
    }
  }

  function saveParts() {
    const body = new FormData();
    Array.from(list.children).forEach((row) =>
      row.querySelectorAll("input").forEach((input, k) => body.append(k ? "to" : "from", input.value.trim())),
    );
    save(body);
  }

  // The row with the button is rendered anew whenever the range is another one.
  document.querySelector("[data-part=range]").addEventListener("click", (event) => {
    if (!event.target.closest("#range-open")) return;
    if (panel.hidden) open();
    else close();
  });
  document.getElementById("range-add").addEventListener("click", () => {
    const end = Math.max(0, ...rows().flat().filter(Number.isFinite));
    add([Math.min(end, store.get().duration), store.get().duration]);
    show();
    list.lastElementChild.querySelector("input").focus();
  });
  document.getElementById("range-found").addEventListener("click", () => {
    const body = new FormData();
    body.set("found", "1");
    save(body);
  });
  document.getElementById("range-save").addEventListener("click", saveParts);
  document.getElementById("range-close").addEventListener("click", close);
  panel.addEventListener("keydown", (event) => {
    if (event.key === "Escape") close();
    if (event.key === "Enter" && event.target.matches("input")) saveParts();
  });

  return {
    open,
    /** Set in or out of the part that was touched last (else the first, the last) to the playhead. */
    setEdge(which, time) {
      open(false);
      const row = last?.closest("li") || (which === "in" ? list.firstElementChild : list.lastElementChild);
      const input = row?.querySelectorAll("input")[which === "in" ? 0 : 1];
      if (!input) return;
      input.value = clock.timecode(time);
      last = input;
      show();
      say(`${which === "in" ? "In" : "Out"} is at ${input.value}; save to judge by it.`);
    },
  };
}
