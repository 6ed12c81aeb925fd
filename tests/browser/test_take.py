import numpy as np
from playwright.sync_api import expect

from tests.browser.harness import BrowserTest
from tests.takes import beat_times, drummer, wandering
from zeroknot.core.formats.riff import wav_bytes

BPM = 101.0


class TakeTest(BrowserTest):
    """A take of half a minute with silence and a pickup in front; its every beat is known."""

    def setUp(self):
        super().setUp()
        self.times = beat_times(lambda beat: BPM * (1 + 0.008 * np.sin(beat / 5)), 50, 1.2)
        samples, _ = drummer(self.times, pickup=2)
        self.sha = self.taken_in(samples, "field take")
        # What it is was said: these tests are about what is done with it.
        said = {"bars": 12, "beats_per_bar": 4, "downbeat_s": float(self.times[2])}
        end = float(self.times[50])
        self.intent(kind="state_reading", hand=self.sha, end_s=end, **said)
        self.open(f"fit/{self.sha}")
        self.page.wait_for_function("() => zeroKnot.app.stage?.port.seen")

    def select(self, start, end, free=True):
        """Drag along the recorded rail."""
        points = [
            self.page.evaluate("(s) => zeroKnot.app.stage.port.pointOf(s, 'recorded')", s)
            for s in (start, end)
        ]
        (x, y), (to, _) = points
        self.page.mouse.move(x, y - 50)
        self.page.mouse.down()
        if free:
            self.page.keyboard.down("Alt")
        self.page.mouse.move((x + to) / 2, y - 50, steps=3)
        self.page.mouse.move(to, y - 50, steps=3)
        self.page.mouse.up()
        if free:
            self.page.keyboard.up("Alt")

    def range(self):
        return self.page.evaluate("() => zeroKnot.app.stage.range")

    def test_loops_are_proposed_heard_by_their_seam_and_cropped(self):
        page = self.page
        page.get_by_role("button", name="Look for loops").click()
        found = page.get_by_role("list", name="Loops found").get_by_role("button")
        self.wait(lambda: found.count() >= 8)
        found.filter(has_text="4 bars").first.click()
        start, end = self.wait(self.range)
        for edge in (start, end):
            self.assertLess(np.abs(self.times - edge).min(), 0.03)
        self.wait(lambda: self.engine("e.hand.way") == "seam")
        # The seam is the end of the stretch, then its start.
        events = self.engine("e.hand.plan.heard.pattern.events")
        rate = self.state()["rate"]
        self.assertAlmostEqual((events[0]["start"] + events[0]["frames"]) / rate, end, places=4)
        self.assertAlmostEqual(events[1]["start"] / rate, start, places=4)
        page.get_by_text("4 bars at").first.wait_for()
        known = {r["sha"] for r in self.server.rows()}
        page.get_by_role("button", name="Crop to a new loop").click()
        self.wait(lambda: len(self.server.rows()) == len(known) + 1)
        page.get_by_role("button", name="Undo").click()
        self.wait(lambda: {r["sha"] for r in self.server.rows()} == known)
        expect(page.get_by_role("button", name="Take it in hand")).to_be_hidden()
        page.get_by_role("button", name="Redo").click()
        self.wait(lambda: len(self.server.rows()) == len(known) + 1)
        page.get_by_role("button", name="Take it in hand").click()
        page.get_by_text("4 bars", exact=True).first.wait_for()
        made = next(r for r in self.server.rows() if r["sha"] not in known)
        self.assertEqual(made["bars"], 4)
        self.assertAlmostEqual(made["seconds"], end - start, places=4)

    def test_a_stretch_is_marked_while_it_is_heard_and_typed(self):
        page = self.page
        page.keyboard.press(",")
        page.get_by_text("Hear it, or click on a rail first").wait_for()
        page.get_by_role("button", name="As recorded").click()
        page.get_by_role("button", name="Hear it").click()
        self.wait(lambda: (self.engine("e.hand.second()") or 0) > self.times[4])
        page.keyboard.press(",")
        start, end = self.wait(self.range)
        self.assertGreater(start, self.times[4] - 0.3)
        self.assertAlmostEqual(end, self.times[50], places=3)
        self.wait(lambda: self.engine("e.hand.second()") > start + 1)
        page.keyboard.press(".")
        self.wait(lambda: self.range()[1] < self.times[20])
        self.assertAlmostEqual(self.range()[0], start)
        self.assertGreater(self.range()[1], start + 0.7)
        page.get_by_label("To, s").fill("0:06.5")
        page.get_by_label("To, s").press("Enter")
        self.wait(lambda: self.range()[1] == 6.5)
        # An edge that would pass the other takes it along.
        page.get_by_label("From, s").fill("22")
        page.get_by_label("From, s").press("Enter")
        self.wait(lambda: self.range()[0] == 22)
        self.assertAlmostEqual(self.range()[1], 22 + 6.5 - start, places=3)

    def test_a_stretch_by_hand_is_mended_snapped_and_fitted(self):
        page = self.page
        start, end = self.times[10], self.times[26]
        self.select(start, end + 0.015)
        got = self.wait(self.range)
        page.get_by_text("overhangs its seam by").wait_for()
        # Both edges are drawn in close-up, side by side.
        page.wait_for_function(
            """() => {
              const c = document.getElementById("edges");
              const d = c.getContext("2d").getImageData(0, 0, c.width, c.height).data;
              const half = (from, to) => {
                let n = 0;
                for (let y = 0; y < c.height; y += 2) {
                  for (let x = from; x < to; x += 1) n += d[4 * (y * c.width + x) + 3] > 0;
                }
                return n;
              };
              return half(0, c.width / 2) > 500 && half(c.width / 2, c.width) > 500;
            }"""
        )
        page.get_by_role("button", name="Mend it").click()
        self.wait(lambda: self.range()[1] != got[1])
        page.get_by_text("It does not overhang").wait_for()
        self.assertAlmostEqual(self.range()[1] - self.range()[0], end - start, delta=0.008)
        before = self.range()
        page.locator("#loom").focus()
        page.keyboard.press("x")
        self.wait(lambda: self.range() != before)
        for a, b in zip(self.range(), before, strict=True):
            self.assertLess(abs(a - b), 0.0065)
        start, end = self.range()
        page.get_by_role("button", name="Give the project its tempo").click()
        self.wait(lambda: abs(self.state()["bpm"] - 16 * 60 / (end - start)) < 0.01)
        page.get_by_role("button", name="Fit it to the project").click()
        self.wait(lambda: self.state()["strands"][0]["span"] == 16)
        strand = self.state()["strands"][0]
        self.assertAlmostEqual(strand["zero_s"], start, places=6)
        self.assertAlmostEqual(strand["duration_ratio"], 1.0, places=3)

    def test_edges_of_a_stretch_are_dragged_onto_attacks(self):
        self.select(self.times[10] + 0.1, self.times[20] + 0.1)
        start, end = self.wait(self.range)
        x, y = self.page.evaluate("(s) => zeroKnot.app.stage.port.pointOf(s, 'recorded')", end)
        to, _ = self.page.evaluate(
            "(s) => zeroKnot.app.stage.port.pointOf(s, 'recorded')", float(self.times[22]) + 0.01
        )
        self.page.mouse.move(x, y - 50)
        self.page.mouse.down()
        self.page.mouse.move(to, y - 50, steps=5)
        self.page.mouse.up()
        self.assertEqual(self.range()[0], start)
        self.assertAlmostEqual(self.range()[1], self.times[22], delta=0.004)

    def test_counting_along_by_taps_and_number_keys(self):
        page = self.page
        page.locator("#loom").focus()
        page.keyboard.press("Enter")
        self.wait(lambda: self.engine("e.hand.isPlaying"))
        # Taps by the page's own clock, at a tempo near the take's; the page is too busy to hear of
        # any before the last.
        page.evaluate(
            """async (gap) => {
              await new Promise((done) => setTimeout(done, 400));
              const start = performance.now();
              for (let i = 0; i < 9; i += 1) {
                const at = start + gap * i;
                while (performance.now() < start + gap * 8);
                const tap = new KeyboardEvent("keydown", { key: "t" });
                Object.defineProperty(tap, "timeStamp", { value: at });
                document.dispatchEvent(tap);
              }
            }""",
            # As fitted: the take's beats sound at the project's 120 BPM.
            500,
        )
        page.get_by_text("Tapped").wait_for()
        tapped = float(page.locator(".tapped").inner_text().split()[1])
        self.assertAlmostEqual(tapped, BPM, delta=5)
        self.assertEqual(self.state()["bpm"], 120)
        page.keyboard.press("8")
        self.wait(lambda: (s := self.state()["strands"]) and s[0]["span"] == 32)
        self.assertEqual(self.state()["undo"], "correct bars")
        # What follows from it is proposed, and taken with a click.
        page.get_by_role("list", name="What may be meant").get_by_role("button").filter(
            has_text="16 bars at"
        ).click()
        self.wait(lambda: self.state()["strands"][0]["span"] == 64)
        field = page.get_by_label("Beats a bar")
        field.fill("3")
        field.press("Enter")
        self.wait(lambda: self.state()["strands"][0]["span"] == 63)


