"""Lines under tracks: drawn by pointer and by keys, written while the song plays, heard."""

from playwright.sync_api import expect

from tests.browser.harness import BrowserTest


class LinesTest(BrowserTest):
    may_run_scripts = True

    def setUp(self):
        super().setUp()
        self.sha = self.shelved("drums_103")
        self.intent(kind="place", hand=self.sha, beat=0, passes=32)
        self.intent(kind="set_steady_tempo", bpm=120)
        self.track = self.state()["tracks"][0]["id"]
        self.open("arrange")
        self.page.get_by_role("button", name="Line of drums_103").click()
        self.row = self.page.locator(".line-row")
        expect(self.row).to_be_visible()

    def points(self, name="level_db"):
        """As the page has them: what is pressed next goes by that."""
        told = self.engine("s.state.tracks[0].lines")
        lines = {one["name"]: one["points"] for one in told}
        return [(p["beat"], round(p["value"], 2)) for p in lines.get(name, [])]

    def at(self, beat, height):
        """Where on the page a beat lies in the row, and so high."""
        box = self.row.bounding_box()
        per_beat = self.page.evaluate("() => zeroKnot.app.lanePerBeat()")
        return box["x"] + beat * per_beat, box["y"] + 7 + (1 - height) * (box["height"] - 14)

    def drag(self, a, b, *, keys=(), up=True):
        for key in keys:
            self.page.keyboard.down(key)
        self.page.mouse.move(*a)
        self.page.mouse.down()
        self.page.mouse.move(*b, steps=5)
        if up:
            self.page.mouse.up()
        for key in keys:
            self.page.keyboard.up(key)

    def test_points_are_put_dragged_bent_and_taken_away(self):
        page = self.page
        for beat, height in ((4, 0.5), (12, 0.9)):
            page.mouse.click(*self.at(beat, height))
            self.wait(lambda b=beat: b in [p[0] for p in self.points()])
        self.drag(self.at(12, 0.9), self.at(16, 0.25))
        self.wait(lambda: [p[0] for p in self.points()] == [4, 16])
        self.assertAlmostEqual(self.points()[1][1], -60 + 72 * 0.25, delta=1)
        # Given up with Escape it lies where it lay.
        self.drag(self.at(16, 0.25), self.at(20, 0.9), up=False)
        page.keyboard.press("Escape")
        page.mouse.up()
        page.wait_for_timeout(200)
        self.assertEqual([p[0] for p in self.points()], [4, 16])
        self.drag(self.at(8, 0.4), (self.at(8, 0.4)[0], self.at(8, 0.4)[1] + 40), keys=("Shift",))
        bend = lambda: self.state()["tracks"][0]["lines"][0]["points"][0]["bend"]  # noqa: E731
        self.wait(lambda: abs(bend()) > 1)
        page.keyboard.press("Control+z")
        self.wait(lambda: bend() == 0)
        page.mouse.dblclick(*self.at(4, 0.5))
        self.wait(lambda: [p[0] for p in self.points()] == [16])
        page.get_by_role("button", name="Clear the line of drums_103").click()
        self.wait(lambda: self.points() == [])

    def test_by_keys_alone(self):
        page = self.page
        page.get_by_label("What moves of drums_103").select_option(label="balance")
        self.row.focus()
        page.keyboard.press("Enter")
        self.wait(lambda: self.points("pan") == [(0, 0)])
        page.evaluate("() => zeroKnot.session.engine().song.go(4)")
        self.wait(lambda: page.evaluate("() => zeroKnot.session.beat()") == 4)
        page.keyboard.press("Enter")
        self.wait(lambda: self.points("pan") == [(0, 0), (4, 0)])
        for _ in range(2):
            page.keyboard.press("Shift+ArrowUp")
            page.wait_for_timeout(150)
        self.wait(lambda: self.points("pan")[1] == (4, 0.4))
        page.keyboard.press("Alt+ArrowRight")
        self.wait(lambda: self.points("pan")[1] == (4.25, 0.4))
        page.keyboard.press("ArrowLeft")
        page.keyboard.press("s")
        shape = lambda: self.state()["tracks"][0]["lines"][0]["points"][0]["shape"]  # noqa: E731
        self.wait(lambda: shape() == "step")
        expect(self.row).to_have_attribute("aria-label", "Line of balance, 2 points, point 1 at "
            "1.1.1: middle. Arrows choose and move, Enter puts one at the playhead")  # fmt: skip
        page.keyboard.press("Delete")
        self.wait(lambda: self.points("pan") == [(4.25, 0.4)])
        self.assertEqual(len(self.state()["clips"]), 1)  # the clip is not what was meant

    def test_a_line_is_heard_where_it_lies(self):
        points = [{"beat": 0, "value": -60, "shape": "step"}, {"beat": 4, "value": 0}]
        self.intent(kind="set_line", track=self.track, name="level_db", points=points)
        self.wait(lambda: self.engine("s.state.tracks[0].lines.length") == 1)
        self.page.locator("#strip").focus()
        self.page.keyboard.press("Space")
        peak = "Math.max(...e.mixer.masterMeter.read().peaks)"
        self.wait(lambda: self.beat() > 1)
        self.assertLess(self.engine(peak), 1e-4)
        self.wait(lambda: self.beat() > 4.5)
        self.wait(lambda: self.engine(peak) > 0.01)

    def test_what_is_held_while_it_plays_is_written_and_let_go_again(self):
        page = self.page
        page.get_by_role("button", name="write").click()
        page.locator("#strip").focus()
        page.keyboard.press("Space")
        self.wait(lambda: self.beat() > 2)
        bar = page.get_by_role("slider", name="Track level").bounding_box()
        y = bar["y"] + bar["height"] / 2
        page.mouse.move(bar["x"] + bar["width"] * 0.75, y)
        page.mouse.down()
        for share in (0.7, 0.6, 0.5, 0.4):
            page.mouse.move(bar["x"] + bar["width"] * share, y)
            page.wait_for_timeout(350)
        page.mouse.up()
        self.wait(lambda: len(self.points()) > 4)
        written = self.points()
        self.assertGreater(written[1][0], 1.5)
        self.assertAlmostEqual(min(v for _, v in written), -60 + 72 * 0.4, delta=2)
        # The level itself is as it was, and holds again where the hand let go.
        self.assertEqual(self.state()["tracks"][0]["level_db"], written[-1][1])
        self.assertLess(len(written), 40)
        page.keyboard.press("Control+z")
        self.wait(lambda: self.points() == [])


