// Small pictures beside a finding, from the samples themselves: the wave at a peak, a gap, left against right.
import { interpolated } from "../timeline/wave.js";

const WIDTH = 360;
const HIGH = 74;
const SPACE = "http://www.w3.org/2000/svg";

/** Fill the figure of a finding, if it wants one. `loudest(from, to)` gives the loudest time of a stretch. */
export async function showPicture(element, loudest) {
  const figure = element.querySelector("figure[data-picture]");
  if (!figure) return;
  const { picture, samples } = figure.dataset;
  const wanted = moment(figure.dataset, loudest);
  try {
    const response = await fetch(`${samples}?from=${wanted.from.toFixed(6)}&length=${wanted.length}`, {
      credentials: "same-origin",
      headers: { Accept: "application/json" },
    });
    if (!response.ok) throw new Error("no samples");
    const found = await response.json();
    figure.prepend(
      picture === "phase" ? phase(found, JSON.parse(figure.dataset.channels)) : waves(found, figure.dataset, wanted),
    );
  } catch {
    // The figures stand beside it; without the picture nothing is missing that a person could not read.
    figure.hidden = true;
  }
}

function moment({ picture, at, from, to }, loudest) {
  if (picture === "phase") return { from: Math.max(0, loudest(Number(from), Number(to)) - 0.2), length: 0.05 };
  if (picture === "gap") {
    const around = Math.min(0.2, Number(to) - Number(from) + 0.03);
    return { from: Math.max(0, Number(from) - 0.015), length: around };
  }
  return { from: Math.max(0, Number(at) - 0.00125), length: 0.0025 };
}

function make(name, attributes, parent) {
  const node = document.createElementNS(SPACE, name);
  Object.entries(attributes).forEach(([key, value]) => node.setAttribute(key, value));
  parent?.append(node);
  return node;
}

function sheet(width, height, words) {
  return make("svg", {
    viewBox: `0 0 ${width} ${height}`,
    width: "100%",
    role: "img",
    "aria-label": words,
    class: "sample-picture",
  });
}

/** Every channel below the other: dots are samples, the line is the wave between them, dashes are the ceiling. */
function waves(found, { names, limit, picture }, { length }) {
  const channels = found.channels;
  const high = channels.length > 2 ? HIGH / 2 : HIGH;
  const svg = sheet(
    WIDTH,
    high * channels.length,
    `The wave of ${channels.length} channels over ${(length * 1000).toFixed(1)} ms`,
  );
  const ceiling = limit === undefined || limit === "" ? null : 10 ** (Number(limit) / 20);
  const fine = channels.map((channel) => (picture === "gap" ? channel : interpolated(channel, 8)));
  const most = Math.max(ceiling || 0, 0.05, ...fine.flat().map(Math.abs)) * 1.06;
  channels.forEach((channel, k) => {
    const middle = high * (k + 0.5);
    const y = (value) => (middle - (value / most) * (high / 2 - 3)).toFixed(1);
    make("line", { class: "zero", x1: 0, x2: WIDTH, y1: middle, y2: middle }, svg);
    if (ceiling)
      [1, -1].forEach((side) =>
        make("line", { class: "ceiling", x1: 0, x2: WIDTH, y1: y(side * ceiling), y2: y(side * ceiling) }, svg),
      );
    const points = fine[k].map((value, n) => `${((n / (fine[k].length - 1 || 1)) * WIDTH).toFixed(1)} ${y(value)}`);
    make("path", { class: "wave", d: `M${points.join("L")}` }, svg);
    if (picture !== "gap")
      channel.forEach((value, n) =>
        make(
          "circle",
          {
            class: ceiling && Math.abs(value) > ceiling ? "dot is-over" : "dot",
            cx: (n / (channel.length - 1 || 1)) * WIDTH,
            cy: y(value),
            r: 1.7,
          },
          svg,
        ),
      );
    make("text", { x: 3, y: high * k + 11 }, svg).textContent = JSON.parse(names)[k] || String(k + 1);
  });
  return svg;
}

/**
 * Left against right, each sample a dot: on the rising line both run together, on the falling one against each other.
 */
function phase(found, [a, b]) {
  const size = 150;
  const svg = sheet(WIDTH, size, "Each sample of one channel against the other");
  const [left, right] = [found.channels[a], found.channels[b]];
  const most = Math.max(0.001, ...left.map(Math.abs), ...right.map(Math.abs));
  const place = (value) => (size / 2) * (1 + (value / most) * 0.92);
  make("line", { class: "zero", x1: 6, x2: size - 6, y1: size - 6, y2: 6 }, svg);
  make("line", { class: "zero against", x1: 6, x2: size - 6, y1: 6, y2: size - 6 }, svg);
  left.forEach((value, n) => {
    if (n % 2 === 0)
      make(
        "circle",
        { class: "dot", cx: place(value).toFixed(1), cy: (size - place(right[n])).toFixed(1), r: 1.2 },
        svg,
      );
  });
  [
    ["together", 24],
    ["against each other", size - 14],
  ].forEach(([text, y]) => {
    make("text", { x: size + 10, y }, svg).textContent = text;
  });
  return svg;
}
