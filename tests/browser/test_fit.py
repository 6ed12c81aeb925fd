import re

from playwright.sync_api import expect

from tests.browser.harness import BrowserTest
from tests.sounds import rendered
from zeroknot.core.formats.riff import wav_bytes

# Where a knot is drawn, and how many pixels a second and a beat are: as the loom itself has it.
KNOT = """([which, rail]) => {
  const { stage } = zeroKnot.app;
  const knots = stage.host.hand().knots;
  const [second] = which === "zero" ? knots.find((k) => k[1] === 0) : knots.at(-1);
  const { view } = stage.port;
  return [...stage.port.pointOf(second, rail), view.width / (view.recorded.to - view.recorded.from),
    view.width / (view.fitted.to - view.fitted.from)];
}"""


class LateTest(BrowserTest):
    def test_nothing_is_said_before_it_is_known(self):
        sha, held = self.shelved("drums_103"), []
        page = self.page
        page.route("**/js/main.js", lambda route: held.append(route))
        page.goto(f"{self.server.base}/p/{self.project}/fit/{sha}", wait_until="commit")
        self.wait(lambda: held)
        none = page.get_by_text("No tempo was heard")
        none.wait_for(state="attached")
        expect(none).to_be_hidden()
        held.pop().continue_()
        expect(page.locator(".readings").first).to_be_visible()
        expect(none).to_be_hidden()