class OfferTest(BrowserTest):
    def test_the_first_loops_tempo_is_offered_once_and_in_place(self):
        from tests.sounds import rendered

        self.send(wav_bytes(rendered("drums_103"), 16), "plates.wav")
        self.server.settle()
        sha = next(r["sha"] for r in self.server.rows() if r["name"] == "plates")
        self.open(f"fit/{sha}")
        page, offer = self.page, self.page.locator(".offer")
        expect(offer).to_be_hidden()
        page.get_by_role("button", name="Place at bar 1").click()
        offer.get_by_text("is at 103 bpm").wait_for()
        expect(offer).to_contain_text("plates")
        offer.get_by_role("button", name="Make it the project's").click()
        self.wait(lambda: abs(self.state()["bpm"] - 103) < 0.01)
        offer.wait_for(state="hidden")
        # Undone, it may be asked again; kept, it is never asked any more.
        page.keyboard.press("Control+z")
        offer.get_by_role("button", name="Keep 120").click()
        offer.wait_for(state="hidden")
        self.assertEqual(self.state()["bpm"], 120)
        self.assertIsNone(self.state()["offer"])

    def test_own_time_is_said_and_other_knots_are_compared_at_the_same_place(self):
        from tests.sounds import rendered

        self.send(wav_bytes(rendered("drums_103"), 16), "plates.wav")
        self.server.settle()
        sha = next(r["sha"] for r in self.server.rows() if r["name"] == "plates")
        self.intent(kind="place", hand=sha, beat=0)
        self.intent(kind="tie_knots", hand=sha, knots=[{"second": 1.0, "beat": 2.2}])
        strand = self.state()["strands"][0]["id"]
        self.open(f"fit/{strand}")
        page = self.page
        page.get_by_role("button", name="Hear it").click()
        self.wait(lambda: self.engine("e.hand.isPlaying"))
        page.get_by_label("Compare with another method").select_option("ends")
        self.wait(lambda: self.engine("e.hand.way") == "against")
        sheet = self.engine("e.hand.sheet")
        self.assertNotEqual(sheet["against"], sheet["digest"])
        # Back and forth keeps the frame: both lie on one axis.
        before = self.engine("[e.hand.place(), e.hand.heard]")
        page.keyboard.press("m")
        self.wait(lambda: self.engine("e.hand.way") == "fitted")
        page.wait_for_timeout(200)
        after = self.engine("[e.hand.place(), e.hand.heard]")
        body = sheet["body"]
        moved = (after[0] - before[0] - (after[1] - before[1])) % body
        self.assertLess(min(moved, body - moved), 3)
        page.get_by_label("follow the project's tempo").click()
        page.get_by_text("It keeps its own time").wait_for()
        self.assertFalse(self.state()["strands"][0]["follows"])
        clip = self.state()["clips"][0]
        self.assertAlmostEqual(clip["beats"], 8 * 120 / 103, places=2)
        # The whole was seen: it still is, though it became longer.
        self.page.wait_for_function(
            f"() => zeroKnot.app.stage.port.view.fitted.to > {clip['beats']}"
        )
        # With the rest, too, a pass comes after its own length, not on the project's bars.
        page.get_by_role("button", name="with the rest").click()
        self.wait(lambda: self.engine("e.song.isPlaying && Boolean(e.song.withHand)"))
        starts = page.evaluate("() => zeroKnot.session.sheet.hand_events.map((e) => e.at)")
        rate = self.state()["rate"]
        gaps = np.diff(starts)[:3]
        np.testing.assert_allclose(gaps, 8 * 60 / 103 * rate, atol=rate * 0.002)


