"""A straight loop in a shuffled song: taken, laid, turned down, drawn, compared; what plays."""

import io
import re

import mido
import numpy as np
from playwright.sync_api import expect

from tests.browser.harness import BrowserTest
from tests.sounds import RATE, audio, drum_loop
from zeroknot.core.audio import Audio
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.listening.attacks import all_attacks

BPM = 104.0
LATE = 0.64


class GrooveTest(BrowserTest):
    def setUp(self):
        super().setUp()
        self.straight = self.loop("plain 104bpm", 0.5, 3)
        self.shuffled = self.loop("shuffle 104bpm", LATE, 5)
        self.intent(kind="set_steady_tempo", bpm=BPM)
        for sha in (self.straight, self.shuffled):
            self.intent(kind="place", hand=sha, beat=0)
        self.strand = next(s["id"] for s in self.state()["strands"] if s["loop"] == self.straight)

    def loop(self, name, swing, seed):
        sound = audio(0.4 * drum_loop(BPM, 2, swing=swing, seed=seed))
        self.send(wav_bytes(sound, 24), f"{name}.wav")
        self.server.settle()
        return next(r["sha"] for r in self.server.rows() if r["name"] == name)

    def open_groove(self, hand):
        self.open(f"groove/{hand}")
        self.page.locator(".working").wait_for(state="hidden")

    def laid(self):
        path = f"/api/projects/{self.project}/hand/{self.strand}/groove"
        return self.server.get(path)

    def heard(self):
        """Seconds of the attacks in what the server would play of the strand now."""
        sheet = self.server.get(f"/api/projects/{self.project}/hand/{self.strand}/sheet")
        blocks = -(-sheet["frames"] // 16_384)
        data = [
            np.frombuffer(self.server.bytes(f"/api/renders/{sheet['digest']}/{i}"), np.float32)
            .reshape(sheet["channels"], -1)
            for i in range(blocks)
        ]  # fmt: skip
        sound = Audio(np.ascontiguousarray(np.concatenate(data, axis=1)), RATE)
        return all_attacks(sound).at_sensitivity(SENSITIVITY).seconds

    def take(self):
        self.open_groove(self.shuffled)
        self.page.get_by_label("Name of the groove taken").fill("Shuffle")
        self.page.get_by_role("button", name="Take it").click()
        self.wait(lambda: [g["name"] for g in self.state()["grooves"]] == ["Shuffle"])

    def test_a_straight_loop_ends_up_locked_to_the_song(self):
        page = self.page
        self.take()
        # What is in hand stays from view to view; the other loop is taken in hand from the shelf.
        self.open_groove(self.strand)
        page.get_by_role("button", name="Lay Shuffle").click()
        expect(page.locator("#groove-said")).to_have_text(
            re.compile(r"Before: [3-9]\d\.\d ms .* After: [01]\.\d\. Farthest move \d+ ms, at")
        )
        beat = 60.0 / BPM
        found = self.heard()
        off = [1000 * np.abs(found - (k + LATE) * beat).min() for k in range(7)]
        self.assertLess(np.median(off), 1.5)
        # Turned down by typing: one step of undo.
        field = page.get_by_label("Timing, typed")
        field.fill("50")
        field.press("Enter")
        self.wait(lambda: self.laid()["laid"]["timing"] == 0.5)
        self.assertEqual(self.state()["undo"], "timing 50 %")
        half = self.heard()
        middle = 0.5 + 0.5 * (LATE - 0.5)
        off = [1000 * np.abs(half - (k + middle) * beat).min() for k in range(7)]
        self.assertLess(np.median(off), 1.5)
        page.get_by_role("button", name="Undo").click()
        self.wait(lambda: self.laid()["laid"]["timing"] == 1.0)
        page.get_by_role("button", name="Take the groove off").click()
        self.wait(lambda: self.laid()["laid"] is None)

    def test_it_is_heard_with_and_without_at_the_same_place_and_while_it_is_dragged(self):
        page = self.page
        self.take()
        self.open_groove(self.strand)
        page.get_by_role("button", name="Lay Shuffle").click()
        bar = page.locator("drag-bar[label=Timing] .drag-bar")
        expect(bar).to_be_visible()  # once the page has it laid, too
        page.get_by_role("button", name="Hear it").click()
        self.wait(lambda: self.engine("e.hand.isPlaying && e.hand.second() !== null"))
        whole = self.engine("e.hand.sheet.digest")
        box = bar.bounding_box()
        page.mouse.move(box["x"] + box["width"] - 4, box["y"] + 12)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 12, steps=6)
        self.wait(lambda: self.engine("e.hand.sheet.digest") != whole)
        self.assertEqual(self.laid()["laid"]["timing"], 1.0)  # nothing is kept yet
        page.mouse.up()
        self.wait(lambda: self.laid()["laid"]["timing"] < 0.7)
        page.keyboard.press("m")
        self.wait(lambda: self.engine("e.hand.way") == "against")
        self.assertTrue(self.engine("e.hand.isPlaying"))
        page.keyboard.press("m")
        self.wait(lambda: self.engine("e.hand.way") == "fitted")
        # Its steps ticked beside what is heard.
        page.keyboard.press("b")
        self.wait(lambda: self.engine("!!e.hand.sheet.clicks"))

    def test_a_step_is_drawn_by_hand_and_by_keys(self):
        page = self.page
        self.take()
        self.open_groove(self.strand)
        page.get_by_role("button", name="Lay Shuffle").click()
        self.wait(lambda: self.laid()["laid"])
        page.wait_for_function("() => zeroKnot.app.groove.canDraw")
        groove = self.state()["grooves"][0]
        number, offset = 1, groove["steps"][1][0]
        beat = (number + offset) / groove["per_beat"]
        canvas = page.locator("#groove").bounding_box()
        x = canvas["x"] + page.evaluate("(b) => zeroKnot.app.groove.xOfBeat(b)", beat)
        y = canvas["y"] + 100
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x - 12, y, steps=4)
        page.mouse.up()
        self.wait(lambda: self.state()["grooves"][0]["steps"][1][0] < offset - 0.02)
        # It is laid, so it moves along; one step of undo.
        self.wait(lambda: self.laid()["laid"]["groove"]["steps"][1][0] < offset - 0.02)
        self.assertEqual(self.state()["undo"], "draw Shuffle")
        drawn = self.state()["grooves"][0]["steps"][1][0]
        page.keyboard.press("ArrowRight")
        self.wait(lambda: self.state()["grooves"][0]["steps"][1][0] > drawn)
        accent = self.state()["grooves"][0]["steps"][1][1]
        page.keyboard.press("ArrowUp")
        self.wait(lambda: self.state()["grooves"][0]["steps"][1][1] > accent)
        # Every press counts, however slow the answers are.
        louder = self.state()["grooves"][0]["steps"][1][1]
        self.slow_edits(400)
        for _ in range(4):
            page.keyboard.press("ArrowUp")
            page.wait_for_timeout(170)
        wanted = louder + 4 * (louder - accent)
        self.wait(lambda: abs(self.state()["grooves"][0]["steps"][1][1] - wanted) < 1e-6, 15)
        page.keyboard.press("]")
        expect(page.locator(".drag-text")).to_contain_text("1.1")

    def test_files_the_shelf_and_two_beside_each_other(self):
        page = self.page
        self.take()
        page.get_by_label("Swing, typed").fill("60")
        page.get_by_label("Swing, typed").press("Enter")
        page.get_by_role("button", name="Keep it").click()
        self.wait(lambda: len(self.state()["grooves"]) == 2)
        page.get_by_label("Grid of the groove shown").select_option(label="16ths")
        self.wait(lambda: self.engine("s.state.grooves[0].per_beat") == 4)
        page.get_by_label("Grid of the groove shown").select_option(label="8ths")
        self.wait(lambda: self.engine("s.state.grooves[0].per_beat") == 2)
        for name in ("Two beside each other", "Files and the shelf"):
            page.locator("summary", has_text=name).click()
        page.get_by_label("Groove to show beside").select_option(label="Swing 60 %")
        expect(page.locator("[data-section='two grooves'] .note")).to_contain_text("ms and")
        page.get_by_role("button", name="Keep what lies between").click()
        self.wait(lambda: len(self.state()["grooves"]) == 3)
        with page.expect_download() as download:
            page.get_by_role("button", name="Save as MIDI").click()
        data = download.value.path().read_bytes()
        notes = [m for m in mido.MidiFile(file=io.BytesIO(data)) if m.type == "note_on"]
        self.assertEqual({m.note for m in notes} - {36, 38, 42}, set())
        field = page.get_by_label("Groove from a MIDI file")
        field.set_input_files({"name": "Back again.mid", "mimeType": "audio/midi", "buffer": data})
        self.wait(lambda: len(self.state()["grooves"]) == 4)
        page.get_by_role("button", name="To the shelf").click()
        expect(page.locator(".notices")).to_contain_text("On the shelf")
        page.get_by_role("button", name="Look", exact=True).click()
        page.get_by_role("button", name="Bring Shuffle into the project").click()
        self.wait(lambda: len(self.state()["grooves"]) == 5)
        shelf = page.get_by_role("list", name="Grooves on the shelf").get_by_role("listitem")
        undo, redo = (page.get_by_role("button", name=name) for name in ("Undo", "Redo"))
        undo.click()  # the one that was brought, then keeping it
        self.wait(lambda: len(self.state()["grooves"]) == 4)
        undo.click()
        expect(shelf).to_have_count(0)
        redo.click()
        expect(shelf).to_have_count(1)
        redo.click()
        self.wait(lambda: len(self.state()["grooves"]) == 5)
        page.get_by_role("button", name="Take Shuffle off the shelf").click()
        expect(shelf).to_have_count(0)
        undo.click()
        expect(shelf).to_have_count(1)
        self.assertEqual(len(self.state()["grooves"]), 5)

    def test_what_makes_no_sense_is_said_and_loses_nothing(self):
        page = self.page
        self.open_groove(self.strand)
        for label, text in (("From bar", "x"), ("Bars", "0")):
            field = page.locator("[data-section='take groove']").get_by_label(label, exact=True)
            field.fill(text)
            field.press("Tab")
            page.get_by_role("button", name="Take it").click()
            expect(page.locator(".notices")).to_contain_text("is taken from a whole bar")
            field.fill("1")
            field.press("Tab")
        page.get_by_role("button", name="and all follow it").click()
        self.wait(lambda: self.state()["feel"])
        page.get_by_label("Bar the song's groove begins at").fill("soon")
        page.get_by_label("Bar the song's groove begins at").press("Tab")
        page.get_by_role("button", name="Give the song this groove").click()
        expect(page.locator(".notices")).to_contain_text("is not a bar")


if __name__ == "__main__":
    import unittest

    unittest.main()