class FitTest(BrowserTest):
    def setUp(self):
        super().setUp()
        sha = self.shelved("drums_103")
        self.intent(kind="place", hand=sha, beat=0)
        self.intent(kind="state_reading", hand=sha, bars=2)
        self.strand = self.state()["strands"][0]["id"]
        self.open(f"fit/{self.strand}")
        self.wait(lambda: self.page.evaluate("() => zeroKnot.session.hand") == self.strand)
        self.page.locator(".working").wait_for(state="hidden")

    def drag(self, which, rail, seconds=0.0, beats=0.0, free=True):
        """Drag a knot by a distance on its own rail."""
        x, y, per_second, per_beat = self.page.evaluate(KNOT, [which, rail])
        to = x + seconds * per_second + beats * per_beat
        mouse, keyboard = self.page.mouse, self.page.keyboard
        mouse.move(x, y)
        mouse.down()
        if free:
            keyboard.down("Alt")
        mouse.move((x + to) / 2, y, steps=3)
        mouse.move(to, y, steps=3)
        mouse.up()
        if free:
            keyboard.up("Alt")

    def strand_now(self):
        return self.state()["strands"][0]

    def test_knots_drag_on_both_rails_and_each_is_one_step(self):
        beat = 60 / 103
        self.drag("zero", "recorded", seconds=0.4)
        self.wait(lambda: abs(self.strand_now()["zero_s"] - 0.4) < 0.02)
        self.assertEqual(self.state()["undo"], "correct downbeat")
        self.undo()
        self.drag("end", "recorded", seconds=-0.5)
        self.wait(lambda: abs(self.strand_now()["end_s"] - (8 * beat - 0.5)) < 0.02)
        self.assertEqual(self.strand_now()["span"], 8)
        self.undo()
        # On the fitted rail: the end knot is the span, snapped to the grid.
        self.drag("end", "fitted", beats=-1.8, free=False)
        self.wait(lambda: self.strand_now()["span"] == 6)
        self.undo()
        # The zero knot moves the grid under the recording.
        self.drag("zero", "fitted", beats=1.1, free=False)
        self.wait(lambda: abs(self.strand_now()["zero_s"] + beat) < 0.01)

    def undo(self):
        self.page.keyboard.press("Control+z")
        self.wait(lambda: self.state()["undo"] == "correct bars")
        self.page.wait_for_function(
            "() => zeroKnot.session.state.undo === 'correct bars' && !zeroKnot.session.saving"
        )
        self.page.wait_for_timeout(300)
        self.page.locator(".working").wait_for(state="hidden")

    def test_readings_say_why_and_more_sensitivity_only_adds_attacks(self):
        page = self.page
        # A reading that was not heard stands first, as the person's own; heard ones under it.
        self.intent(kind="state_reading", hand=self.strand, bars=3)
        first = page.locator(".reading").first.locator("span.mono").last
        self.wait(lambda: first.inner_text() == "own")

        def reason():
            page.mouse.move(5, 5)  # the list may have been drawn anew under the pointer
            page.locator(".reading", has_text="%").first.hover()
            return page.locator(".reason").inner_text()

        self.wait(lambda: re.search("2 bars at 103.*as long", reason()))
        expect(page.locator(".in-hand .name")).to_contain_text("drums")
        # Drums have no key: none is named, none can be given to the project.
        expect(page.get_by_role("button", name="Give the project this key")).to_be_hidden()
        self.assertNotIn("key", page.locator(".in-hand").inner_text())
        field, counts = page.get_by_label("Sensitivity to attacks, typed"), []
        for percent in ("10", "65", "95"):
            field.fill(percent)
            field.press("Enter")
            text = page.get_by_text("attacks heard").inner_text()
            counts.append(int(text.split()[0]))
        self.assertEqual(counts, sorted(counts))
        # 16 eighths and one kick between them (tests/fixtures/render.py).
        self.assertEqual(counts[1], 17)
        self.assertGreater(counts[2], counts[0])

    def test_a_strand_that_was_undone_is_its_loop_under_an_address_that_holds(self):
        page, sha = self.page, self.state()["strands"][0]["loop"]
        for _ in range(2):
            page.get_by_role("button", name="Undo").click()
        page.wait_for_url(f"**/fit/{sha}")
        self.walk_to("Groove")
        page.wait_for_url(f"**/groove/{sha}")
        # Under the old one, as a link that was kept has it: nothing of it is there.
        page.goto(f"{self.server.base}/p/{self.project}/fit/{sha}")
        page.evaluate("""(gone) => {
          for (const a of document.querySelectorAll("nav.rail a[data-of-hand]"))
            a.href = a.href.replace(/[^/]+$/, gone);
        }""", self.strand)  # fmt: skip
        self.walk_to("Groove")
        expect(page.locator(".notices")).to_contain_text("is there no longer")
        page.wait_for_url(re.compile("groove/[0-9a-f]{64}$"))

    def test_left_with_an_answer_on_its_way_nothing_begins_to_sound(self):
        page = self.page
        page.locator("#loom").focus()
        page.keyboard.press("Enter")
        self.wait(lambda: self.engine("e.hand.way") == "fitted")
        held = []
        page.route("**/trial", lambda route: held.append(route))
        x, y, *_ = page.evaluate(KNOT, ["end", "fitted"])
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x - 150, y, steps=4)
        self.wait(lambda: held)
        page.evaluate("() => zeroKnot.app.go(location.pathname.replace(/fit.*/, 'arrange'))")
        page.locator(".arrange").wait_for()
        page.mouse.up()
        self.wait(lambda: not self.engine("e.hand.isPlaying"))
        held[0].continue_()
        page.wait_for_timeout(1500)
        self.assertFalse(self.engine("e.hand.isPlaying || e.hand.isWaiting"))
        page.unroute("**/trial")

    def test_escape_lets_a_drag_go(self):
        x, y, *_ = self.page.evaluate(KNOT, ["end", "recorded"])
        self.page.locator("#loom").focus()
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x - 90, y, steps=3)
        self.page.keyboard.press("Escape")
        self.page.mouse.up()
        self.page.wait_for_timeout(200)
        self.assertEqual(self.strand_now()["span"], 8)
        self.assertEqual(self.state()["undo"], "correct bars")

    def test_span_shift_method_level_and_lead(self):
        page = self.page
        page.get_by_role("button", name="double").click()
        self.wait(lambda: self.strand_now()["span"] == 16)
        field = page.get_by_label("Bars it is laid on")
        self.wait(lambda: field.input_value() == "4")
        field.fill("3")
        field.press("Enter")
        self.wait(lambda: self.strand_now()["span"] == 12)
        shift = page.get_by_label("Shift, typed")
        shift.fill("-1,5")
        shift.press("Enter")
        self.wait(lambda: self.strand_now()["shift"] == -1.5)
        page.get_by_role("slider", name="Strand level").press("ArrowLeft")
        self.wait(lambda: self.strand_now()["gain_db"] == -0.5)
        page.get_by_label("Spool").check()
        self.wait(lambda: self.strand_now()["method"] == "spool")
        page.get_by_label("keep what sounds before the one").click()
        self.wait(lambda: self.strand_now()["lead"] is False)

    def test_bad_numbers_get_a_sentence_and_change_nothing(self):
        page = self.page
        revision = self.state()["revision"]
        for label, text in (("Bars", "many"), ("Bars", "1.5"), ("Tempo", "fast")):
            field = page.locator(".side").get_by_label(label, exact=True)
            field.fill(text)
            field.press("Enter")
            page.locator(".notice.error").filter(has_text=text).first.wait_for()
        self.assertEqual(self.state()["revision"], revision)
        expect(page.locator("#bars")).to_have_value("2")


