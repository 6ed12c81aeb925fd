"""A kit of two loops, pads in another order and by pitch, a MIDI loop's notes in their lanes."""

from playwright.sync_api import expect

from tests.browser.harness import BrowserTest
from tests.core.listening.test_midi_reading import midi

SLICES = "zeroKnot.app.slices"


class OnHand(BrowserTest):
    """What is in hand in the Slices view."""

    def of(self, what):
        return self.server.get(f"/api/projects/{self.project}/hand/{self.hand}/{what}")

    def at(self, x, y, of="#notes"):
        box = self.page.locator(of).bounding_box()
        return box["x"] + x, box["y"] + y

    def drag(self, start, end, key=None):
        self.page.mouse.move(*start)
        self.page.mouse.down()
        if key:
            self.page.keyboard.down(key)
        self.page.mouse.move(*end, steps=5)
        self.page.mouse.up()
        if key:
            self.page.keyboard.up(key)


class KitTest(OnHand):
    def setUp(self):
        super().setUp()
        self.drums, self.keys = self.shelved("drums_103"), self.shelved("keys_88")
        self.intent(kind="set_steady_tempo", bpm=96)
        self.intent(kind="cut_up", hand=self.drums, by="equal", count=8)
        self.hand = self.state()["strands"][0]["id"]
        self.open(f"slices/{self.hand}")
        expect(self.page.locator("#cut-said")).to_have_text("8 slices")

    def test_a_slice_of_another_loop_joins_the_kit(self):
        page = self.page
        page.locator("[data-section=kit] summary").click()
        choice = page.get_by_label("Loop whose slices are taken")
        choice.locator("option", has_text="keys_88 (shelf)").wait_for(state="attached")
        choice.select_option(label="keys_88 (shelf)")
        page.get_by_role("button", name="the whole").click()
        expect(page.locator("#cut-said")).to_have_text("8 slices and 1 of others")
        # It lies on pad 9, is heard from there, and goes to pad 1.
        page.locator('[data-place="8"]').wait_for()
        self.wait(lambda: self.struck_level(8) > 0.01)
        page.locator("#slices").focus()
        page.keyboard.press(",")
        expect(page.locator("[data-section=slice] .note").first).to_contain_text("of keys_88")
        pad = page.get_by_label("Pad of the slice")
        pad.fill("1")
        pad.press("Enter")
        self.wait(lambda: self.of("slices")["pads"][0] == 8)
        pad.fill("40")
        pad.press("Enter")
        expect(page.get_by_role("status").filter(has_text="is not a pad")).to_be_visible()
        # Back by undo, step by step; given back by hand.
        page.locator("#slices").focus()
        page.keyboard.press("Control+z")
        self.wait(lambda: self.of("slices")["pads"][0] == 0)
        page.get_by_role("button", name="Give back").click()
        expect(page.locator("#cut-said")).to_have_text("8 slices")

    def struck_level(self, pad):
        """The loudest that the hand's bus is within a moment of striking a pad."""
        return self.page.evaluate(
            """async (pad) => {
              const s = zeroKnot.app.slices, engine = zeroKnot.session.engine();
              const meter = new AnalyserNode(engine.context, {fftSize: 2048});
              engine.mixer.hand.node.connect(meter);
              s.strikePad(pad, 1, performance.now());
              let loudest = 0;
              const samples = new Float32Array(2048);
              for (let i = 0; i < 12; i += 1) {
                await new Promise((done) => setTimeout(done, 40));
                meter.getFloatTimeDomainData(samples);
                for (const x of samples) loudest = Math.max(loudest, Math.abs(x));
              }
              meter.disconnect();
              return loudest;
            }""",
            pad,
        )

    def test_pads_by_pitch_choke_and_strength(self):
        page = self.page
        self.wait(lambda: self.struck_level(0) > 0.01)
        page.locator("#slices").focus()
        for _ in range(3):
            page.keyboard.press(".")  # the third slice
        page.get_by_role("button", name="by pitch").click()
        expect(page.locator('[data-place="7"]')).to_contain_text("+7 st")
        page.keyboard.press("g")
        page.keyboard.press("k")
        page.locator('[data-pad="2"][data-struck]').first.wait_for()
        page.keyboard.press("Escape")
        page.keyboard.press("Shift+C")
        rounds = self.wait(lambda: self.of("slices")["rounds"])
        self.assertEqual(rounds[0]["strokes"], 2)  # the one that was struck first, and this
        self.intent(kind="play_round", hand=self.hand, number=0, step=0.25)
        tiles = self.of("slices")["order"]["tiles"]
        self.assertIn((2, 7), [(t["piece"], t["semitones"]) for t in tiles])
        # Of a chord that is held one key is let go; a device's far note is as high as can be.
        page.get_by_role("button", name="while held").click()
        held = page.evaluate(
            """() => {
              const s = zeroKnot.app.slices;
              for (const pad of [0, 4, 7, 60]) s.strikePad(pad, 1, performance.now());
              s.letPadGo(4, performance.now());
              return [s.padsSounding(), s.strokes().at(-1).semitones];
            }"""
        )
        self.assertEqual((sorted(held[0])[-3:], held[1]), ([0, 7, 60], 24))
        self.wait(lambda: self.of("slices")["pieces"][2]["held"])
        # For how long it was held is how long its tile is.
        beats = page.evaluate(
            """() => {
              const s = zeroKnot.app.slices, now = performance.now();
              s.strikePad(1, 1, now);
              s.letPadGo(1, now + 300);
              return s.strokes().at(-1).beats;
            }"""
        )
        self.assertAlmostEqual(beats, 0.3 * self.state()["tempos"][0]["bpm"] / 60, delta=0.02)
        page.get_by_role("button", name="while held").click()
        self.wait(lambda: not self.of("slices")["pieces"][2]["held"])
        page.get_by_role("button", name="by pitch").click()
        # Of a choke group one sounds: the other is let go.
        self.intent(kind="change_pieces", hand=self.hand, choke=1)
        self.wait(lambda: page.evaluate(f"() => {SLICES}.pieceChoke") == 1)
        self.wait(lambda: page.evaluate(f"() => {SLICES}.row[0].isThere"))
        page.get_by_label("What the strength of a stroke does").select_option("start")
        # What was struck before the group was there is of none, and rings out first.
        self.wait(lambda: not page.evaluate(f"() => {SLICES}.padsSounding()"))
        sounding = page.evaluate(
            """() => {
              const s = zeroKnot.app.slices;
              s.strikePad(0, 1, performance.now());
              s.strikePad(1, 0.5, performance.now());
              s.strikePad(2, 0.2, performance.now());
              return s.padsSounding();
            }"""
        )
        self.assertEqual(sounding, [2])


