// Draws strip and lanes whenever the store changes, at most once a frame, and turns clicks into times.
import { drawLanes, drawPlayhead } from "../timeline/draw_lanes.js";
import { drawStrip, drawStripHead } from "../timeline/draw_strip.js";
import { palette } from "../timeline/ink.js";
import { MARGIN, layLanes } from "../timeline/lanes.js";
import { framed } from "../timeline/marks.js";
import { makeScale } from "../timeline/scale.js";

const FRAME_ROOM = 24;
const EDGE_ROOM = 6;
// What of the state the strip shows, beside window and playhead.
const ON_STRIP = ["series", "voice", "under", "marks", "parts", "range", "duration"];

/** Look after both canvases. `onSeek(time)` and `onPick(label)` hear clicks. */
export function makeView(store, onSeek, onPick, spans) {
  const strip = document.getElementById("strip-canvas");
  const lanes = document.getElementById("lanes-canvas");
  const badges = document.getElementById("strip-marks");
  const heads = { strip: document.getElementById("strip-head"), lanes: document.getElementById("lanes-head") };
  let colours = palette();
  let scale = null;
  // What has to be drawn in the next frame.
  const stale = { strip: true, lanes: true };
  let wanted = false;

  function stripScale() {
    return makeScale(0, store.get().duration, strip.getBoundingClientRect().width);
  }

  function draw() {
    wanted = false;
    const state = store.get();
    const whole = stripScale();
    if (stale.strip) drawStrip(strip, whole, state, colours);
    if (stale.lanes) scale = drawLanes(lanes, state, colours);
    drawStripHead(heads.strip, whole, state, colours);
    drawPlayhead(heads.lanes, scale, state.time, colours);
    stale.strip = stale.lanes = false;
  }

  function ask(changes) {
    const names = changes ? Object.keys(changes) : [...ON_STRIP, "view"];
    stale.strip ||= names.some((name) => ON_STRIP.includes(name));
    stale.lanes ||= names.some((name) => name !== "time");
    if (wanted) return;
    wanted = true;
    requestAnimationFrame(draw);
  }

  function placeBadges() {
    const state = store.get();
    const x = stripScale().x;
    const index = state.marks.findIndex((mark) => state.chosen && mark.label === state.chosen.label);
    badges.replaceChildren(
      ...framed(state.marks, Math.max(0, index), x, FRAME_ROOM).map((at) => badge(state.marks[at], x, at === index)),
    );
  }

  function badge(mark, x, chosen) {
    const link = document.createElement("a");
    link.href = `?mark=${mark.label}`;
    link.className = chosen ? "is-chosen" : "";
    link.style.left = `${Math.min(Math.max(10, x(mark.in)), strip.getBoundingClientRect().width - 10)}px`;
    link.title = `${mark.label}: ${mark.title} (${mark.state})`;
    const drawn = document.querySelector(`.list a[data-mark="${mark.label}"] .sign`);
    if (drawn) link.append(drawn.cloneNode(true));
    link.addEventListener("click", (event) => {
      event.preventDefault();
      onPick(mark.label);
    });
    return link;
  }

  strip.parentElement.addEventListener("click", (event) => {
    if (event.target.closest("a")) return;
    onSeek(stripScale().time(event.clientX - strip.getBoundingClientRect().left));
  });
  const placeOf = (event) => {
    const box = lanes.getBoundingClientRect();
    return { x: event.clientX - box.left - MARGIN, y: event.clientY - box.top };
  };
  const near = () => EDGE_ROOM / scale.perSecond;
  const inSpeech = (y) => {
    const { speech } = layLanes(lanes.getBoundingClientRect().height);
    return y >= speech.top && y <= speech.top + speech.height;
  };
  let held = null;
  let moved = false;
  lanes.addEventListener("pointerdown", (event) => {
    const { x, y } = placeOf(event);
    moved = false;
    held = scale && x >= 0 ? spans.edgeAt(scale.time(x), near(), inSpeech(y)) : null;
    if (held) lanes.setPointerCapture(event.pointerId);
  });
  lanes.addEventListener("pointermove", (event) => {
    if (!scale) return;
    const { x, y } = placeOf(event);
    if (held && event.buttons) {
      moved = true;
      spans.drag(held, scale.time(x), near());
    } else lanes.style.cursor = spans.edgeAt(scale.time(x), near(), inSpeech(y)) ? "ew-resize" : "";
  });
  lanes.addEventListener("pointerup", () => {
    held = null;
  });
  lanes.addEventListener("click", (event) => {
    const { x } = placeOf(event);
    if (scale && x >= 0 && !moved) onSeek(scale.time(x));
  });
  new ResizeObserver(() => {
    ask(null);
    placeBadges();
  }).observe(lanes.parentElement);
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => {
    colours = palette();
    ask(null);
  });
  document.fonts.ready.then(() => ask(null));
  store.watch((_, changes) => {
    ask(changes);
    if (changes.marks || changes.chosen) placeBadges();
  });
  placeBadges();
  ask(null);
}
