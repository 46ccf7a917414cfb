// The review page: brings store, picture, sound, lanes, side and keys together.
import { LADDER } from "../timeline/lanes.js";
import { makeClock } from "../timeline/timecode.js";
import { makeByHand } from "./by_hand.js";
import { bindControls } from "./controls.js";
import { makeCurves, takeCurves } from "./curves.js";
import { makeHearing } from "./hear.js";
import { makePeaks } from "./peaks.js";
import { RUN_UP, makePlayer } from "./player.js";
import { makeRanges } from "./ranges.js";
import { makeReadout } from "./readout.js";
import { makeSide } from "./side.js";
import { makeSpans } from "./spans.js";
import { makeState, waitForFigures } from "./state.js";
import { makeStore } from "./store.js";
import { makeView } from "./view.js";
import { lowerFor, makeWalk } from "./walk.js";
import { windowKeeping, windowOf } from "./viewport.js";

const page = document.getElementById("review");
if (page) start(page);
else waitForFigures();

function start(root) {
  const data = JSON.parse(document.getElementById("review-data").textContent);
  const chosenLabel = document.querySelector(".finding")?.dataset.mark;
  const chosen = data.marks.find((mark) => mark.label === chosenLabel) || null;
  // Where nothing was found, what is of interest begins with the programme, not with its leader.
  const begin = data.range.parts.length ? data.range.parts[0][0] : 0;
  const store = makeStore({
    ...data,
    clock: makeClock(data.rate, data.dropFrame, data.start),
    chosen,
    time: chosen ? Math.max(0, chosen.in - RUN_UP) : begin,
    span: null,
    series: null,
    hasLevels: false,
    ladder: LADDER,
    view: windowOf(chosen, data.duration, begin),
    proposal: chosen?.remedy || null,
    parts: data.range.parts,
    lower: lowerFor(chosen),
    peaks: null,
  });
  const video = document.getElementById("video");
  const player = makePlayer(video, data.duration, makeReadout(store).tell);
  const hearing = makeHearing(root, video, store);
  const curves = makeCurves(root.dataset.series);
  const side = makeSide(document.getElementById("side"), {
    onPick: (label) => walk.pick(label),
    onSend: (form, body) => walk.send(form, body),
    onHear: (choice) => hearing.turn(choice),
  });
  const walk = makeWalk(root, { store, player, hearing, side, curves });
  const show = (time) => {
    player.seek(time);
    store.set({ view: windowKeeping(time, store.get().view, data.duration) });
  };
  const spans = makeSpans(store, root, show, walk.post);
  const ranges = makeRanges(store, show, walk.post);
  makeView(store, (time) => player.seek(time), walk.pick, spans);
  side.arrange();
  makePeaks(store, root.dataset.peaks, () => store.get().lower === "peaks");
  const write = makeByHand(store, player);
  bindControls({ store, player, hearing, ranges, side, spans, walk, write });
  walk.follow(makeState({ store, side, judged: walk.judged, shown: walk.picture }));
  curves().then((series) => {
    takeCurves(series, store);
    walk.picture();
  });
  if (chosen) player.visit(chosen, false);
  else if (begin > 0) player.seek(begin);
  root.dataset.ready = "yes";
}
