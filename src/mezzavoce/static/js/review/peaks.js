// Fetches true peaks for the window in view: one request of a few kilobytes, at the level of detail that the screen can
// show.
const HEADER = 512;
const WAIT = 60;

/** Keeps `store.peaks` in step with the view while `wanted()` says so. */
export function makePeaks(store, address, wanted) {
  let header = null;
  let run = 0;
  let timer = null;
  let asked = "";

  async function bytes(from, to) {
    const response = await fetch(`${address}?run=${run}`, {
      credentials: "same-origin",
      headers: { Range: `bytes=${from}-${to}` },
    });
    if (response.status !== 206) throw new Error("no peaks");
    return new Uint8Array(await response.arrayBuffer());
  }

  async function load() {
    if (!wanted()) return;
    if (run !== store.get().run) {
      run = store.get().run;
      header = null;
      asked = "";
    }
    try {
      header = header || JSON.parse(new TextDecoder().decode(await bytes(0, HEADER - 1)));
      const { view } = store.get();
      const width = document.getElementById("lanes-canvas").getBoundingClientRect().width;
      const { level, first, last } = choose(header.levels, view, width);
      const key = `${level.hop_s} ${first} ${last}`;
      if (key === asked || last <= first) return;
      asked = key;
      const values = await bytes(level.offset + first * header.channels, level.offset + last * header.channels - 1);
      if (key === asked)
        store.set({ peaks: { hop: level.hop_s, first, channels: header.channels, names: header.names, values } });
    } catch {
      // A measurement from before has none; the lane stays empty.
    }
  }

  store.watch((_, changes) => {
    if (!changes.view && !changes.lower && !changes.run) return;
    clearTimeout(timer);
    timer = setTimeout(load, WAIT);
  });
  load();
}

/** The coarsest level that still gives every pixel a value of its own, and the steps that the window needs. Pure. */
export function choose(levels, view, width) {
  const perPixel = (view.to - view.from) / Math.max(1, width);
  const level = [...levels].reverse().find((l) => l.hop_s <= Math.max(perPixel, levels[0].hop_s)) || levels[0];
  const first = Math.max(0, Math.floor(view.from / level.hop_s));
  const last = Math.min(level.count, Math.ceil(view.to / level.hop_s) + 1);
  return { level, first, last };
}