class NotesTest(OnHand):
    def setUp(self):
        super().setUp()
        notes = [(i, i + 0.5, p, 0) for i, p in enumerate((45, 57, 60, 64))]
        self.send(midi(notes, 96).getvalue(), "line.mid")
        self.server.settle()
        self.sha = next(r["sha"] for r in self.server.rows() if r["name"] == "line")
        self.intent(kind="set_steady_tempo", bpm=96)
        self.open(f"slices/{self.sha}")
        expect(self.page.locator("[data-section=notes] .note")).to_contain_text("4 notes")

    @property
    def hand(self):
        strands = self.state()["strands"]
        return strands[0]["id"] if strands else self.sha

    def notes(self):
        return [
            (round(n["beat"], 3), round(n["beats"], 3), n["pitch"], n["velocity"])
            for n in self.of("lanes")["notes"]
        ]

    def box(self, index):
        # As the page shows it, once that is what the server has.
        self.wait(lambda: self.page.evaluate(f"() => {SLICES}.lanesShown()") == self.of("lanes"))
        return self.page.evaluate(f"(i) => {SLICES}.noteBoxOf(i)", index)

    def test_notes_are_edited_by_pointer_and_by_keys(self):
        page = self.page
        before = self.notes()
        first = self.box(0)
        # Dragged an octave's third up and a beat later; its end a sixteenth longer.
        beat = self.box(1)["x"] - first["x"]
        start = self.at(first["x"] + 3, first["y"])
        self.drag(start, (start[0] + beat, start[1] - 3 * first["lane"]))
        self.wait(lambda: self.notes()[0][:3] == (1.0, 0.5, 48))
        moved = self.box(0)
        end = self.at(moved["x"] + moved["width"] - 2, moved["y"])
        self.drag(end, (end[0] + beat / 4, end[1]))
        self.wait(lambda: self.notes()[0][1] == 0.75)
        # One more by a double click, one less by another.
        x, y = self.at(first["x"] + 2, first["y"])
        page.mouse.dblclick(x, y)
        added = self.wait(lambda: next((n for n in self.notes() if n[0] == 0.0), None))
        self.assertEqual(added[:3], (0.0, 0.25, 45))
        self.box(0)
        page.mouse.dblclick(x, y)
        self.wait(lambda: len(self.notes()) == 4)
        self.box(0)
        # By keys: chosen, higher, later, longer, once more, away.
        page.locator("#notes").focus()
        page.keyboard.press("Escape")
        page.keyboard.press("[")
        page.keyboard.press("ArrowUp")
        self.wait(lambda: self.notes()[3][2] == 65)
        page.keyboard.press("ArrowLeft")
        self.wait(lambda: self.notes()[3][0] == 2.75)
        page.keyboard.press(">")
        self.wait(lambda: self.notes()[3][1] == 0.75)
        page.keyboard.press("n")
        self.wait(lambda: len(self.notes()) == 5)
        page.keyboard.press("Control+z")
        self.wait(lambda: len(self.notes()) == 4)
        # A line of velocities, from soft to hard.
        rows = page.evaluate(f"() => {SLICES}.laneRows()")
        left, right = self.box(0)["x"] - 3, self.box(3)["x"] + 3
        self.drag(self.at(left, rows["end"] - 8), self.at(right, rows["foot"] + 4))
        velocities = self.wait(
            lambda: [n[3] for n in self.notes()] if self.notes()[0][3] < 30 else None
        )
        self.assertEqual(velocities, sorted(velocities))
        page.get_by_role("button", name="As they were").click()
        self.wait(lambda: self.notes() == before)
        # What lies beside the grid is drawn to it.
        first = self.box(0)
        start = self.at(first["x"] + 3, first["y"])
        self.drag(start, (start[0] + 0.6 * beat, start[1]), key="Alt")
        self.wait(lambda: any(n[0] % 0.25 for n in self.notes()))
        page.get_by_role("button", name="To the grid").click()
        self.wait(lambda: not any(n[0] % 0.25 for n in self.notes()))

    def test_it_plays_a_kit(self):
        page = self.page
        drums = self.shelved("drums_103")
        self.intent(kind="cut_up", hand=drums, by="equal", count=32)
        kit = next(s["id"] for s in self.state()["strands"] if s["loop"] == drums)
        self.open(f"slices/{kit}")
        page.locator("[data-section=kit] summary").click()
        choice = page.get_by_label("Loop whose slices are taken")
        choice.locator("option", has_text="line").wait_for(state="attached")
        choice.select_option(label="line (shelf)")
        page.get_by_role("button", name="Play its notes on the pads").click()
        path = f"/api/projects/{self.project}/hand/{kit}/slices"
        tiles = self.wait(lambda: (o := self.server.get(path)["order"])["is_own"] and o["tiles"])
        self.assertEqual([t["piece"] for t in tiles], [45 - 36, 57 - 36, 60 - 36, 64 - 36])
