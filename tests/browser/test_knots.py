import re

import numpy as np
from playwright.sync_api import expect

from tests.browser.harness import BrowserTest
from tests.sounds import audio, drum_loop
from tests.takes import beat_times, drummer, wandering
from zeroknot.core.formats.riff import wav_bytes

LAID = """() => {
  const { stage } = zeroKnot.app;
  const hand = stage.host.hand();
  return {knots: hand.knots, attacks: stage.host.attacks().map((a) => a[0]),
    chosen: [...stage.chosen], range: stage.range, fastened: hand.fastened, view: stage.port.view,
    drag: !!stage.drag};
}"""


class KnotsTest(BrowserTest):
    """Every gesture of the loom, on a loop of 16 bars whose attacks are known."""

    BPM, BARS = 100, 4

    def setUp(self):
        super().setUp()
        sound = audio(0.5 * drum_loop(self.BPM, self.BARS))
        self.send(wav_bytes(sound, 16), "plates.wav")
        self.server.settle()
        sha = next(r["sha"] for r in self.server.rows() if r["name"] == "plates")
        self.intent(kind="place", hand=sha, beat=0)
        self.intent(kind="state_reading", hand=sha, bars=self.BARS)
        self.strand = self.state()["strands"][0]["id"]
        self.open(f"fit/{self.strand}")
        self.page.wait_for_function("() => zeroKnot.app.stage?.port.seen")
        self.page.locator(".working").wait_for(state="hidden")

    # ---- helpers

    def laid(self):
        return self.page.evaluate(LAID)

    def knots(self):
        return self.server.get(f"/api/projects/{self.project}/hand/{self.strand}")["knots"]

    def until(self, count):
        """Wait until the server has so many knots, and the page shows them."""
        self.wait(lambda: len(self.knots()) == count)
        self.wait(lambda: len(self.laid()["knots"]) == count and not self.laid()["drag"])

    def point(self, second, rail):
        return self.page.evaluate(
            "([s, rail]) => zeroKnot.app.stage.port.pointOf(s, rail)", [second, rail]
        )

    def per(self, rail):
        """Pixels a second or a beat."""
        view = self.laid()["view"]
        return view["width"] / (view[rail]["to"] - view[rail]["from"])

    def drag(self, start, dx, free=False):
        x, y = start
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        if free:
            self.page.keyboard.down("Alt")
        self.page.mouse.move(x + dx / 2, y, steps=3)
        self.page.mouse.move(x + dx, y, steps=3)
        self.page.mouse.up()
        if free:
            self.page.keyboard.up("Alt")

    def beat_of(self, second):
        """Where a moment lies now, by the server's knots."""
        knots = np.asarray(self.knots())
        return float(np.interp(second, knots[:, 0], knots[:, 1]))

    def double_click(self, second, dy=-40, rail="recorded"):
        x, y = self.point(second, rail)
        self.page.mouse.dblclick(x, y + dy)

    # ---- gestures

    def test_double_click_at_an_attack_ties_a_knot_there_and_drags_move_it_alone(self):
        beat = 60 / self.BPM
        attacks = self.laid()["attacks"]
        third = min(attacks, key=lambda a: abs(a - 3 * beat))
        self.double_click(3 * beat + 0.01)  # near enough to snap
        self.until(3)
        self.assertAlmostEqual(self.knots()[1][0], third, places=6)
        self.assertAlmostEqual(self.knots()[1][1], self.beat_of(third), places=6)
        # Below: onto the grid; with Alt anywhere; the zero knot and the end knot stay.
        self.drag(self.point(third, "fitted"), 0.8 * self.per("fitted"))
        self.wait(lambda: abs(self.knots()[1][1] - 4) < 1e-6)
        self.assertEqual(self.state()["undo"], "move a knot")
        self.wait(lambda: not self.laid()["drag"])
        self.drag(self.point(third, "fitted"), -0.3 * self.per("fitted"), free=True)
        self.wait(lambda: abs(self.knots()[1][1] - 3.7) < 0.03)
        self.wait(lambda: not self.laid()["drag"])
        # Above: another moment, an attack unless Alt is down.
        self.drag(self.point(third, "recorded"), (beat / 2 + 0.015) * self.per("recorded"))
        self.wait(lambda: abs(self.knots()[1][0] - third - beat / 2) < 0.01)
        moment = self.knots()[1][0]
        self.assertLess(min(abs(a - moment) for a in attacks), 1e-6)
        self.assertEqual([k[0] for k in self.knots()[::2]], [0.0, self.knots()[-1][0]])

    def test_a_drag_stops_where_it_would_cross_and_says_why(self):
        beat = 60 / self.BPM
        self.double_click(3 * beat)
        self.until(3)
        x, y = self.point(self.knots()[1][0], "fitted")
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 30 * self.per("fitted"), y, steps=5)
        self.page.get_by_text("it stops here").wait_for()
        self.page.mouse.up()
        self.wait(lambda: self.knots()[1][1] > 4 and not self.laid()["drag"])
        seconds, beats = np.asarray(self.knots())[:, :2].T
        ratios = np.diff(beats) * 60 / 120 / np.diff(seconds)
        self.assertTrue(np.all((ratios > 1 / 8.001) & (ratios < 8.001)), ratios)

    def test_one_hit_moves_alone(self):
        beat = 60 / self.BPM
        attacks = self.laid()["attacks"]
        hit = min(attacks, key=lambda a: abs(a - 4.5 * beat))
        before = {s: self.beat_of(s) for s in (0.3, 4 * beat, 5 * beat, 7.3 * beat)}
        self.drag(self.point(hit, "fitted"), 0.2 * self.per("fitted"), free=True)
        self.until(5)
        self.assertAlmostEqual(self.beat_of(hit), 4.7, delta=0.03)
        for second, lay in before.items():
            self.assertAlmostEqual(self.beat_of(second), lay, delta=0.002)
        self.page.keyboard.press("Control+z")
        self.until(2)

    def test_an_answer_that_comes_late_leaves_what_was_chosen_since(self):
        beat = 60 / self.BPM
        for i, count in ((4, 3), (6, 4)):
            self.double_click(i * beat)
            self.until(count)
            self.wait(lambda: len(self.laid()["chosen"]) == 1)
        held = []
        self.page.route("**/intents", lambda route: held.append(route))
        self.double_click(8 * beat)
        self.wait(lambda: held)
        start, (end, y) = self.point(3.5 * beat, "recorded"), self.point(6.5 * beat, "recorded")
        self.drag((start[0], y - 60), end - start[0], free=True)
        self.wait(lambda: len(self.laid()["chosen"]) == 2)
        held[0].continue_()
        self.until(5)
        self.page.wait_for_timeout(300)
        self.assertEqual(len(self.laid()["chosen"]), 2)
        self.page.unroute("**/intents")

    def test_many_are_chosen_and_move_together_fasten_and_remove(self):
        page, beat = self.page, 60 / self.BPM
        for i in (2, 4, 6, 8):
            self.double_click(i * beat)
            self.until(2 + i // 2)
        start, (end, y) = self.point(3.5 * beat, "recorded"), self.point(6.5 * beat, "recorded")
        self.drag((start[0], y - 60), end - start[0], free=True)
        self.wait(lambda: len(self.laid()["chosen"]) == 2)
        expect(page.locator(".side")).to_contain_text("2 knots chosen")
        knots = self.knots()
        self.drag(self.point(knots[2][0], "fitted"), 0.4 * self.per("fitted"), free=True)
        self.wait(lambda: self.state()["undo"] == "move 2 knots")
        moved = self.knots()
        by = moved[2][1] - knots[2][1]
        self.assertAlmostEqual(by, 0.4, delta=0.03)
        self.assertAlmostEqual(moved[3][1] - knots[3][1], by, places=6)
        self.assertEqual([moved[1], moved[4]], [knots[1], knots[4]])
        # Fastened: its knots do not move, nor are they removed.
        self.wait(lambda: not self.laid()["drag"])
        page.get_by_role("button", name="Fasten").click()
        self.wait(lambda: self.laid()["fastened"])
        held = self.knots()
        self.drag(self.point(held[3][0], "fitted"), 0.5 * self.per("fitted"))
        page.get_by_text("fastened: loosen it to move").wait_for()
        self.assertEqual(self.knots(), held)
        page.keyboard.press("f")
        self.wait(lambda: not self.laid()["fastened"])
        page.keyboard.press("Escape")
        # Chosen by key, nudged along the grid, typed, removed.
        page.locator("#loom").focus()
        page.keyboard.press("]")
        page.keyboard.press("]")
        self.wait(lambda: len(self.laid()["chosen"]) == 1)
        first = self.laid()["chosen"][0]
        before = next(k[1] for k in self.knots() if k[0] == first)
        page.keyboard.press("Alt+ArrowRight")
        self.wait(lambda: abs(self.beat_of(first) - before - 0.01) < 1e-6)
        field = page.get_by_label("Beats from the one")
        self.wait(lambda: field.input_value() == str(round(before + 0.01, 4)))
        field.fill("2.25")
        field.press("Enter")
        self.wait(lambda: abs(self.beat_of(first) - 2.25) < 1e-9)
        field = page.get_by_label("Recorded, s")
        field.fill(f"{first + 0.05:.3f}")
        field.press("Enter")
        self.wait(lambda: any(abs(k[0] - first - 0.05) < 0.002 for k in self.knots()))
        self.wait(lambda: len(self.laid()["chosen"]) == 1)
        count = len(self.knots())
        page.locator("#loom").focus()
        chosen = self.wait(
            lambda: {k[0] for k in self.knots()} & set(self.laid()["chosen"]) or None
        )
        self.assertEqual(len(chosen), 1)
        page.keyboard.press("Delete")
        self.until(count - 1)

    def test_rails_zoom_together_and_apart_down_to_samples(self):
        page = self.page
        x, y = self.point(1.0, "recorded")
        page.mouse.move(x, y - 60)
        for _ in range(40):
            page.mouse.wheel(0, -600)
        view = self.laid()["view"]
        frames = (view["recorded"]["to"] - view["recorded"]["from"]) * 44_100
        self.assertAlmostEqual(frames, 12, delta=0.1)
        # The moment under the pointer stands under it on the fitted rail, too.
        middle = view["recorded"]["from"] + 6 / 44_100
        self.assertLess(view["fitted"]["from"], self.beat_of(middle))
        self.assertGreater(view["fitted"]["to"], self.beat_of(middle))
        page.keyboard.press("w")
        page.keyboard.press("l")
        page.mouse.wheel(0, -600)
        self.wait(lambda: self.laid()["view"]["recorded"]["to"] < 5)
        self.assertGreater(self.laid()["view"]["fitted"]["to"], 15)

    def test_k_ties_at_the_cursor_and_the_loom_follows_the_playhead(self):
        page = self.page
        x, y = self.point(2.0, "recorded")
        page.keyboard.down("Alt")
        page.mouse.click(x, y - 60)
        page.keyboard.up("Alt")
        page.keyboard.press("k")
        self.until(3)
        page.get_by_role("button", name="Hear it").click()
        page.mouse.move(x, y - 60)
        for _ in range(3):
            page.mouse.wheel(0, -600)
        self.wait(lambda: self.page.evaluate("() => zeroKnot.app.stage.host.playhead() !== null"))
        for _ in range(30):
            page.wait_for_timeout(100)
            # As a frame shows it: on a busy machine the next one may be a while off.
            at, view = page.evaluate(
                """() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(
                  () => done([zeroKnot.app.stage.host.playhead(),
                              zeroKnot.app.stage.port.view.recorded]))))"""
            )
            self.assertTrue(view["from"] - 0.2 < at < view["to"] + 0.2, (at, view))

    def test_what_is_dragged_is_heard_before_it_is_let_go(self):
        page, beat = self.page, 60 / self.BPM
        self.double_click(4 * beat)
        self.until(3)
        page.get_by_role("button", name="Hear it").click()
        self.wait(lambda: self.engine("e.hand.isPlaying"))
        page.wait_for_timeout(500)
        digest = self.engine("e.hand.sheet.digest")
        x, y = self.point(self.knots()[1][0], "fitted")
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 0.5 * self.per("fitted"), y, steps=4)
        self.wait(lambda: self.engine("e.hand.sheet.digest") != digest)
        self.assertEqual(self.state()["undo"], "tie a knot")
        # Let go by Escape, the old sound is back and nothing was changed.
        page.keyboard.press("Escape")
        page.mouse.up()
        self.wait(lambda: self.engine("e.hand.sheet.digest") == digest)
        self.assertEqual(self.state()["undo"], "tie a knot")