class MidiKnotsTest(BrowserTest):
    def test_notes_lie_on_both_rails_and_knots_move_them(self):
        import io

        import mido

        track = mido.MidiTrack([mido.MetaMessage("set_tempo", tempo=500_000)])
        for i in range(16):
            track.append(mido.Message("note_on", note=60 + i, velocity=90, time=0))
            track.append(mido.Message("note_off", note=60 + i, time=240))
        file = mido.MidiFile(type=1, ticks_per_beat=480)
        file.tracks.append(track)
        out = io.BytesIO()
        file.save(file=out)
        self.send(out.getvalue(), "steps.mid")
        self.server.settle()
        sha = next(r["sha"] for r in self.server.rows() if r["name"] == "steps")
        self.open(f"fit/{sha}")
        page = self.page
        page.wait_for_function("() => zeroKnot.app.stage?.host.notes().length === 16")
        # The note at 1 s is the attack there: its foot is dragged, its neighbours stay.
        x, y = page.evaluate("() => zeroKnot.app.stage.port.pointOf(1, 'fitted')")
        per = page.evaluate(
            "() => { const { width, fitted } = zeroKnot.app.stage.port.view;"
            " return width / (fitted.to - fitted.from); }"
        )
        page.mouse.move(x, y)
        page.mouse.down()
        page.keyboard.down("Alt")
        page.mouse.move(x + 0.2 * per, y, steps=5)
        page.mouse.up()
        page.keyboard.up("Alt")
        strand = self.wait(lambda: self.state()["strands"])[0]
        hand = self.server.get(f"/api/projects/{self.project}/hand/{strand['id']}")
        knots = np.asarray(hand["knots"])
        self.assertAlmostEqual(np.interp(1.0, knots[:, 0], knots[:, 1]), 2.2, delta=0.03)
        for second, beat in ((0.75, 1.5), (1.25, 2.5), (1.75, 3.5)):
            self.assertAlmostEqual(np.interp(second, knots[:, 0], knots[:, 1]), beat, places=3)


class CountedOtherwiseTest(BrowserTest):
    def test_where_else_bars_begin_and_twice_as_fast_is_one_press(self):
        times = beat_times(wandering(92, 2, 120), 120, 0.2)
        samples, _ = drummer(times)
        self.open(f"fit/{self.taken_in(samples, 'long take')}")
        page = self.page
        downbeat, tempo = page.locator("#downbeat"), page.locator("#tempo")
        readings = page.get_by_role("list", name="What it may be").get_by_role("button")
        expect(readings.first).to_have_attribute("aria-pressed", "true")
        first = float(downbeat.input_value())
        other = readings.filter(has_text="from ").first
        expect(other).to_contain_text("its one is")
        other.click()
        self.wait(lambda: float(downbeat.input_value()) != first)
        self.assertLess(np.abs(times - float(downbeat.input_value())).min(), 0.02)
        expect(other).to_have_attribute("aria-pressed", "true")
        before = float(tempo.input_value())
        page.get_by_role("button", name="counted twice as fast").click()
        self.wait(lambda: float(tempo.input_value()) > 1.9 * before)
        undo = page.get_by_role("button", name="Undo")
        undo.click()
        undo.click()
        self.wait(lambda: float(downbeat.input_value()) == first)
