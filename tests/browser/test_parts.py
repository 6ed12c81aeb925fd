"""A mix is shifted without detuning its drums; its tones and hits are heard and placed apart."""

import numpy as np
from playwright.sync_api import expect

from tests.browser.harness import BrowserTest
from tests.sounds import RATE, audio, rendered
from zeroknot.core.formats.riff import wav_bytes

CHORD = (220.0, 277.2, 329.6)
UP = 5


def strength(sound, hertz):
    """How strongly a frequency sounds, in dB."""
    spectrum = np.abs(np.fft.rfft(sound * np.hanning(sound.size)))
    near = np.abs(np.fft.rfftfreq(sound.size, 1 / RATE) - hertz) < 3
    return 20 * np.log10(spectrum[near].max() + 1e-9)


class PartsTest(BrowserTest):
    def setUp(self):
        super().setUp()
        drums = rendered("drums_103").samples[0]
        t = np.arange(drums.size) / RATE
        # Beside the drums a held chord, and a drum of one pitch, by which it is told what moved.
        struck = np.sin(2 * np.pi * 700 * (t % 0.583)) * np.exp(-(t % 0.583) / 0.012)
        chord = sum(np.sin(2 * np.pi * f * t) for f in CHORD)
        self.sha = self.bring_mix(0.5 * drums + 0.25 * struck + 0.08 * chord)
        self.intent(kind="set_steady_tempo", bpm=103)
        self.intent(kind="place", hand=self.sha, beat=0)
        self.intent(kind="follow_tempo", hand=self.strand()["id"], follows=False)

    def bring_mix(self, samples):
        self.send(wav_bytes(audio(samples), 24), "yard.wav")
        self.server.settle()
        sha = next(r["sha"] for r in self.server.rows() if r["name"] == "yard")
        edit = {"kind": "state_sound", "sound": "mixed"}
        self.server.post("/api/shelf/changes", edit=edit, shas=[sha])
        return sha

    def strand(self, number=0):
        return self.state()["strands"][number]

    def played(self, strand):
        """What the page's sheet plays of a strand: three seconds."""
        sheet = self.server.get(f"/api/projects/{self.project}/sheet")
        event = next(e for e in sheet["events"] if e["strand"] == strand)
        shape = sheet["shapes"][event["digest"]]
        parts = [
            np.frombuffer(self.server.bytes(f"/api/renders/{event['digest']}/{i}"), np.float32)
            .reshape(shape["channels"], -1)
            for i in range(3 * RATE // 16_384)
        ]  # fmt: skip
        return np.concatenate(parts, axis=1).mean(axis=0)

    def test_tones_are_shifted_while_hits_stay_and_are_compared_and_taken_apart(self):
        page, strand = self.page, self.strand()["id"]
        self.open(f"key/{strand}")
        said = page.locator("#parts-said")
        expect(said).to_have_text("Now all of it sounds as one.")
        for _ in range(UP):
            page.keyboard.press("+")
        self.wait(lambda: self.strand()["shift"] == UP)
        page.get_by_label("Which parts sound").select_option("apart")
        expect(said).to_have_text("Now its tones are shifted and its hits stay.")
        higher = CHORD[0] * 2 ** (UP / 12)
        apart = self.played(strand)
        self.assertGreater(strength(apart, higher), strength(apart, CHORD[0]) + 20)
        self.assertGreater(strength(apart, 700), strength(apart, 700 * 2 ** (UP / 12)) + 3)
        # As one, the drum moves, too.
        expect(page.get_by_label("Compare with another method")).to_contain_text("laid as one")
        page.get_by_label("Compare with another method").select_option("whole")
        both = page.get_by_role("group", name="Which of the two is heard")
        expect(both).to_contain_text("tones and hits apart")
        expect(both).to_contain_text("laid as one")
        page.get_by_label("Which parts sound").select_option("whole")
        expect(both).to_be_hidden()  # what it was compared with is what it is now
        expect(said).to_have_text("Now all of it sounds as one.")
        whole = self.played(strand)
        self.assertGreater(strength(whole, 700 * 2 ** (UP / 12)), strength(whole, 700) + 3)
        # Two strands, one of each part, in one step.
        page.get_by_role("button", name="Take tones and hits apart").click()
        self.wait(lambda: len(self.state()["strands"]) == 2)
        expect(said).to_have_text("Now only what rings is heard.")
        hits = self.played(self.strand(1)["id"])
        self.assertGreater(strength(hits, 700), strength(self.played(strand), 700) + 6)
        self.assertEqual(len({c["track"] for c in self.state()["clips"]}), 2)
        page.get_by_role("button", name="Undo").click()
        self.wait(lambda: len(self.state()["strands"]) == 1)
        self.assertEqual(self.strand()["parts"], "whole")

    def test_fit_has_it_too_and_notes_say_why_not(self):
        page = self.page
        self.open(f"fit/{self.strand()['id']}")
        page.get_by_label("Which parts sound").select_option("apart")
        expect(page.locator("#parts-said")).to_have_text(
            "It is neither shifted nor stretched: nothing has to be told apart."
        )
        # At another tempo each is laid in its own way, which is heard beside the whole.
        self.intent(kind="follow_tempo", hand=self.strand()["id"], follows=True)
        self.intent(kind="set_steady_tempo", bpm=1.4 * self.state()["tempos"][0]["bpm"])
        expect(page.locator("#parts-said")).to_have_text(
            "Now tones and hits are stretched each in their own way."
        )
        expect(page.get_by_label("Compare with another method")).to_contain_text("laid as one")
        page.get_by_label("Which parts sound").select_option("hits")
        expect(page.locator("#parts-said")).to_have_text("Now only what is struck is heard.")
        expect(page.get_by_role("button", name="Take tones and hits apart")).to_be_hidden()


if __name__ == "__main__":
    import unittest

    unittest.main()