class TransportTest(BrowserTest):
    def test_click_is_on_the_pulses_to_the_frame(self):
        self.open()
        self.page.locator("#strip").focus()
        self.page.evaluate("""() => {
          const engine = zeroKnot.session.engine();
          engine.clicked = [];
          const at = engine.click.at.bind(engine.click);
          engine.click.at = (time, isOne) => {
            engine.clicked.push([time, isOne]);
            at(time, isOne);
          };
        }""")
        self.page.keyboard.press("c")
        self.page.keyboard.press("Space")
        self.wait(lambda: self.beat() > 5)
        clicked, run, rate = self.engine("[e.clicked, e.song.plan.handout.runs[0], e.rate]")
        frames = [round(time * rate) - run["context"] + run["song"] for time, _ in clicked]
        # 120 BPM at 44.1 kHz: a pulse is 22 050 frames; the one is every fourth.
        self.assertEqual(frames, [22_050 * i for i in range(len(frames))])
        self.assertEqual([one for _, one in clicked][:6], [True, False, False, False, True, False])

    def test_the_transport_never_stops_while_navigating_and_cycles(self):
        self.open("arrange")
        page = self.page
        box = page.locator("#strip").bounding_box()
        per_bar = (box["width"] - 24) / 16
        page.mouse.move(box["x"] + 12 + 2.2 * per_bar, box["y"] + 40)
        page.mouse.down()
        page.mouse.move(box["x"] + 12 + 2.8 * per_bar, box["y"] + 40, steps=4)
        page.mouse.up()
        page.get_by_role("button", name="Cycle bar 3").wait_for()
        page.keyboard.press("Space")
        self.wait(lambda: 8 < self.beat() < 12)
        for view in ("Shelf", "Fit", "Arrange"):
            page.locator("nav.rail").get_by_role("link", name=view).click()
            page.wait_for_timeout(900)
            self.assertTrue(self.engine("e.song.isPlaying"))
            self.assertTrue(8 <= self.beat() < 12.01, self.beat())

    def test_a_double_click_on_a_sections_name_is_a_cycle_of_it(self):
        sections = [
            {"bar": 1, "name": "Low water"},
            {"bar": 5, "name": "Flood"},
            {"bar": 9, "name": ""},
        ]
        self.intent(kind="set_sections", sections=sections)
        self.open("arrange")
        box = self.page.locator("#strip").bounding_box()
        per_bar = (box["width"] - 24) / 16
        self.page.mouse.dblclick(box["x"] + 12 + 6 * per_bar, box["y"] + 8)
        self.page.get_by_role("button", name="Cycle bars 5–8").wait_for()
        # Where nothing is named there is nothing to go round, and below the names neither.
        self.page.mouse.dblclick(box["x"] + 12 + 10 * per_bar, box["y"] + 8)
        self.page.mouse.dblclick(box["x"] + 12 + 2 * per_bar, box["y"] + 40)
        self.page.get_by_role("button", name="Cycle bars 5–8").wait_for()

    def test_tap_tempo(self):
        self.open()
        self.page.locator("#strip").focus()
        # As a keyboard stamps them, whenever a busy page comes to read them.
        self.page.evaluate("""() => {
          const start = performance.now() - 3000;
          for (let i = 0; i < 6; i += 1) {
            const tap = new KeyboardEvent("keydown", { key: "t" });
            Object.defineProperty(tap, "timeStamp", { value: start + 480 * i });
            document.dispatchEvent(tap);
          }
        }""")
        self.wait(lambda: self.state()["undo"] is not None)
        self.assertAlmostEqual(self.state()["bpm"], 125, delta=0.5)


class ShelfTest(BrowserTest):
    def test_search_refusals_drag_onto_a_bar_and_put_back(self):
        self.send(wav_bytes(rendered("bass_97"), 16), "set one/bass <b>97</b>.wav")
        self.send(b"no sound at all", "set one/letter.wav")
        self.server.settle()
        self.open()
        page = self.page
        page.locator(".troubles").filter(
            has_text="letter.wav: this is neither an audio file"
        ).wait_for()
        rows = page.locator(".rows li")
        page.get_by_label("Search by name").fill("no such words")
        page.get_by_text("No loop is all of that").wait_for()
        page.get_by_label("Search by name").fill("b>")
        self.wait(lambda: rows.count() == 1)
        box, strip = rows.first.bounding_box(), page.locator("#strip").bounding_box()
        page.mouse.move(box["x"] + 100, box["y"] + 20)
        page.mouse.down()
        per_bar = (strip["width"] - 24) / 16
        page.mouse.move(strip["x"] + 12 + 4.5 * per_bar, strip["y"] + 30, steps=6)
        page.locator(".ghost.lands").filter(has_text="bar 5").wait_for()
        page.mouse.up()
        self.wait(lambda: [c["beat"] for c in self.state()["clips"]] == [16])
        rows.first.click()
        page.keyboard.press("Delete")
        self.wait(lambda: rows.count() == 0)
        page.locator(".notice").get_by_role("button", name="Undo").click()
        self.wait(lambda: rows.count() == 1)
