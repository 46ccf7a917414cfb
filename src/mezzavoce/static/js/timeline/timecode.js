// Seconds as timecode (SMPTE ST 12-1), the same rules as the Python core. Pure.

/** A frame rate from "25" or "30000/1001". */
export function parseRate(text, dropFrame) {
  const [over, under] = text.split("/").map(Number);
  const rate = { over, under: under || 1, dropFrame };
  rate.nominal = Math.ceil(rate.over / rate.under);
  rate.dropped = dropFrame ? Math.floor(rate.nominal / 15) : 0;
  return rate;
}

/** Frames since 00:00:00:00 of a timecode. */
export function framesOf(timecode, rate) {
  const [hours, minutes, seconds, frames] = timecode.split(/[:;.]/).map(Number);
  const whole = hours * 60 + minutes;
  return (whole * 60 + seconds) * rate.nominal + frames - rate.dropped * (whole - Math.floor(whole / 10));
}

/** The timecode of a frame count, wrapped at 24 hours. */
export function formatFrames(count, rate) {
  const perTen = rate.nominal * 600 - 9 * rate.dropped;
  let frame = ((count % (perTen * 144)) + perTen * 144) % (perTen * 144);
  if (rate.dropped) {
    const tens = Math.floor(frame / perTen);
    const rest = frame % perTen;
    frame += 9 * rate.dropped * tens;
    if (rest >= rate.nominal * 60) {
      frame += rate.dropped * (Math.floor((rest - rate.nominal * 60) / (rate.nominal * 60 - rate.dropped)) + 1);
    }
  }
  const two = (value) => String(value).padStart(2, "0");
  const seconds = Math.floor(frame / rate.nominal);
  const parts = [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60].map(two);
  return `${parts.join(":")}${rate.dropped ? ";" : ":"}${two(frame % rate.nominal)}`;
}

/**
 * Number of the frame, from the first of the file, that holds a time. A millionth of a second of slack, as in the core.
 */
export function frameAt(time, rate) {
  return Math.floor(((time + 1e-6) * rate.over) / rate.under);
}

/** A clock that starts at a timecode. */
export function makeClock(rateText, dropFrame, start) {
  const rate = parseRate(rateText, dropFrame);
  const first = framesOf(start, rate);
  /** Start of the timecode second that holds a time. */
  function secondAt(time) {
    const frame = frameAt(time, rate);
    const label = Number(formatFrames(first + frame, rate).split(/[:;]/)[3]);
    const lowest =
      rate.dropped && label >= rate.dropped && formatFrames(first + frame - label, rate).split(/[:;]/)[2] === "59"
        ? rate.dropped
        : 0;
    return ((frame - label + lowest) * rate.under) / rate.over;
  }
  return {
    rate,
    secondAt,
    timecode: (time) => formatFrames(first + frameAt(time, rate), rate),
    frameLength: rate.under / rate.over,
  };
}
