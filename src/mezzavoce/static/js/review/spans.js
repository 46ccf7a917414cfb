// A stretch under the hand: a speech region or the bounds of a finding. Moved by mouse or keys, frame by frame; nothing
// counts before it is saved.
import { say } from "../http.js";
import { makeFields } from "./fields.js";
import { makePrejudge } from "./prejudge.js";

const NEW_LENGTH = 2;

/** Look after the span panel. The store's `span` ({what, from, to}) is what the lanes draw. */
export function makeSpans(store, root, seek, post) {
  const panel = document.getElementById("span-panel");
  if (!panel) return { open: false, speech() {}, bounds() {}, setEdge: () => false, edgeAt: () => null, drag() {} };
  const { clock, start, duration } = store.get();
  const fields = makeFields(clock, start, duration);
  const prejudge = makePrejudge(root.dataset.prejudge);
  const [begin, end] = panel.querySelectorAll("input");
  let sending = false;

  function show(span, focus = true) {
    panel.hidden = false;
    panel.dataset.what = span.what;
    panel.querySelector("[data-span-title]").textContent =
      span.what === "speech" ? "Speech" : `Bounds of ${store.get().chosen.label}`;
    panel.querySelectorAll("[data-for]").forEach((part) => {
      part.hidden = part.dataset.for !== span.what;
    });
    begin.value = fields.text(span.from);
    end.value = fields.textAfter(span.to);
    [begin, end].forEach((input) => input.classList.remove("is-invalid"));
    store.set({ span });
    ahead(span);
    if (focus) begin.focus();
  }

  function close() {
    panel.hidden = true;
    prejudge(null);
    store.set({ span: null });
    document.getElementById("lanes-canvas").focus();
  }

  function read() {
    const [from, to] = [fields.seconds(begin.value), fields.seconds(end.value)];
    if (!Number.isFinite(from) || !Number.isFinite(to)) return;
    store.set({ span: { ...store.get().span, from, to } });
    ahead(store.get().span);
  }

  function ahead(span) {
    if (span.what !== "speech") return;
    // A region that stands there as it is can only be taken away.
    const known = store.get().speech.some(([from, to]) => from === span.from && to === span.to);
    prejudge(form(known ? "no-speech" : "speech"));
  }

  function form(kind) {
    const body = new FormData();
    body.set("from", begin.value.trim());
    body.set("to", end.value.trim());
    if (kind) body.set("kind", kind);
    const was = store.get().span?.was;
    if (was) {
      body.set("instead-from", fields.text(was[0]));
      body.set("instead-to", fields.textAfter(was[1]));
    }
    return body;
  }

  async function save(button) {
    const { span, chosen } = store.get();
    if (!span || sending) return;
    sending = true;
    prejudge(null);
    try {
      await post(
        span.what === "speech" ? root.dataset.correct : root.dataset.trim.replace("/0/", `/${chosen.id}/`),
        form(button.value),
      );
      close();
    } catch (error) {
      say(error.message, true);
    }
    sending = false;
  }

  [begin, end].forEach((input) => fields.bind(input, read, seek));
  panel.addEventListener("click", (event) => {
    const button = event.target.closest("button");
    if (button?.dataset.leave !== undefined) close();
    else if (button) save(button);
  });
  panel.addEventListener("keydown", (event) => {
    if (event.key === "Escape") close();
    if (event.key === "Enter" && event.target.matches("input"))
      save(panel.querySelector("[data-for]:not([hidden]) button"));
  });

  return {
    get open() {
      return !panel.hidden;
    },
    /** The speech region at a time, or a new one there. */
    speech(time, focus = true) {
      const region = store.get().speech.find(([from, to]) => from <= time && time < to);
      const [from, to] = region || [fields.snapped(time), fields.snapped(Math.min(duration, time + NEW_LENGTH))];
      show({ what: "speech", from, to, was: region }, focus);
    },
    bounds(focus = true) {
      const { chosen } = store.get();
      if (chosen) show({ what: "finding", from: chosen.in, to: chosen.out }, focus);
      else say("Choose a finding first.");
    },
    /** Set in or out to a time; says whether a stretch is open. */
    setEdge(which, time) {
      if (panel.hidden) return false;
      (which === "in" ? begin : end).value = fields.text(fields.snapped(time));
      read();
      return true;
    },
    /** The edge under a place: of the open stretch, else of a speech region; null where none is near. */
    edgeAt(time, near, inSpeech) {
      const { span, speech } = store.get();
      const found = (from, to) => (Math.abs(time - from) <= near ? "in" : Math.abs(time - to) <= near ? "out" : null);
      if (span) return found(span.from, span.to);
      const region = inSpeech && speech.find(([from, to]) => found(from, to));
      return region ? found(...region) : null;
    },
    /** Move an edge; opens the region it belongs to. */
    drag(which, time, near) {
      if (!store.get().span) {
        const region = store.get().speech.find(([from, to]) => Math.abs((which === "in" ? from : to) - time) <= near);
        if (!region) return;
        show({ what: "speech", from: region[0], to: region[1], was: region }, false);
      }
      this.setEdge(which, time);
    },
  };
}
