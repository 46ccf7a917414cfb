"""The pure modules of the timeline, run in the browser, against the same cases as the Python code."""

from fractions import Fraction
from itertools import pairwise

from mezzavoce_core.timecode import Clock, FrameRate, format_timecode
from tests.browser.base import BrowserCase


class ModulesTest(BrowserCase):
    def setUp(self):
        super().setUp()
        self.page = self.open_page()
        self.page.goto(f"{self.live_server_url}/sign-in/")

    def run_module(self, name, body, argument=None):
        script = f"async (argument) => {{ const m = await import('/static/js/timeline/{name}.js'); {body} }}"
        return self.page.evaluate(script, argument)

    def test_timecode_like_the_core(self):
        for fps, drop in (
            (Fraction(25), False),
            (Fraction(30000, 1001), True),
            (Fraction(30000, 1001), False),
            (Fraction(60000, 1001), True),
            (Fraction(24000, 1001), False),
        ):
            rate = FrameRate(fps, drop)
            frames = [
                0,
                1,
                1798,
                1799,
                1800,
                1801,
                3597,
                3598,
                17981,
                17982,
                17983,
                107891,
                107892,
                1078920,
                rate.frames_per_day - 1,
                rate.frames_per_day,
            ]
            wanted = [format_timecode(f, rate) for f in frames]
            found = self.run_module(
                "timecode",
                "const rate = m.parseRate(argument.fps, argument.drop); return argument.frames.map((f) => "
                "m.formatFrames(f, rate));",
                {"fps": str(fps), "drop": drop, "frames": frames},
            )
            self.assertEqual(found, wanted)
            back = self.run_module(
                "timecode",
                "const rate = m.parseRate(argument.fps, argument.drop); return argument.labels.map((t) => "
                "m.framesOf(t, rate));",
                {"fps": str(fps), "drop": drop, "labels": wanted[:-1]},
            )
            self.assertEqual(back, frames[:-1])

    def test_clock_like_the_core(self):
        rate = FrameRate(Fraction(30000, 1001), drop_frame=True)
        clock = Clock.starting("01:00:00;00", rate)
        times = [0, 0.01, 1, 59.99, 60.06, 61.5, 599.999, 3600]
        found = self.run_module(
            "timecode",
            "const c = m.makeClock('30000/1001', true, '01:00:00;00'); return argument.map(c.timecode);",
            times,
        )
        self.assertEqual(found, [clock.timecode_in(t) for t in times])

    def test_ruler_stands_on_whole_seconds_of_timecode(self):
        found = self.run_module(
            "timecode",
            "const c = m.makeClock('30000/1001', true, '01:00:00;00'); return [5.3, 60.5, 125.2].map((t) => "
            "c.timecode(c.secondAt(t)));",
        )
        self.assertEqual(found, ["01:00:05;00", "01:01:00;02", "01:02:05;00"])

    def test_scale_is_one_mapping_both_ways(self):
        found = self.run_module(
            "scale",
            "const s = m.makeScale(10, 30, 800); return [s.x(10), s.x(30), s.x(20), s.time(s.x(17.25)), s.perSecond];",
        )
        self.assertEqual(found, [0, 800, 400, 17.25, 40])

    def test_windows_stay_inside(self):
        found = self.run_module(
            "scale",
            "return [m.windowAround(1, 20, 60), m.windowAround(59, 20, 60), m.windowAround(30, 90, 60), "
            "m.zoomed({from: 10, to: 30}, 0.5, 15, 60),"
            " m.zoomed({from: 0, to: 60}, 4, 30, 60), m.rulerStep(40), m.rulerStep(0.01)];",
        )
        self.assertEqual([(w["from"], w["to"]) for w in found[:5]], [(0, 20), (40, 60), (0, 60), (12.5, 22.5), (0, 60)])
        self.assertEqual(found[5:], [5, 3600])

    def test_series_unpack(self):
        body = """
          const head = '{"curves":["a","b"],"count":3,"hop_s":0.1} \\n';
          const bytes = new Uint8Array(head.length + 12);
          bytes.set(new TextEncoder().encode(head));
          new DataView(bytes.buffer).setInt16(head.length, -2350, true);
          new DataView(bytes.buffer).setInt16(head.length + 2, -32768, true);
          new DataView(bytes.buffer).setInt16(head.length + 8, 125, true);
          const s = m.unpackSeries(bytes.buffer);
          return [s.count, s.hop, s.curves.a[0], Number.isNaN(s.curves.a[1]), s.curves.b[1], head.length % 2];
        """
        self.assertEqual(self.run_module("series", body), [3, 0.1, -23.5, True, 1.25, 0])

    def test_the_loudest_place_of_a_stretch(self):
        found = self.run_module(
            "series",
            "const curve = new Float32Array(100).fill(-30); curve[42] = -12; curve[80] = -3; curve[10] = NaN;"
            "const s = {hop: 0.1, start: 0.02, curves: {momentary_lufs: curve}};"
            "return [m.loudestTime(s, 2, 6), m.loudestTime(s, 0, 10), m.loudestTime(null, 4, 6)].map((v) => "
            "+v.toFixed(3));",
        )
        self.assertEqual(found, [4.22, 8.02, 5])

    def test_between_samples_as_the_closed_form(self):
        """A sine at a quarter of the rate, sampled at 45 degrees: samples at 0.707, the wave between them reaches 1."""
        found = self.run_module(
            "wave",
            "const x = Array.from({length: 80}, (_, n) => Math.sin(Math.PI * n / 2 + Math.PI / 4));"
            "const y = m.interpolated(x, 8);"
            "const inner = y.slice(26 * 8, 54 * 8);"
            "return [y.length, Math.max(...inner.map(Math.abs)), Math.max(...x.map((v, n) => Math.abs(v - y[n "
            "* 8])))];",
        )
        self.assertEqual(found[0], 79 * 8 + 1)
        self.assertAlmostEqual(found[1], 1.0, delta=0.01)
        self.assertLess(found[2], 1e-9)

    def test_peaks_come_at_the_level_that_the_view_needs(self):
        found = self.run_module(
            "../review/peaks",
            "const levels = [0.01, 0.1, 1].map((hop_s) => ({hop_s, count: Math.round(600 / hop_s), offset: 0}));"
            "return [[0, 600], [10, 20], [10, 12], [599, 600]].map(([from, to]) => {"
            " const c = m.choose(levels, {from, to}, 800); return [c.level.hop_s, c.first, c.last]; });",
        )
        self.assertEqual(found, [[0.1, 0, 6000], [0.01, 1000, 2001], [0.01, 1000, 1201], [0.01, 59900, 60000]])

    def test_smoothing_is_energy_and_stops_with_speech(self):
        found = self.run_module(
            "series",
            "const s = m.smoothLevel(new Float32Array([-20, -20, -20, -60, NaN]), 3, [1, 1, 0, 1, 1]);"
            "const all = m.smoothLevel(new Float32Array([-20, -30]), 3);"
            "return [Array.from(s, (v) => Number.isNaN(v) ? null : +v.toFixed(2)), +all[0].toFixed(2)];",
        )
        self.assertEqual(found, [[-20, -20, None, -60, -60], -22.6])

    def test_level_of_detail_keeps_the_extremes(self):
        found = self.run_module(
            "detail",
            "const curve = new Float32Array(1000).fill(-30); curve[500] = -3; curve[501] = NaN;"
            "const scale = {width: 10, time: (x) => x * 10}; const c = m.columns(curve, 0.1, scale);"
            "return [Math.max(...c.high), Math.min(...c.low), c.high.indexOf(-3), m.visible(1000, 0.1, {from: "
            "10, to: 20})];",
        )
        self.assertEqual(found, [-3, -30, 5, [99, 202]])

    def test_gap_classes_follow_the_limits(self):
        found = self.run_module(
            "gap",
            "const limits = {clearance_lu: 10, clearance_must_lu: 5};"
            "const runs = m.gapRuns([12, 12, 9, 9, 3, -1, NaN], [1, 1, 1, 1, 1, 1, 1], limits, 0, 7);"
            "return [[12, 9.96, 9.94, 4.9, -0.1, NaN].map((r) => m.thinness(r, limits)), runs, m.thinness(3, "
            "{clearance_lu: null})];",
        )
        self.assertEqual(found[0], [0, 0, 1, 2, 3, 0])
        self.assertEqual(found[1], [[0, 2, 0], [2, 4, 1], [4, 5, 2], [5, 6, 3], [6, 7, 0]])
        self.assertEqual(found[2], 0)

    def test_gain_between_points(self):
        found = self.run_module(
            "gap",
            "const p = [[1, 0], [2, -8], [4, -8], [5, 0]]; return [0, 1.5, 3, 4.5, 9].map((t) => m.gainAt(p, t));",
        )
        self.assertEqual(found, [0, -4, -8, -4, 0])

    def test_frames_only_where_there_is_room(self):
        body = """
          const state = (t) => (t === 2 || t === 11 ? "open" : "noted");
          const marks = [0, 1, 2, 10, 11].map((t) => ({in: t, out: t + 1, state: state(t)}));
          return [m.framed(marks, 1, (t) => t * 10, 24), m.framed([], 0, (t) => t, 24),
            m.markAt(marks, 10.5, 0), m.markAt(marks, 7, 0),
            m.nextOpen(marks, 2), m.nextOpen(marks, 4), m.nextOpen([], 0)];
        """
        self.assertEqual(self.run_module("marks", body), [[1, 3], [], 3, -1, 4, 2, -1])

    def test_lanes_do_not_overlap(self):
        body = (
            "const l = m.layLanes(argument); return [l.ruler, l.levels, l.speech, l.loudness].map((r) => [r.top, "
            "r.top + r.height]);"
        )
        for height in (320, 500, 900):
            lanes = self.run_module("lanes", body, height)
            for (_, bottom), (top, _) in pairwise(lanes):
                self.assertLessEqual(bottom, top)
            self.assertLessEqual(lanes[-1][1], height)
        ends = self.run_module(
            "lanes",
            "const lane = {top: 10, height: 100}; return [m.levelY(lane, 99), m.levelY(lane, -99), "
            "m.levelY(lane, -30)];",
        )
        self.assertEqual(ends, [10, 110, 60])

    def _names(self, body):
        """Places of names over lines that are 400 pixels wide; `flat` makes a line at a height between two pixels."""
        script = """
          const flat = (y, from = 0, to = 400) => {
            const row = new Float32Array(400).fill(NaN).fill(y, from, to);
            return {top: row, bottom: row};
          };
          const bounds = {left: 0, right: 400, top: 0, bottom: 200};
        """
        return self.run_module("names", script + body)

    def test_a_name_stands_beside_its_line_where_it_belongs(self):
        found = self._names(
            "const name = (side, near) => m.placed([{width: 40, line: flat(100), near, side}], [], bounds)[0];"
            "return [name(-1, 204), name(1, 204), name(-1, 0), name(1, 400)];"
        )
        self.assertEqual(found, [{"x": 204, "y": 89}, {"x": 204, "y": 111}, {"x": 20, "y": 89}, {"x": 380, "y": 111}])

    def test_names_lie_on_no_line_and_on_no_other_name(self):
        found = self._names(
            "const crossing = flat(86, 150, 260); const low = flat(112);"
            "const under = {width: 60, line: low, near: 100, side: 1};"
            "const names = [{width: 60, line: flat(100), near: 204, side: -1}, under, under];"
            "return m.placed(names, [crossing], bounds);"
        )
        first, second, third = found
        self.assertTrue(first["x"] + 30 < 150 or first["x"] - 30 >= 260, first)
        self.assertEqual(first["y"], 89)
        self.assertEqual((second["x"], second["y"], third["y"]), (102, 123, 123))
        self.assertGreaterEqual(abs(third["x"] - second["x"]), 60)

    def test_a_name_without_a_line_or_without_room_is_left_out(self):
        found = self._names(
            "const narrow = {left: 0, right: 400, top: 95, bottom: 105};"
            "const name = (y) => [{width: 40, line: flat(y), near: 9, side: 1}];"
            "return [m.placed(name(NaN), [], bounds), m.placed(name(100), [], narrow)];"
        )
        self.assertEqual(found, [[None], [None]])

    def test_lines_as_the_names_see_them(self):
        found = self._names(
            "const corners = m.tracedCorners([[[-10, 0], [10, 20], [10, 40]]], 400); const area = "
            "m.between(flat(50), flat(80, 0, 10));"
            "const line = flat(70, 100, 300); line.top[222] = 12;"
            "const ends = [corners.top[10], area.top[10]].map(Number.isNaN);"
            "return [corners.top[0], corners.top[9], area.top[5], area.bottom[5], ...ends, m.highest(line, 0, 400)];"
        )
        self.assertEqual(found, [10, 19, 50, 80, True, True, 222])

    def test_levels_of_detail_lose_no_extreme(self):
        """Against every value of the pixel, on curves with holes, at many widths."""
        found = self.run_module(
            "detail",
            "const curve = Float32Array.from({length: 5000}, (_, i) => (i % 97 < 9 ? NaN : Math.sin(i * i) * 20 - 30));"
            "let wrong = 0;"
            "for (const [from, to, width] of [[0, 500, 300], [12.3, 77.7, 113], [100, 101, 40], [-5, 505, "
            "700], [0, 500, 7]]) {"
            "  const per = width / (to - from); const scale = {from, to, width, time: (x) => from + x / per};"
            "  const {low, high} = m.columns(curve, 0.1, scale);"
            "  for (let x = 0; x < width; x += 1) {"
            "    const a = Math.max(0, Math.floor(scale.time(x) / 0.1)); const b = Math.min(5000, Math.max(a + "
            "1, Math.ceil(scale.time(x + 1) / 0.1)));"
            "    const own = Array.from(curve.slice(a, b)).filter((v) => !Number.isNaN(v));"
            "    const same = own.length ? low[x] === Math.min(...own) && high[x] === Math.max(...own) : "
            "Number.isNaN(low[x]);"
            "    if (!same) wrong += 1;"
            "  }"
            "}"
            "return wrong;",
        )
        self.assertEqual(found, 0)

    def test_what_is_in_view_is_found_by_bisection(self):
        found = self.run_module(
            "detail",
            "const items = Array.from({length: 300}, (_, k) => [(k * 7919) % 1000, (k * 7919) % 1000 + (k % 50 "
            "? 3 : 400)]);"
            "let wrong = 0;"
            "for (let from = -20; from < 1100; from += 13) {"
            "  const near = m.within(items, (i) => i, from, from + 40);"
            "  const all = items.filter(([a, b]) => a <= from + 40 && b >= from);"
            "  if (near.length !== all.length || near.some((i) => !all.includes(i))) wrong += 1;"
            "}"
            "return wrong;",
        )
        self.assertEqual(found, 0)

    def test_the_ladder_follows_the_levels_of_the_mix(self):
        found = self.run_module(
            "lanes",
            "const level = (v) => Float32Array.from({length: 100}, () => v);"
            "return [[level(-24), level(-36)], [level(-24), level(-55)], [level(-24), level(-66)], "
            "[level(-5)], [level(NaN)]].map((c) => m.ladderFor(c));",
        )
        self.assertEqual(
            [(ladder["top"], ladder["bottom"]) for ladder in found],
            [(-8, -52), (-8, -62), (-8, -72), (-2, -52), (-8, -52)],
        )
