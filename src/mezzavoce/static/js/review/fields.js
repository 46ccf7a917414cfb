// Fields that hold a timecode: read, written, moved by frames with the arrow keys.
import { framesOf } from "../timeline/timecode.js";

const PATTERN = /^\d{1,2}:\d{2}:\d{2}[:;.]\d{2,3}$/;

const plain = (timecode) => timecode.trim().replace(/[;.]/g, ":").padStart(11, "0");

/** Reading and writing of timecode fields against a clock whose first frame bears `start`. */
export function makeFields(clock, start, duration) {
  const first = framesOf(start, clock.rate);
  const lengthOf = (frames) => frames * clock.frameLength;

  /** Seconds of a timecode from the first sample; NaN where it is none. */
  function seconds(text) {
    if (!PATTERN.test(text.trim())) return NaN;
    const perDay = clock.rate.nominal * 86400 - clock.rate.dropped * 1296;
    const time = lengthOf((((framesOf(text.trim(), clock.rate) - first) % perDay) + perDay) % perDay);
    // A label that this rate does not have (99 seconds, a dropped frame) reads as another one.
    return plain(clock.timecode(time + clock.frameLength / 100)) === plain(text) ? time : NaN;
  }

  /** The timecode of the frame that begins at a time. */
  const text = (time) => clock.timecode(time + clock.frameLength / 100);

  /** The timecode of the first frame that begins at a time or later, as an out is written. */
  const textAfter = (time) => text(lengthOf(Math.ceil(time / clock.frameLength - 0.01)));

  /** The start of the frame next to a time. */
  const snapped = (time) => Math.min(duration, Math.max(0, lengthOf(Math.round(time / clock.frameLength))));

  /**
   * Up and down move by a frame, with Shift by a second; `changed(seconds)` hears every change, `moved(seconds)` what
   * the keys did.
   */
  function bind(input, changed, moved) {
    const read = () => {
      input.classList.toggle("is-invalid", Number.isNaN(seconds(input.value)));
      changed(seconds(input.value));
    };
    input.addEventListener("input", read);
    input.addEventListener("keydown", (event) => {
      const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
      const now = seconds(input.value);
      if (!way || Number.isNaN(now)) return;
      event.preventDefault();
      const to = Math.min(Math.max(0, now + lengthOf(way * (event.shiftKey ? clock.rate.nominal : 1))), duration);
      input.value = text(to);
      read();
      moved(to);
    });
  }

  return { seconds, text, textAfter, snapped, bind };
}
