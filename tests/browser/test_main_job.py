"""What a user gets, from the dropped file to the printed WAV, on audio that is not the demo's."""

import base64
import io

import numpy as np
import soundfile
from playwright.sync_api import expect
from scipy.signal import stft
from tinytag import TinyTag

from tests.browser.harness import BrowserTest
from tests.sounds import rendered
from zeroknot.core.formats.riff import wav_bytes

DROP = """([data, name]) => {
  const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
  const transfer = new DataTransfer();
  transfer.items.add(new File([bytes], name, {type: "audio/wav"}));
  for (const type of ["dragover", "drop"]) {
    const event = new DragEvent(type, {dataTransfer: transfer, bubbles: true, cancelable: true});
    document.body.dispatchEvent(event);
  }
}"""


HOP = 256


def attacks(sound):
    """How much louder each hop is than the one before, over all bins (spectral flux: Bello et al.,
    A Tutorial on Onset Detection in Music Signals, 2005)."""
    _, _, spectrum = stft(sound, nperseg=4 * HOP, noverlap=3 * HOP)
    return np.maximum(0.0, np.diff(np.log10(1e-5 + np.abs(spectrum)), axis=1)).sum(axis=0)


def likeness(recorded, played, frames):
    """Correlation of what is played with what was recorded, brought to this many frames."""
    there = np.linspace(0.0, recorded.size - 1, round(frames / HOP))
    laid = np.interp(there, np.arange(recorded.size), recorded)
    hops = min(laid.size, played.size)
    return np.corrcoef(laid[:hops], played[:hops])[0, 1]