class StraightenTest(BrowserTest):
    def test_a_drifting_take_is_tied_turned_down_and_taken_back_in_one_step(self):
        times = beat_times(wandering(104, 5, 48, change=(24, 1.05)), 48, 0.8)
        sound, hits = drummer(times)
        self.open(f"fit/{self.taken_in(sound, 'deck plates')}")
        page = self.page
        page.get_by_role("button", name="Tie knots").click()
        self.wait(lambda: self.state()["strands"])
        strand = self.state()["strands"][0]["id"]

        def off():
            """ms at 120 BPM that hits are off the grid of eighths: the median."""
            hand = self.server.get(f"/api/projects/{self.project}/hand/{strand}")
            knots = np.asarray(hand["knots"])
            inside = [s for s, _ in hits if knots[0, 0] - 0.01 < s < knots[-1, 0]]
            beats = np.interp(inside, knots[:, 0], knots[:, 1])
            return float(np.median(np.abs(2 * beats - np.round(2 * beats)))) / 2 * 500

        self.wait(lambda: off() < 5)
        page.get_by_text("knots tied from the beats").wait_for()
        self.assertEqual(self.state()["undo"], "straighten every beat")
        expect(page.locator(".side")).to_have_text(re.compile(r"Straightened: .* deviation 0\."))
        self.assertTrue(page.locator("polyline.after").get_attribute("points"))
        field = page.get_by_label("Amount of straightening, typed")
        field.fill("40")
        field.press("Enter")
        self.wait(lambda: off() > 5)
        page.keyboard.press("Escape")
        page.keyboard.press("Control+z")
        self.wait(lambda: off() < 5)
        page.keyboard.press("Control+z")
        self.wait(lambda: self.state()["undo"] is None)
