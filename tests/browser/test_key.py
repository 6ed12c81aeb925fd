"""A chord loop in another key is heard right in two clicks; the song changes key and comes back."""

import numpy as np
from playwright.sync_api import expect

from tests.browser.harness import BrowserTest
from tests.sounds import RATE, audio
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.harmony.fit import shares_inside
from zeroknot.core.harmony.key import Key
from zeroknot.core.harmony.tones import profile_of

BPM = 100.0
BAR = 4 * 60.0 / BPM


def chords(roots, thirds, cents=0.0):
    """A held triad a bar: float64 [frames]"""
    t = np.arange(round(BAR * RATE)) / RATE
    edge = np.minimum(1.0, np.minimum(t, BAR - t) / 0.02)
    bars = []
    for root, third in zip(roots, thirds, strict=True):
        hertz = [440 * 2 ** ((root + n - 69 + cents / 100) / 12) for n in (0, third, 7)]
        sound = sum(np.sin(2 * np.pi * f * h * t) / h**2 for f in hertz for h in (1, 2, 3))
        bars.append(0.1 * sound * edge)
    return np.concatenate(bars)


class KeyTest(BrowserTest):
    def setUp(self):
        super().setUp()
        # F♯ minor: i, iv, v, i; and the same in D minor, 18 cents sharp.
        self.far = self.loop("far chords", chords((54, 59, 61, 54), (3, 3, 3, 3)), "F♯ minor")
        self.near = self.loop("near pad", chords((50, 55, 57, 50), (3, 3, 3, 3), 18.0), "D minor")
        self.intent(kind="set_steady_tempo", bpm=BPM)
        for sha in (self.far, self.near):
            self.intent(kind="place", hand=sha, beat=0, passes=2)
        self.intent(kind="set_keys", changes=[{"bar": 1, "key": "D minor"}])
        self.strand = next(s["id"] for s in self.state()["strands"] if s["loop"] == self.far)
        self.open(f"key/{self.strand}")

    def key_of(self, strand):
        return self.server.get(f"/api/projects/{self.project}/hand/{strand}/key")

    def loop(self, name, samples, key):
        self.send(wav_bytes(audio(samples), 24), f"{name}.wav")
        self.server.settle()
        sha = next(r["sha"] for r in self.server.rows() if r["name"] == name)
        edit = {"kind": "state_key", "key": key}
        self.server.post("/api/shelf/changes", edit=edit, shas=[sha])
        return sha

    def test_every_press_counts_however_slow_the_answers_are(self):
        """What answered an earlier press set the count back between two later ones."""
        self.slow_edits(400)
        for key, presses, shift in (("+", 5, 5), ("-", 6, -1)):
            for _ in range(presses):
                self.page.keyboard.press(key)
                self.page.wait_for_timeout(170)
            self.wait(lambda shift=shift: self.shift() == shift, 15)

    def shift(self):
        return next(s for s in self.state()["strands"] if s["id"] == self.strand)["shift"]

    def played(self, beat):
        """What the page's sheet plays of the strand from a beat on, a bar of it."""
        sheet = self.server.get(f"/api/projects/{self.project}/sheet")
        at = round(beat * 60 / BPM * RATE)
        event = next(
            e for e in sheet["events"]
            if e["strand"] == self.strand and e["at"] <= at < e["at"] + e["frames"] - RATE
        )  # fmt: skip
        shape = sheet["shapes"][event["digest"]]
        first = event["start"] + at - event["at"]
        blocks = range(first // 16_384, (first + RATE) // 16_384 + 1)
        parts = [
            np.frombuffer(self.server.bytes(f"/api/renders/{event['digest']}/{i}"), np.float32)
            .reshape(shape["channels"], -1)
            for i in blocks
        ]  # fmt: skip
        sound = np.concatenate(parts, axis=1)
        return sound[:, first - blocks[0] * 16_384 :][:, :RATE].mean(axis=0)

    def inside(self, beat, key):
        return shares_inside(profile_of(audio(self.played(beat))), Key.parse(key))[0]

    def test_a_chord_loop_is_heard_right_in_two_clicks_and_through_a_change(self):
        page = self.page
        expect(page.locator("#key-said")).to_contain_text("is inside D minor")
        self.assertLess(self.inside(0.5, "D minor"), 0.8)
        page.get_by_label("follow the song's key and its changes").check()
        self.wait(lambda: self.state()["strands"][0]["key_shift"] == -4)
        for beat in (0.5, 4.5, 8.5):
            self.assertGreater(self.inside(beat, "D minor"), 0.97)
        expect(page.locator("#key-said")).to_contain_text("−4 st: ")
        # The song changes key in the middle, and comes back.
        for bar, key in (("3", "E minor"), ("5", "D minor")):
            page.get_by_label("Bar the key begins at").fill(bar)
            page.get_by_label("Key from there on").fill(key)
            page.get_by_label("Key from there on").press("Tab")
            page.get_by_role("button", name="Add", exact=True).click()
            self.wait(lambda bar=bar: any(str(k["bar"]) == bar for k in self.state()["keys"]))
        self.assertGreater(self.inside(4.5, "D minor"), 0.97)
        self.assertGreater(self.inside(8.5, "E minor"), 0.97)
        self.assertGreater(self.inside(16.5, "D minor"), 0.97)
        page.get_by_role("button", name="Undo").click()
        self.wait(lambda: len(self.state()["keys"]) == 2)

    def test_a_shift_is_chosen_by_its_share_and_by_keys(self):
        page = self.page
        page.get_by_role("button", name="−4 st:").click()
        self.wait(lambda: self.state()["strands"][0]["shift"] == -4)
        expect(page.get_by_role("button", name="−4 st:")).to_have_attribute("aria-pressed", "true")
        self.assertGreater(self.inside(0.5, "D minor"), 0.97)
        for key in "++++--+":  # each press counts, however soon after the one before
            page.keyboard.press(key)
        self.wait(lambda: self.state()["strands"][0]["shift"] == -1)
        page.get_by_role("button", name="Undo").click()
        self.wait(lambda: self.state()["strands"][0]["shift"] == -2)

    def test_clashes_are_said_and_mended(self):
        page = self.page
        expect(page.locator("#clash-said")).to_contain_text("clashes with near pad in bars 1–8")
        page.get_by_role("button", name="Which shift clashes least?").click()
        expect(page.locator(".key-acts .note")).to_contain_text("Least at")
        canvas = page.locator("#clash")
        canvas.click(position={"x": 200, "y": 40})
        expect(page.locator(".key-acts")).to_contain_text("Bars 1–8")
        page.get_by_role("button", name="Shift it so").click()
        expect(page.locator("#clash-said")).not_to_contain_text("bars 1–8")
        page.get_by_role("button", name="rest there").click()
        self.wait(lambda: any(c["muted"] for c in self.state()["clips"]))
        canvas.focus()
        page.keyboard.press("ArrowRight")
        expect(page.locator(".drag-text")).to_contain_text("near pad, bar")

    def test_tuning_is_corrected_and_the_loops_key_stated(self):
        page = self.page
        near = next(s["id"] for s in self.state()["strands"] if s["loop"] == self.near)
        self.open(f"key/{near}")
        expect(page.locator("[data-section=tuning]")).to_contain_text("heard +18 cents")
        page.get_by_role("button", name="Correct it").click()
        self.wait(lambda: abs(self.state()["strands"][1]["cents"] + 18) < 2)
        field = page.get_by_label("Concert pitch in Hz")
        field.fill("nonsense")
        field.press("Tab")
        expect(page.locator(".notices")).to_contain_text("is not a frequency")
        expect(field).to_have_value("440")
        page.get_by_label("follow the song's key").check()
        field = page.get_by_label("Key of the loop", exact=True)
        field.fill("F lydian")
        field.press("Tab")
        said = page.locator("[data-section='loop key'] p")
        expect(said).to_have_text("F lydian\u00a0· stated by hand")
        # In the line over every view, too, and not what was heard.
        chip = page.locator("label.chip", has_text="F lydian, +18 ct")
        expect(chip).to_have_attribute("title", "stated by hand")
        chip.click()
        expect(field).to_be_focused()
        undo = page.get_by_role("button", name="Undo")
        # What follows the song's key goes by it; one undo takes back both.
        rule = page.locator("[data-section='key shift'] .note").first
        expect(rule).to_contain_text("(F lydian into D minor)")
        expect(undo).to_have_attribute("title", "follow the key as F lydian")
        undo.click()
        expect(page.locator("label.chip", has_text="D minor, +18 ct")).to_be_visible()
        expect(field).to_have_value("D minor")
        expect(rule).to_contain_text("(D minor into D minor)")
        page.get_by_role("button", name="Redo").click()
        expect(chip).to_be_visible()
        expect(rule).to_contain_text("(F lydian into D minor)")
        self.walk_to("Fit")
        page.locator("a.chip", has_text="F lydian, +18 ct").click()
        expect(page.locator("nav.rail a[aria-current=page]")).to_have_text("Key")
        field.fill("X")
        field.press("Tab")
        expect(page.locator(".notices")).to_contain_text("is not a key")
        # The browser's own line about an answer that refuses.
        self.troubles = [t for t in self.troubles if "422" not in t]

    def test_what_is_said_elsewhere_of_its_loop_is_shown_and_of_another_nothing_is_asked(self):
        page, asked = self.page, []
        self.intent(kind="follow_key", hand=self.strand)
        self.open(f"key/{self.strand}")
        expect(page.locator("#key-said")).to_contain_text("% of its sound is inside D minor.")
        expect(page.locator("[data-section='key shift']")).to_contain_text(
            "(F♯ minor into D minor)"
        )
        page.on("request", lambda r: asked.append(r.url.split("?")[0].rsplit("/", 1)[-1]))
        change = {"edit": {"kind": "favour", "favourite": True}, "shas": [self.near]}
        with page.expect_response("**/hand/*?beat=*"):
            self.server.post("/api/shelf/changes", **change)
        change = {"edit": {"kind": "state_key", "key": "C♯ minor"}, "shas": [self.far]}
        self.server.post("/api/shelf/changes", **change)
        expect(page.locator("label.chip", has_text="C♯ minor")).to_be_visible()
        expect(page.get_by_label("Key of the loop", exact=True)).to_have_value("C♯ minor")
        self.assertEqual(asked.count("key"), 1)
        # It still follows as what it came with, says so, and goes by the other one if asked to.
        expect(page.locator("#anew-text")).to_have_text(
            "It is in C♯ minor as it is known now, which asks +1 st."
        )
        page.get_by_role("button", name="Go by that").click()
        expect(page.locator("[data-section='key shift']")).to_contain_text(
            "(C♯ minor into D minor)"
        )
        expect(page.locator("#anew-text")).to_be_hidden()
        # What is said of it on the shelf is offered there.
        self.walk_to("Shelf")
        page.locator(".rows li", has_text="far chords").get_by_role("button", name="BPM").click()
        about = page.locator(".about")
        about.get_by_label("Key of the loop").select_option("F♯ minor")
        page.get_by_text(
            "far chords follows the song's key by the key that it came with"
        ).wait_for()
        page.get_by_role("button", name="By the new one, too").click()
        self.wait(lambda: self.key_of(self.strand)["asked"] == -4)

    def test_a_clip_is_shifted_alone_cents_and_all(self):
        page = self.page
        self.open("arrange")
        page.locator(".clip").first.focus()
        field = page.get_by_label("Clip shift, typed")
        field.fill("-2.25")
        field.press("Enter")
        self.wait(lambda: any(c["shift"] == -2.25 for c in self.state()["clips"]))
        self.assertEqual(self.state()["undo"], "shift clip -2.25 st")
        page.get_by_role("button", name="Undo").click()
        self.wait(lambda: not any(c["shift"] for c in self.state()["clips"]))


if __name__ == "__main__":
    import unittest

    unittest.main()