class MainJobTest(BrowserTest):
    def drop(self, name):
        data = base64.b64encode(self.own(wav_bytes(rendered(name), 24))).decode()
        self.page.evaluate(DROP, [data, f"{name}.wav"])
        self.page.locator(".rows li").filter(has_text=name).wait_for()

    def test_the_whole_way(self):
        page = self.page
        self.open()
        # Drop a file: it is on the shelf with its readings.
        self.drop("drums_103")
        row = page.locator(".rows li").filter(has_text="drums_103")
        expect(row).to_contain_text("2 bars")
        expect(row).to_contain_text("103")
        # Take it in hand: the Fit view shows rails and knots.
        row.dblclick()
        page.locator("#loom").wait_for()
        expect(page.get_by_label("Bars", exact=True)).to_have_value("2")
        expect(page.get_by_label("Downbeat, s")).to_have_value("0.000")
        # Correct bars, tempo and downbeat in one step each, and take each back.
        for label, text, what in (
            ("Bars", "4", "correct bars"), ("Tempo", "101", "correct loop tempo"),
            ("Downbeat, s", "0.1", "correct downbeat"),
        ):  # fmt: skip
            field = page.locator(".side").get_by_label(label, exact=True)
            field.fill(text)
            field.press("Enter")
            self.wait(lambda what=what: self.state()["undo"] == what)
            page.wait_for_timeout(150)
            page.locator(".working").wait_for(state="hidden")
            page.get_by_role("button", name="Undo").click()
            self.wait(lambda what=what: self.state()["redo"] == what)
            page.wait_for_timeout(400)
            page.locator(".working").wait_for(state="hidden")
        # What was stated of the loop stays with the loop: the tempo made it two bars again.
        self.wait(lambda: page.locator("#bars").input_value() == "2")
        # Hear it as fitted, switch to as recorded without a gap, hear the seam.
        self.hear_in_hand()
        # Place it at a bar, copies end to end.
        page.get_by_role("button", name="Place at bar 1").click()
        self.wait(lambda: self.state()["clips"])
        self.walk_to("Arrange")
        clip = page.locator(".clip").first
        clip.focus()
        page.keyboard.press("d")
        self.wait(lambda: [c["beat"] for c in self.state()["clips"]] == [0, 8])
        page.keyboard.press("r")
        self.wait(lambda: self.state()["last_bar"] == 6)
        # Change the project's tempo while it plays: everything follows, play goes on.
        page.keyboard.press("Space")
        self.wait(lambda: self.beat() > 0.5)
        tempo = page.get_by_label("Tempo in BPM")
        tempo.fill("97")
        tempo.press("Enter")
        # At 120 a bar lasts 2 s; test_time.py holds the very line.
        self.wait(lambda: self.engine("e.song.sheet.time_key").startswith("0.0 97.0"), 5)
        before = self.beat()
        self.wait(lambda: self.beat() > before + 0.5)
        self.assertTrue(self.engine("e.song.isPlaying"))
        page.keyboard.press("Escape")
        self.page.locator(".field").click(position={"x": 500, "y": 400})
        page.keyboard.press("Space")
        self.wait(lambda: not self.engine("e.song.isPlaying"))
        self.print_and_read_back()

    def hear_in_hand(self):
        page = self.page
        page.locator("#loom").focus()
        page.keyboard.press("Enter")
        self.wait(lambda: self.engine("e.hand.way") == "fitted")
        self.wait(lambda: self.engine("e.hand.second()") > 0.3)
        second, fitted_at = self.engine("[e.hand.second(), e.context.currentTime]")
        page.keyboard.press("r")
        self.wait(lambda: self.engine("e.hand.way") == "recorded")
        # The same musical place: where the fitted sound would be by now, at the recorded speed
        # since the switch; the two differ by at most what the tempo change adds meanwhile.
        now, recorded_at = self.engine("[e.hand.second(), e.context.currentTime]")
        elapsed = recorded_at - fitted_at
        length = 8 * 60 / 103
        expected = (second + elapsed) % length
        self.assertLess(
            min(abs(now - expected), length - abs(now - expected)), 0.2 * elapsed + 0.05
        )
        self.wait(lambda: self.engine("Math.max(...e.mixer.masterMeter.read(0).peaks)") > 0.01)
        page.keyboard.press("s")
        self.wait(lambda: self.engine("e.hand.way") == "seam")
        page.keyboard.press("Escape")
        self.wait(lambda: not self.engine("e.hand.isPlaying"))
        # With the rest: it runs on the song's clock.
        page.keyboard.press("r")
        page.keyboard.press("a")
        page.keyboard.press("Enter")
        self.wait(lambda: self.engine("e.song.isPlaying && e.song.withHand !== null"))
        self.wait(lambda: self.beat() > 0.5)
        page.keyboard.press("Escape")
        page.keyboard.press("Space")
        page.keyboard.press("Home")
        self.wait(lambda: not self.engine("e.song.isPlaying") and self.beat() == 0)
        page.keyboard.press("a")

    def print_and_read_back(self):
        page = self.page
        self.walk_to("Fit")
        page.get_by_role("button", name="Print a loop").click()
        page.locator("#printed").filter(has_text="on the shelf").wait_for(timeout=60_000)
        expect(page.locator("#printed")).to_contain_text("218227 samples")
        with page.expect_download() as download:
            page.locator(".side").get_by_role("button", name="Download WAV").click()
        file = download.value
        self.assertEqual(file.suggested_filename, "drums_103_97bpm.wav")
        data = file.path().read_bytes()
        sound, rate = soundfile.read(io.BytesIO(data), always_2d=True)
        # Two bars at 97 BPM: 8 · 60 / 97 · 44 100 = 218 226.8 samples.
        self.assertEqual((sound.shape[0], rate), (218_227, 44_100))
        tag = TinyTag.get(filename="a.wav", file_obj=io.BytesIO(data))
        self.assertEqual(tag.other["bpm"], ["97"])
        # Every attack lies where 97 BPM puts it; a tempo one per cent off would be told.
        loop = rendered("drums_103").samples.mean(axis=0)
        played = attacks(sound.mean(axis=1))
        self.assertGreater(likeness(attacks(loop), played, sound.shape[0]), 0.7)
        self.assertLess(likeness(attacks(loop), played, 1.01 * sound.shape[0]), 0.3)
