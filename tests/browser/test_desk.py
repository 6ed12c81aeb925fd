"""The sound board in Arrange: what is dragged there is heard, kept and taken back."""

import numpy as np
from playwright.sync_api import expect

from tests.browser.harness import BrowserTest

MOST_LOOKS = 12
A_BAR = 20  # tenths of a second, at 120
SPECTRUM = """() => {
  const { looked, context } = zeroKnot.session.engine().mixer;
  const found = new Float32Array(looked.frequencyBinCount);
  looked.getFloatFrequencyData(found);
  const bin = (hertz) => Math.round(hertz / (context.sampleRate / 2) * found.length);
  const mean = (a, b) => {
    const part = found.slice(bin(a), bin(b)).filter(Number.isFinite);
    return part.reduce((sum, x) => sum + x, 0) / Math.max(1, part.length);
  };
  return [mean(40, 150), mean(1000, 4000)];
}"""


class SoundBoardTest(BrowserTest):
    may_run_scripts = True

    def setUp(self):
        super().setUp()
        self.sha = self.shelved("drums_103")
        self.intent(kind="place", hand=self.sha, beat=0, passes=32)
        self.track = self.state()["tracks"][0]["id"]
        self.open("arrange")
        self.page.locator("#strip").focus()
        self.page.keyboard.press("e")
        expect(self.page.locator("#eq")).to_be_visible()

    def sound(self):
        return self.state()["tracks"][0]["sound"]

    def play(self):
        self.page.locator("#strip").focus()
        self.page.keyboard.press("Space")
        self.wait(lambda: self.beat() > 1)

    def bands(self, looks=15):
        """dB of the low and the middle register, on the whole over so many tenths of a second."""
        self.page.evaluate("(t) => zeroKnot.session.engine().mixer.look(t)", self.track)
        found = []
        for _ in range(looks):
            self.page.wait_for_timeout(100)
            found.append(self.page.evaluate(SPECTRUM))
        return np.mean(found, axis=0)

    def steady_bands(self):
        """The same over a bar, once two in a row are alike: a busy machine may begin with gaps.

        Over less it matters how many of the kicks lie in it.
        """
        before = self.bands(A_BAR)
        for _ in range(MOST_LOOKS):
            now = self.bands(A_BAR)
            if np.abs(now - before).max() < 2:
                return now
            before = now
        self.fail(f"none of {MOST_LOOKS} looks is like the one before")

    def test_a_low_cut_dragged_on_the_picture_is_heard_kept_and_undone(self):
        page = self.page
        self.play()
        low, middle = self.steady_bands()
        box = page.locator("#eq").bounding_box()
        # Handle 1 stands at the left edge, where it is off.
        y = box["y"] + 6 + (24 + 3) / 48 * (box["height"] - 22)
        page.mouse.move(box["x"] + 26, y)
        page.mouse.down()
        page.mouse.move(box["x"] + 0.5 * box["width"], y, steps=6)
        self.assertEqual(self.sound()["low_cut_hz"], 10)
        cut_low, cut_middle = self.bands()
        self.assertLess(cut_low, low - 10)  # heard while it is held
        self.assertGreater(cut_middle, middle - 6)
        page.mouse.up()
        self.wait(lambda: 300 < self.sound()["low_cut_hz"] < 1200)
        self.assertLess(self.bands()[0], low - 10)
        page.keyboard.press("Control+z")
        self.wait(lambda: self.sound()["low_cut_hz"] == 10)
        self.wait(lambda: abs(self.bands()[0] - low) < 3)
        # Given up with Escape, nothing was.
        page.mouse.move(box["x"] + 26, y)
        page.mouse.down()
        page.mouse.move(box["x"] + 0.5 * box["width"], y, steps=4)
        page.keyboard.press("Escape")
        page.mouse.up()
        self.assertEqual(self.sound()["low_cut_hz"], 10)
        self.wait(lambda: abs(self.bands()[0] - low) < 3)

    def test_filters_by_keys_and_typed(self):
        page = self.page
        eq = page.locator("#eq")
        eq.focus()
        for key in ("4", "Shift+ArrowUp", "ArrowRight", "]"):
            page.keyboard.press(key)
        self.wait(lambda: self.sound()["bell2_db"] == 5 and self.sound()["bell2_q"] == 1.15)
        self.assertAlmostEqual(self.sound()["bell2_hz"], 2500 * 2 ** (1 / 12), delta=0.1)
        hertz = page.get_by_label("Frequency of the filter, typed")
        hertz.fill("1.2k")
        hertz.press("Enter")
        self.wait(lambda: self.sound()["bell2_hz"] == 1200)
        hertz.fill("99k")
        hertz.press("Enter")
        expect(page.locator(".notice")).to_contain_text("goes from 40 Hz to 16 kHz")
        self.assertEqual(self.sound()["bell2_hz"], 1200)
        eq.focus()
        page.keyboard.press("Delete")
        self.wait(lambda: self.sound()["bell2_db"] == 0)
        page.keyboard.press("6")
        page.keyboard.press("Shift+ArrowLeft")
        self.wait(lambda: self.sound()["high_cut_hz"] < 12_000)
        page.get_by_role("button", name="24 dB an octave").click()
        self.wait(lambda: self.sound()["high_cut_slope"] == 24)
        page.get_by_role("button", name="all off").click()
        self.wait(lambda: self.sound()["high_cut_hz"] == 20_000)
        self.assertEqual(self.sound()["high_cut_slope"], 12)

    def test_a_compressor_that_goes_by_another_track(self):
        page = self.page
        keys = self.shelved("keys_88")
        self.intent(kind="place", hand=keys, beat=0, passes=32)
        other = self.state()["tracks"][1]["id"]
        page.locator(f"[data-lane='{other}'] .track-name").click()
        page.get_by_label("What the compressor goes by").select_option(self.track)
        self.wait(lambda: self.state()["tracks"][1]["sound"]["listens_to"] == self.track)
        for name, value in (("Threshold", "-40"), ("Ratio", "8")):
            field = page.get_by_label(f"{name} of the track, typed")
            field.fill(value)
            field.press("Enter")
        self.wait(lambda: self.state()["tracks"][1]["sound"]["ratio"] == 8)
        self.play()
        expect(page.locator(".sound-part h3 .mono")).to_contain_text("dB")
        down = f"e.mixer.down.get('{other}') ?? 0"
        self.wait(lambda: self.engine(down) > 3)
        # Silent itself, it is still gone by.
        page.get_by_role("button", name="Mute drums_103").click()
        self.wait(lambda: self.state()["tracks"][0]["muted"])
        self.wait(lambda: self.engine(down) > 3)
        # Removed, the other goes by itself.
        page.locator(f"[data-lane='{self.track}'] .track-name").click()
        page.get_by_role("button", name="Remove track").click()
        self.wait(lambda: self.engine("s.state.tracks.length") == 1)
        self.assertIsNone(self.state()["tracks"][0]["sound"]["listens_to"])
        page.keyboard.press("Control+z")
        self.wait(lambda: len(self.state()["tracks"]) == 2)
        heirs = {t["id"]: t["sound"]["listens_to"] for t in self.state()["tracks"]}
        self.assertEqual(heirs, {self.track: None, other: self.track})

    def test_the_room_and_the_echo_ring_after_the_song(self):
        page = self.page
        page.get_by_role("button", name="room and echo").click()
        page.get_by_role("button", name="large").click()
        self.wait(lambda: self.state()["room"]["size"] == "large")
        page.get_by_label("Time of the echo").select_option(label="1/4")
        self.wait(lambda: self.state()["echo"]["beats"] == 1)
        page.locator("#sound").get_by_role("button", name="track", exact=True).click()
        field = page.get_by_label("To the room of the track, typed")
        field.fill("0")
        field.press("Enter")
        self.wait(lambda: self.sound()["room_db"] == 0)
        self.wait(lambda: self.engine("e && e.mixer.room !== null"))
        self.play()
        page.keyboard.press("Space")
        self.wait(lambda: not self.engine("e.song.isPlaying"))
        peak = "Math.max(...e.mixer.masterMeter.read().peaks)"
        page.wait_for_timeout(150)
        self.assertGreater(self.engine(peak), 0.001)
        self.wait(lambda: self.engine(peak) < 1e-4)

    def test_loudness_is_that_of_the_file_and_a_ceiling_holds(self):
        page = self.page
        page.locator("#sound").get_by_role("button", name="master", exact=True).click()
        page.get_by_label("held under a ceiling").check()
        self.wait(lambda: self.state()["ceiling_db"] == -1)
        field = page.get_by_label("Make-up of the track, typed")
        field.fill("18")
        field.press("Enter")
        self.wait(lambda: self.state()["master_sound"]["makeup_db"] == 18)
        self.play()
        self.wait(lambda: self.beat() > 12)
        # What sounds of the whole lies under its filters.
        drawn = """(() => { const f = new Float32Array(e.mixer.looked.frequencyBinCount);
          e.mixer.looked.getFloatFrequencyData(f); return Math.max(...f); })()"""
        self.assertGreater(self.engine(drawn), -60)
        read = page.locator(".readings dd").all_inner_texts()
        integrated, peak = (float(read[i].split()[0].replace("−", "-")) for i in (2, 4))
        self.assertLessEqual(peak, -1.0)
        self.assertGreater(peak, -2.5)
        job = self.server.post(
            f"/api/projects/{self.project}/mixes", start=0, end=16, format="wav24", stems="none"
        )["job"]
        told = self.wait(lambda: self.server.get(f"/api/jobs/{job['id']}")["result"])["said"]
        self.assertAlmostEqual(told["integrated"], integrated, delta=1.0)
        # Gone to another view and back, it is read on.
        self.walk_to("Shelf")
        self.walk_to("Arrange")
        page.locator("#sound").get_by_role("button", name="master", exact=True).click()
        expect(page.locator("#integrated")).to_contain_text("LUFS")

    def test_a_track_is_as_loud_as_the_master_where_it_sounds_alone(self):
        page = self.page
        self.play()
        self.wait(lambda: self.beat() > 10)

        def integrated():
            text = page.locator("#integrated").inner_text()
            return float(text.split()[0].replace("−", "-")) if "LUFS" in text else None

        track = self.wait(integrated)
        page.locator("#sound").get_by_role("button", name="master", exact=True).click()
        page.wait_for_timeout(400)
        self.assertAlmostEqual(self.wait(integrated), track, delta=0.7)
        # Another track begins anew: nothing has sounded there.
        self.intent(kind="new_track", name="Silent")
        page.get_by_role("button", name="Silent", exact=True).click()
        page.locator("#sound").get_by_role("button", name="track", exact=True).click()
        self.wait(lambda: integrated() is None)

    def test_room_is_made_for_the_low_end_and_heard_before_and_after(self):
        page = self.page
        bass = self.shelved("bass_97")
        self.intent(kind="place", hand=bass, beat=8, passes=4)
        page.get_by_role("button", name="low end").click()
        page.get_by_role("button", name="Listen below 150 Hz").click()
        said = page.locator("#low-said")
        expect(said).to_contain_text("1 pair fights below 150 Hz")
        expect(page.locator(".fights li").first).to_contain_text("fight below 150 Hz in bar")
        page.get_by_role("button", name="low cut on drums_103 there").or_(
            page.get_by_role("button", name="on drums_103", exact=True)
        ).first.click()
        self.wait(lambda: self.state()["tracks"][0]["lines"])
        expect(said).to_contain_text("No two tracks fight below 150 Hz.")
        expect(said).to_contain_text(", 0 now.")
        [line] = self.state()["tracks"][0]["lines"]
        start = next(p["beat"] for p in line["points"] if p["value"] == 150)
        page.evaluate(
            """(from) => {
              const { song } = zeroKnot.session.engine();
              song.setCycle({ from, to: from + 3.5 });
              song.go(from);
            }""",
            start,
        )
        self.intent(kind="change_track", track=self.state()["tracks"][1]["id"], muted=True)
        page.locator("#strip").focus()
        page.keyboard.press("Space")
        self.wait(lambda: self.beat() > start + 1)
        round_looks = 24  # a round of the cycle, whatever of it sounds first
        after = self.bands(round_looks)[0]
        held = page.get_by_role("button", name="hear it as before")
        held.click()
        before = self.bands(round_looks)[0]
        self.assertLess(after, before - 6)
        held.click()
        self.wait(lambda: self.bands(round_looks)[0] < before - 6)
