// Colours, sharp canvases, hatching and words: the pen that the drawing modules share.

/** The page's colours now. */
export function palette() {
  const style = getComputedStyle(document.documentElement);
  const names = [
    "paper",
    "raised",
    "ink",
    "soft",
    "rule",
    "hair",
    "edge",
    "voice",
    "music",
    "music-text",
    "effects",
    "fault",
    "pass",
    "pencil",
    "calm",
  ];
  return Object.fromEntries(names.map((name) => [name, style.getPropertyValue(`--${name}`).trim()]));
}

/** A canvas at the resolution of the screen; returns its context, width and height in CSS pixels. */
export function fit(canvas) {
  const box = canvas.getBoundingClientRect();
  const ratio = window.devicePixelRatio || 1;
  const width = Math.max(1, Math.round(box.width));
  const height = Math.max(1, Math.round(box.height));
  if (canvas.width !== width * ratio || canvas.height !== height * ratio) {
    canvas.width = width * ratio;
    canvas.height = height * ratio;
  }
  const pen = canvas.getContext("2d");
  pen.setTransform(ratio, 0, 0, ratio, 0, 0);
  pen.clearRect(0, 0, width, height);
  return { pen, width, height };
}

/** Hatch the clipped area between two heights. `crossed` adds the other direction. */
export function hatch(pen, left, right, top, bottom, spacing, colour, crossed) {
  pen.strokeStyle = colour;
  pen.lineWidth = 1.2;
  pen.beginPath();
  const height = bottom - top;
  for (let x = left - height; x < right + height; x += spacing) {
    pen.moveTo(x, bottom);
    pen.lineTo(x + height, top);
    if (crossed) {
      pen.moveTo(x, top);
      pen.lineTo(x + height, bottom);
    }
  }
  pen.stroke();
}

const WORD_FONT = "600 12px 'Source Sans 3', sans-serif";

/** A word at a place. */
export function label(pen, text, x, y, colour) {
  pen.font = WORD_FONT;
  pen.textAlign = "center";
  pen.textBaseline = "middle";
  pen.fillStyle = colour;
  pen.fillText(text, x, y);
}

/** Its width in pixels. */
export function labelWidth(pen, text) {
  pen.font = WORD_FONT;
  return pen.measureText(text).width;
}
