from tests.js.node import NodeTest
from zeroknot.core.warp.knot import Knot
from zeroknot.core.warp.placing import Placing, Tied, placed
from zeroknot.core.warp.warp_map import WarpMap

KNOTS = [[0.4, 0.0], [1.7, 3.0], [3.1, 8.0]]
WARP = WarpMap(tuple(Knot(*k) for k in KNOTS))


class LoomTest(NodeTest):
    """The loom's sums against the core's warp map."""

    def model(self, expression):
        return self.evaluate(
            f"""async (knots) => {{
              const m = await import("/static/js/loom/model.js");
              const [recorded, fitted] = [{{from: 0, to: 4}}, {{from: -2, to: 10}}];
              const view = {{recorded, fitted, left: 10, width: 400}};
              const moving = {{rail: "recorded", together: true, knots, whole: view,
                closest: 0.0005}};
              return {expression};
            }}""",
            KNOTS,
        )

    def test_warp_is_the_cores(self):
        seconds = [-0.5, 0.4, 1.0, 1.7, 2.9, 3.1, 5.0]
        beats = self.model(f"{seconds}.map((s) => m.beatOfSecond(knots, s))")
        for second, beat in zip(seconds, beats, strict=True):
            self.assertAlmostEqual(beat, WARP.beat_of_second(second), places=9)
            back = self.model(f"m.secondOfBeat(knots, {beat!r})")
            self.assertAlmostEqual(back, second, places=9)

    def test_threads_thin_out_where_they_would_run_together(self):
        # 400 pixels hold 134 threads on both sides of the view; the strongest stay.
        many = "Array.from({length: 900}, (_, i) => [i / 225, (i % 10) / 10, 1])"
        few = self.model(f"m.threadsIn({many}, view).map((a) => a[1])")
        self.assertEqual(len(few), 134)
        self.assertGreater(min(few), 0.7)
        self.assertEqual(
            self.model("m.threadsIn([[0.1, 0.2, 1], [9, 1, 1]], view)"), [[0.1, 0.2, 1]]
        )

    def test_places_on_the_rails(self):
        self.assertEqual(self.model("[m.xOfSecond(view, 1), m.secondAt(view, 110)]"), [110, 1])
        self.assertEqual(self.model("[m.xOfBeat(view, 1), m.beatAt(view, 110)]"), [110, 1])

    def test_zoom_keeps_what_is_under_the_pointer_on_both_rails(self):
        at, width, beat = self.model(
            "(() => {const z = m.zoomed(view, 110, 4, moving);"
            "return [m.secondAt(z, 110), z.recorded.to - z.recorded.from, m.beatAt(z, 110)];})()"
        )
        self.assertAlmostEqual(at, 1.0)
        self.assertAlmostEqual(width, 1.0)
        self.assertAlmostEqual(beat, WARP.beat_of_second(1.0))
        # Never wider than the whole, never closer than asked for.
        self.assertEqual(self.model("m.zoomed(view, 110, 0.1, moving).recorded.to"), 4)
        closest = self.model(
            "(() => {const z = m.zoomed(view, 110, 1e9, moving).recorded; return z.to - z.from})()"
        )
        self.assertAlmostEqual(closest, 0.0005)

    def test_apart_the_other_rail_stays(self):
        alone = "{...moving, rail: 'fitted', together: false}"
        zoomed = self.model(f"m.zoomed(view, 110, 2, {alone})")
        self.assertEqual(zoomed["recorded"], {"from": 0, "to": 4})
        self.assertEqual(zoomed["fitted"]["to"] - zoomed["fitted"]["from"], 6)
        led = self.model("m.zoomed(view, 110, 2, {...moving, rail: 'fitted'})")
        self.assertAlmostEqual(led["recorded"]["to"] - led["recorded"]["from"], 6 * 2.7 / 8)

    def test_snapping(self):
        attacks = "[[0.4, 1], [1.02, 0.5], [3, 1]]"
        self.assertEqual(self.model(f"m.snappedToAttack({attacks}, view, 1.0, 9)"), 1.02)
        self.assertEqual(self.model(f"m.snappedToAttack({attacks}, view, 2.0, 9)"), 2.0)
        self.assertEqual(self.model("m.snappedToGrid(5.6, 1.5)"), 6)

    def test_drags_preview_what_the_studio_makes(self):
        laid = WARP.with_span(4)
        got = self.model("m.laidOn(knots, 4)")
        for (second, beat, *_), knot in zip(got, laid.knots, strict=True):
            self.assertAlmostEqual(beat, knot.beat)
            self.assertEqual(second, knot.second)
        zero, end = WARP.second_of_beat(-1), WARP.second_of_beat(7)
        moved = WARP.read_as(zero, end, 8)
        for (second, beat, *_), knot in zip(
            self.model("m.shifted(knots, 1)"), moved.knots, strict=True
        ):
            self.assertAlmostEqual(second, knot.second)
            self.assertAlmostEqual(beat, knot.beat)
        places = [Placing(1.0), Placing(2.2), Placing(1.9, 4.0, at=1.7)]
        server = placed(Tied(WARP), places).warp.knots
        got = self.model(
            "m.placed(knots, [{second: 1}, {second: 2.2}, {second: 1.9, beat: 4, at: 1.7}])"
        )
        for (second, beat, *_), knot in zip(got, server, strict=True):
            self.assertEqual(second, knot.second)
            self.assertAlmostEqual(beat, knot.beat)

    def test_a_drag_stops_before_it_would_cross_or_stretch_past_eight_times(self):
        # At 120 BPM a second holds two beats: from 0.25 to 16 beats a second can be rendered.
        laid = "{knots, pace: [0.25, 16], fastened: []}"
        low, high = self.model(f'm.reach({laid}, new Set([1]), "fitted")')
        self.assertAlmostEqual(3 + low, max(0.25 * 1.3, 8 - 16 * 1.4))
        self.assertAlmostEqual(3 + high, min(16 * 1.3, 8 - 0.25 * 1.4))
        low, high = self.model(f'm.reach({laid}, new Set([1]), "recorded")')
        self.assertAlmostEqual(1.7 + low, 0.4 + 3 / 16)
        self.assertAlmostEqual(1.7 + high, 3.1 - 5 / 16)
        # What moves together does not stand in its own way.
        far = self.model(f'm.reach({laid}, new Set([0, 1, 2]), "recorded").map(String)')
        self.assertEqual(far, ["-Infinity", "Infinity"])

    def test_knots_and_attacks_under_the_pointer(self):
        rails = "{recorded: 100, fitted: 200}"
        self.assertEqual(
            self.model(f"m.knotAt(knots, view, 10 + 170, 103, {rails})"),
            {"index": 1, "rail": "recorded"},
        )
        self.assertIsNone(self.model(f"m.knotAt(knots, view, 10 + 170, 150, {rails})"))
        foot = 10 + 400 * (2 + WARP.beat_of_second(1.0)) / 12
        self.assertEqual(
            self.model(f"m.attackAt([[1, 1, 1]], knots, view, {foot}, 202, {rails})"),
            {"second": 1, "rail": "fitted"},
        )
        self.assertEqual(self.model("m.neighbours([[1], [2], [3]], 2)"), [1, 3])
        self.assertEqual(self.model("m.neighbours([[1], [2], [3]], 1)"), [2])

    def test_patterns_of_hearing(self):
        got = self.evaluate(
            """async () => {
              const {patternOf} = await import("/static/js/engine/patterns.js");
              const sheet = {rate: 1000, digest: "d", source: "s", channels: 2, source_frames: 4000,
                frames: 2700, lead: 300, body: 2000, span: 8, knots: [[0.5, 0], [3, 2000]],
                zero_s: 0.5, end_s: 3, gain: 1, recorded: "source:s"};
              const gains = {recorded: 0.5, fitted: 1, against: 2};
              return ["recorded", "fitted", "seam"].map((w) => patternOf(sheet, w, gains));
            }"""
        )
        recorded, fitted, seam = got
        self.assertEqual(recorded["period"], 2500)
        self.assertEqual(
            (recorded["events"][0]["start"], recorded["events"][0]["gain"]), (500, 0.5)
        )
        self.assertEqual((fitted["period"], fitted["events"][0]["frames"]), (2000, 2400))
        # A beat is 250 frames: the last one with its tail, then the first.
        self.assertEqual(seam["period"], 500)
        self.assertEqual(
            [(e["at"], e["start"], e["frames"]) for e in seam["events"]],
            [(0, 2050, 500), (250, 300, 250)],
        )

    def test_seconds_and_minutes(self):
        got = self.evaluate(
            """async () => {
              const {seconds} = await import("/static/js/format.js");
              return [[9.5], [59.996], [59.994], [200.0625, 3], [-61.2, 1], [null]].map(
                ([value, digits]) => seconds(value, digits));
            }"""
        )
        self.assertEqual(got, ["9.50 s", "1:00.00", "59.99 s", "3:20.063", "−1:01.2", "–"])

    def test_numbers_as_typed(self):
        got = self.evaluate(
            """async () => {
              const {typedNumber} = await import("/static/js/format.js");
              return ["-1.5", "+3 st", "92,5", "1/16", "−2 dB", "3:20", "1:02,5", "50 %", "120."]
                .map(typedNumber);
            }"""
        )
        self.assertEqual(got, [-1.5, 3, 92.5, 0.0625, -2, 200, 62.5, 50, 120])
        got = self.evaluate(
            """async () => {
              const {typedNumber} = await import("/static/js/format.js");
              return ["x", "", "1e9", "120/0", "12 34", "1.2.3", "--5", "9 bpm!", "nan"]
                .map(typedNumber);
            }"""
        )
        self.assertEqual(got, [None] * 9)
