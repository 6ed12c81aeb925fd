"""A chord loop by bars, a voice by hand, deals that leave some tiles: walked in the page."""

import numpy as np
from playwright.sync_api import expect

from tests.browser.harness import BrowserTest
from tests.sounds import RATE, audio, sine
from zeroknot.core.formats.riff import wav_bytes

PADS = "zeroKnot.app.slices"


def hum():
    """Four bars at 100 of one voice: six notes that begin where they like."""
    out = np.zeros(round(9.6 * RATE))
    for at, hertz in ((0.0, 220), (1.37, 247), (2.9, 262), (4.31, 196), (6.05, 220), (8.0, 165)):
        note = sum(sine(hertz * k, 1.2, 0.3 / k) for k in range(1, 6))
        note *= np.minimum(1.0, np.linspace(0, 30, note.size)) * np.linspace(1, 0.2, note.size)
        first = round(at * RATE)
        out[first : first + note.size] += note[: out.size - first]
    return audio(out)


class WalksTest(BrowserTest):
    def slices(self):
        strands = self.state()["strands"]
        hand = strands[0]["id"] if strands else self.sha
        return self.server.get(f"/api/projects/{self.project}/hand/{hand}/slices")

    def pieces(self):
        return [t["piece"] for t in self.slices()["order"]["tiles"]]

    def at(self, what, value):
        box = self.page.locator("#slices").bounding_box()
        name = {"beat": "xOfBeat", "second": "xOfSecond"}[what]
        x = self.page.evaluate(f"(v) => {PADS}.{name}(v)", value)
        bands = self.page.evaluate(f"() => {PADS}.bands()")
        inside = {"beat": (bands["order"] + bands["end"]) / 2, "second": bands["top"] + 40}[what]
        return box["x"] + x, box["y"] + inside

    def opened(self, sha):
        self.sha = sha
        self.intent(kind="set_steady_tempo", bpm=96)
        self.open(f"slices/{sha}")

    def test_a_chord_loop_by_bars_and_one_cut_where_the_hand_was_late(self):
        page = self.page
        self.opened(self.shelved("keys_88"))
        page.get_by_role("button", name="note value").click()
        page.get_by_label("Note value of a slice").select_option("4")
        self.wait(lambda: len(self.slices()["edges"]) == 3)
        self.wait(lambda: "2 slices" in page.locator("#cut-said").inner_text())
        bar = self.slices()["edges"][1]
        # The second bar's chord came 40 ms late: its cut goes there, free of attacks.
        x, y = self.at("second", bar)
        to, _ = self.at("second", bar + 0.04)
        page.mouse.move(x, y)
        page.mouse.down()
        page.keyboard.down("Alt")
        page.mouse.move(to, y, steps=5)
        page.mouse.up()
        page.keyboard.up("Alt")
        self.wait(lambda: abs(self.slices()["edges"][1] - bar - 0.04) < 0.006)
        # Whatever the tempo becomes it stays at that moment of the recording.
        moved = self.slices()["edges"][1]
        page.locator("#slices").focus()
        page.keyboard.press("Control+z")
        self.wait(lambda: self.slices()["edges"][1] == bar)
        page.keyboard.press("Control+Shift+Z")
        self.wait(lambda: self.slices()["edges"][1] == moved)
        self.intent(kind="set_steady_tempo", bpm=80)
        self.assertEqual(self.slices()["edges"][1], moved)

    def test_a_voice_is_cut_by_hand_and_one_slice_is_treated(self):
        page = self.page
        self.send(wav_bytes(hum(), 16), "hum.wav")
        self.server.settle()
        self.opened(next(r["sha"] for r in self.server.rows() if r["name"] == "hum"))
        start = self.slices()["edges"][0]
        for number, second in enumerate((1.4, 2.9, 4.3)):
            page.mouse.dblclick(*self.at("second", start + second))
            self.wait(lambda n=number: len(self.slices()["edges"]) == n + 3)
            wanted = f"{number + 2} slices"
            expect(page.locator("#cut-said")).to_have_text(wanted)
        page.locator("#slices").focus()
        page.keyboard.press(".")
        page.keyboard.press(".")
        page.keyboard.press("b")
        self.wait(lambda: self.slices()["pieces"][1]["reverse"])
        name = page.get_by_label("Name of the slice")
        name.fill("ah, backwards")
        name.press("Enter")
        self.wait(lambda: self.slices()["pieces"][1]["name"] == "ah, backwards")
        for label, key, times, value in (
            ("Slice pitch", "ArrowDown", 3, ("semitones", -3)),
            ("Slice pan", "ArrowLeft", 2, ("pan", -0.02)),
        ):  # fmt: skip
            bar = page.get_by_role("slider", name=label)
            for _ in range(times):
                bar.press(key)
            self.wait(lambda v=value: self.slices()["pieces"][1][v[0]] == v[1])
        page.locator("[data-section='slice shape'] summary").click()
        page.get_by_label("Filter of the slice").select_option("low")
        page.get_by_label("Method of the slice").select_option("spool")
        piece = self.wait(
            lambda: p if (p := self.slices()["pieces"][1])["method"] == "spool" else None
        )
        self.assertEqual(piece["shape"]["filter"], "low")
        self.assertFalse(any(p["reverse"] or p["pan"] for p in self.slices()["pieces"][2:]))

    def test_deal_hold_deal_and_a_roll_that_rises(self):
        page = self.page
        self.opened(self.shelved("drums_103"))
        self.intent(kind="cut_up", hand=self.sha, by="equal", count=16)
        expect(page.locator("#cut-said")).to_have_text("16 slices")
        page.locator("#slices").focus()
        page.keyboard.press("d")
        self.wait(lambda: len(self.slices()["dealt"]) == 1)
        kept = self.pieces()[:2]
        self.page.evaluate(f"() => {PADS}.pickAll([0, 1])")
        page.keyboard.press("l")
        expect(page.locator(".side")).to_contain_text("2 tiles stay")
        dealt = []
        for number in range(2, 5):
            page.keyboard.press("d")
            self.wait(lambda n=number: len(self.slices()["dealt"]) == n)
            dealt.append(tuple(self.pieces()))
            self.assertEqual(self.pieces()[:2], kept)
        self.assertEqual(len(set(dealt)), 3)
        page.keyboard.press("Escape")
        self.page.evaluate(f"() => {PADS}.pickAll([15])")
        for _ in range(3):
            page.keyboard.press("e")
        page.keyboard.press("Shift+E")
        tile = self.wait(
            lambda: t if (t := self.slices()["order"]["tiles"][15])["rise_db"] else None
        )
        self.assertEqual((tile["hits"], tile["rise_db"]), (4, 9))
        climb = page.get_by_role("slider", name="Climb of the roll in semitones")
        climb.press("ArrowRight")
        self.wait(lambda: self.slices()["order"]["tiles"][15]["climb"] == 1)

    def test_a_deal_is_kept_to_some_bars_and_slices_and_the_end_is_filled(self):
        page = self.page
        self.opened(self.shelved("drums_103"))
        self.intent(kind="cut_up", hand=self.sha, by="equal", count=16)
        expect(page.locator("#cut-said")).to_have_text("16 slices")
        for label, value in (
            ("First bar that is dealt", "2"), ("First slice that may be dealt", "3"),
            ("Last slice that may be dealt", "6"),
        ):  # fmt: skip
            field = page.get_by_label(label)
            field.fill(value)
            field.press("Enter")
        page.locator("#slices").focus()
        page.keyboard.press("d")
        self.wait(lambda: len(self.slices()["dealt"]) == 1)
        pieces = self.pieces()
        self.assertEqual(pieces[:8], list(range(8)))
        self.assertLessEqual(set(pieces[8:]), {2, 3, 4, 5})
        page.get_by_label("Fill of the end").select_option("1 0.125")
        self.wait(lambda: len(self.pieces()) == 14 + 8)
        page.get_by_label("Even tiles of a note value").select_option("1")
        self.wait(lambda: len(self.pieces()) == 8)
        page.get_by_label("First bar that is dealt").fill("nonsense")
        page.get_by_label("First bar that is dealt").press("Enter")
        expect(page.get_by_role("status").filter(has_text="is not a number")).to_be_visible()
