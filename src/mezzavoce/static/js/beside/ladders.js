// Two ladders one above the other: the same passage of the former mix and of the new one.
import { takeCurves } from "../review/curves.js";
import { drawLadder, drawLevels } from "../timeline/draw_levels.js";
import { drawNames } from "../timeline/draw_names.js";
import { fit, palette } from "../timeline/ink.js";
import { LADDER, MARGIN } from "../timeline/lanes.js";
import { makeScale } from "../timeline/scale.js";
import { unpackSeries } from "../timeline/series.js";
import { makeClock } from "../timeline/timecode.js";

const AROUND_S = 4;
const LONGEST_S = 60;

/** What is drawn of one mix: its curves once they are here, the window and the stretch of the note. */
function makeSide(name, limits) {
  const sound = document.querySelector(`[data-sound=${name}]`);
  const side = {
    name,
    sound,
    canvas: document.querySelector(`[data-ladder=${name}]`),
    words: document.querySelector(`[data-span=${name}]`),
    clock: makeClock(sound.dataset.rate, Boolean(sound.dataset.drop), sound.dataset.start),
    view: { from: 0, to: 10 },
    place: null,
    limits,
    ladder: LADDER,
    ducks: [],
    proposal: null,
    series: null,
  };
  side.set = (change) => Object.assign(side, change);
  return side;
}

/** The former and the new side; `draw()` draws both, `show(places)` goes to a note. */
export async function makeLadders(limits, changed) {
  const sides = ["old", "new"].map((name) => makeSide(name, limits));
  const draw = () => sides.forEach(drawSide);
  await Promise.all(
    sides.map(async (side) => {
      const answer = await fetch(side.sound.dataset.series, { credentials: "same-origin" });
      if (answer.ok) takeCurves(unpackSeries(await answer.arrayBuffer()), side);
    }),
  );
  window.addEventListener("resize", draw);
  return {
    sides,
    draw,
    show({ before, now }) {
      const longest = Math.min(LONGEST_S, Math.max(...[before, now].filter(Boolean).map(([a, b]) => b - a), 2));
      [before, now].forEach((place, k) => {
        sides[k].place = place;
        const from = Math.max(0, (place ? place[0] : 0) - AROUND_S);
        sides[k].view = { from, to: from + longest + 2 * AROUND_S };
        const gone = k === 1 ? "gone from the edit" : "";
        sides[k].words.textContent = place ? sides[k].clock.timecode(place[0]) : gone;
      });
      draw();
      changed();
    },
  };
}

function drawSide(side) {
  const { pen, width, height } = fit(side.canvas);
  const colours = palette();
  const lane = { top: 6, height: height - 12 };
  drawLadder(pen, lane, side.ladder, MARGIN, width, colours);
  if (!side.series || !side.place) return;
  const scale = makeScale(side.view.from, side.view.to, width - MARGIN);
  const { start } = side.series;
  pen.save();
  pen.translate(MARGIN, 0);
  pen.beginPath();
  pen.rect(0, 0, width - MARGIN, height);
  pen.clip();
  if (side.hasLevels) {
    const curves = makeScale(side.view.from - start, side.view.to - start, width - MARGIN);
    drawLevels(pen, lane, curves, side, colours);
    drawNames(pen, lane, curves, side, colours);
  }
  const [from, to] = side.place.map(scale.x);
  pen.strokeStyle = colours.fault;
  pen.lineWidth = 2;
  pen.beginPath();
  pen.moveTo(from, 12);
  pen.lineTo(from, 5);
  pen.lineTo(to, 5);
  pen.lineTo(to, 12);
  pen.stroke();
  pen.fillStyle = colours.ink;
  pen.fillRect(scale.x(side.sound.currentTime) - 0.75, 0, 1.5, height);
  pen.restore();
}
