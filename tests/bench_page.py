"""What a frame of the review page costs in script.

Two hours with many findings and ducks, drawn by the page's own modules in a headless browser.

The material is made from formulas in the page; times are those of the callbacks of ``requestAnimationFrame``, of which
the page draws in one.
"""

import functools
import http.server
import statistics
import threading
from pathlib import Path

from playwright.sync_api import sync_playwright

STATIC = Path(__file__).parents[1] / "src/mezzavoce/static"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
CASES = ((500, 330), (500, 800))
TO_REACH_MS = (8, 16)
_PAGE = """<!doctype html><html><head>
<link rel="stylesheet" href="/css/tokens.css"><link rel="stylesheet" href="/css/review.css">
<style>#lanes{height:460px;width:930px}#strip{height:66px;width:886px}</style></head><body>
<div class="strip" id="strip"><div class="strip-marks" id="strip-marks"></div>
<canvas id="strip-canvas"></canvas><canvas class="over" id="strip-head"></canvas></div>
<div class="lanes" id="lanes"><canvas id="lanes-canvas"></canvas><canvas class="over" id="lanes-head"></canvas></div>
</body></html>"""
_RUN = """async ({ findings, ducks }) => {
  const load = (name) => import(`/js/${name}.js`);
  const names = [
    "review/store", "review/view", "review/curves", "timeline/timecode", "timeline/scale", "timeline/lanes",
  ];
  const [{ makeStore }, { makeView }, { takeCurves }, { makeClock }, { zoomed }, lanes] =
    await Promise.all(names.map(load));
  const [duration, hop] = [7200, 0.1];
  const count = duration / hop;
  const curve = (level) => Float32Array.from({ length: count }, (_, i) => level(i * hop, i));
  const noise = (i) => ((Math.sin(i * 12.9898) * 43758.5453) % 1) * 2;
  const talks = (t) => t % 8 < 6;
  const music = (t, i) => (talks(t) ? -38 : -26) + 2 * Math.sin(t / 3) + noise(i);
  const voice = (t, i) => (talks(t) ? -24 + noise(i) * 1.5 : NaN);
  const curves = {
    speech_lufs: curve(voice), music_lufs: curve(music), effects_lufs: curve((t, i) => -48 + noise(i)),
    background_lufs: curve((t, i) => music(t, i) + 0.3),
    speech_probability: curve((t) => (talks(t) ? 1 : 0)), momentary_lufs: curve((t, i) => -24 + noise(i)),
    short_term_lufs: curve((t) => -24 + Math.sin(t / 9)),
    local_ratio_lu: curve((t, i) => (talks(t) ? 9 + 5 * Math.sin(t / 40) + noise(i) : NaN)),
  };
  const spread = (n, make) => Array.from({ length: n }, (_, k) => make((k + 0.3) * duration / n, k));
  const marks = spread(findings, (at, k) => ({
    label: `M${k}`, in: at, out: at + 4, severity: k % 3 ? "should" : "must", state: "open", title: "x",
  }));
  const proposal = { role: "music", points: [[3000, 0], [3001, -6], [3006, -6], [3007, 0]] };
  const store = makeStore({
    duration, view: { from: 0, to: duration }, time: 0, chosen: marks[0], span: null, series: null, hasLevels: false,
    proposal, lower: "loudness", peaks: null,
    ladder: lanes.LADDER, clock: makeClock("25", false, "10:00:00:00"),
    limits: { integrated_lufs: -23, clearance_lu: 10, clearance_must_lu: 5, true_peak_max_dbtp: -1 },
    parts: [[0, duration]], range: { parts: [[0, duration]], out: [] }, marks,
    speech: spread(900, (at) => [at, at + 6]),
    ducks: spread(ducks, (at) => [at, at + 0.4, at + 5, at + 6, -26, -38]),
  });
  const spans = { edgeAt: () => null, drag() {} };
  let spent = 0;
  const later = window.requestAnimationFrame.bind(window);
  window.requestAnimationFrame = (callback) => later((now) => {
    const begun = performance.now();
    callback(now);
    spent += performance.now() - begun;
  });
  makeView(store, () => {}, () => {}, spans);
  takeCurves({ count, hop, start: 0, curves }, store);
  const frame = () => new Promise((resolve) => later(() => setTimeout(resolve)));
  async function timed(change) {
    const begun = performance.now();
    spent = 0;
    store.set(change);
    const own = performance.now() - begun;
    await frame();
    return own + spent;
  }
  await frame();
  const took = { zoom: [], whole: [], play: [] };
  let view = { from: 0, to: duration };
  for (let k = 0; k < 120; k += 1) {
    view = zoomed(view, k % 30 < 15 ? 0.6 : 1 / 0.6, 3600 + 20 * Math.sin(k), duration);
    took.zoom.push(await timed({ view }));
  }
  for (let k = 0; k < 60; k += 1) took.whole.push(await timed({ view: { from: k, to: duration } }));
  store.set({ view: { from: 0, to: duration } });
  await frame();
  for (let k = 0; k < 200; k += 1) took.play.push(await timed({ time: 3600 + k / 25 }));
  return took;
}"""
WORDS = {
    "zoom": "a zoom step",
    "whole": "the whole two hours moved",
    "play": "a frame while it plays, the whole in view",
}


def measure(static=STATIC):
    """Milliseconds of script by case and what is done, as lists."""
    handler = functools.partial(_Quiet, directory=str(static))
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        with sync_playwright() as playwright:
            browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
            return {case: _one(browser, server.server_port, *case) for case in CASES}
    finally:
        server.shutdown()


def _one(browser, port, findings, ducks):
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.route("**/bench", lambda route: route.fulfill(content_type="text/html", body=_PAGE))
    page.goto(f"http://127.0.0.1:{port}/bench")
    took = page.evaluate(_RUN, {"findings": findings, "ducks": ducks})
    page.close()
    return took


class _Quiet(http.server.SimpleHTTPRequestHandler):
    extensions_map = http.server.SimpleHTTPRequestHandler.extensions_map | {".js": "text/javascript"}

    def log_message(self, *_args):
        pass


def table(found):
    """Rows of a table: what is done, median and 95 of 100 in milliseconds."""
    lines = ["| Two hours, 900 stretches of speech | Median, ms | 95 of 100, ms |", "|---|---|---|"]
    for (findings, ducks), took in found.items():
        for key, times in took.items():
            high = statistics.quantiles(times, n=20)[-1]
            lines.append(
                f"| {findings} findings, {ducks} ducks: {WORDS[key]} | {statistics.median(times):.1f} | {high:.1f} |"
            )
    return "\n".join(lines)


if __name__ == "__main__":
    print(table(measure()))