class RowsTest(BrowserTest):
    def test_tracks_are_moved_by_their_heads_folded_and_made_higher(self):
        page = self.page
        for name in ("drums_103", "keys_88"):
            self.intent(kind="place", hand=self.shelved(name), beat=0)
        self.open("arrange")
        lane = page.locator(".lane").first
        first = lane.get_attribute("data-lane")
        expect(lane).to_have_css("height", "67px")
        edge = lane.locator(".row-edge").bounding_box()
        page.mouse.move(edge["x"] + 20, edge["y"] + 3)
        page.mouse.down()
        page.mouse.move(edge["x"] + 20, edge["y"] + 63, steps=4)
        page.mouse.up()
        self.wait(lambda: lane.bounding_box()["height"] > 120)
        self.open("arrange")  # it is kept
        self.wait(lambda: page.locator(".lane").first.bounding_box()["height"] > 120)
        page.locator(".lane").first.locator(".row-edge").dblclick()
        self.wait(lambda: page.locator(".lane").first.bounding_box()["height"] < 40)
        page.locator(".lane").first.locator(".row-edge").dblclick()
        heads = [h.bounding_box() for h in page.locator(".track-head").all()]
        page.mouse.move(heads[0]["x"] + 30, heads[0]["y"] + 14)
        page.mouse.down()
        page.mouse.move(heads[1]["x"] + 30, heads[1]["y"] + heads[1]["height"] - 8, steps=5)
        expect(page.locator("#dragged")).to_have_text("track 2 of 2")
        page.mouse.up()
        self.wait(lambda: [t["id"] for t in self.state()["tracks"]].index(first) == 1)
        page.keyboard.press("Control+z")
        self.wait(lambda: [t["id"] for t in self.state()["tracks"]].index(first) == 0)
