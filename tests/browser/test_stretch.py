"""Methods and their settings in the Fit view, and two of them heard against each other."""

import base64
import re
import urllib.request

import numpy as np
from playwright.sync_api import expect

from tests.browser.harness import BrowserTest
from tests.sounds import audio
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.render.blocks import BLOCK_FRAMES

# The voice that plays what is in hand, on an offline context: 1 s by one method, then by the other.
SWITCHED = """async (sheet) => {
  const {HandVoice} = await import("/static/js/engine/hand.js");
  const {Blocks} = await import("/static/js/engine/blocks.js");
  const {BLOCK_FRAMES} = await import("/static/js/engine/schedule.js");
  const seconds = 2.4;
  const context = new OfflineAudioContext(2, seconds * sheet.rate, sheet.rate);
  const blocks = new Blocks(sheet.rate);
  // An offline clock waits for nobody: everything is there before it runs.
  const count = Math.ceil(sheet.frames / BLOCK_FRAMES);
  const wanted = [sheet.digest, sheet.against].flatMap((digest) =>
    Array.from({length: count}, (_, index) => ({digest, index, channels: sheet.channels, due: 0})));
  blocks.want("all", wanted, 0);
  while (blocks.questions.size) await new Promise((done) => setTimeout(done, 5));
  const voice = new HandVoice(context, blocks, context.destination, () => 0);
  for (let k = 1; k < 24; k += 1) {
    context.suspend(k / 10).then(() => {
      if (k === 10) voice.hear(sheet, "against");
      voice.player.wake();
      context.resume();
    });
  }
  voice.hear(sheet, "fitted");
  const made = await context.startRendering();
  const bytes = new Uint8Array(made.getChannelData(0).slice().buffer);
  let text = "";
  for (let i = 0; i < bytes.length; i += 32768) {
    text += String.fromCharCode(...bytes.subarray(i, i + 32768));
  }
  return btoa(text);
}"""


class StretchTest(BrowserTest):
    def setUp(self):
        super().setUp()
        self.loop = self.shelved("drums_103")
        self.intent(kind="place", hand=self.loop, beat=0)
        self.strand = self.state()["strands"][0]["id"]
        self.open(f"fit/{self.strand}")
        self.page.locator(".working").wait_for(state="hidden")

    def settings(self):
        return self.state()["strands"][0]["settings"]

    def method(self, name):
        self.page.locator(".methods label", has_text=name).click()
        self.wait(lambda: self.state()["strands"][0]["method"] == name.lower())

    def test_auto_says_what_it_chose_and_why(self):
        text = self.page.locator("#chosen").inner_text()
        self.assertRegex(text, r"Auto chose Strike: .*drums")
        self.method("Weave")
        self.page.locator("#chosen").wait_for(state="hidden")

    def test_a_method_shows_its_own_settings_and_each_change_is_one_step(self):
        page = self.page
        grain = page.get_by_label("Length of a grain, typed")
        expect(grain).to_be_hidden()
        self.method("Scatter")
        grain.fill("45 ms")
        grain.press("Enter")
        self.wait(lambda: self.settings()["grain_seconds"] == 0.045)
        self.assertEqual(self.state()["undo"], "grain 45 ms")
        page.get_by_role("button", name="back", exact=True).click()
        self.wait(lambda: self.settings()["direction"] == "backward")
        page.get_by_label("hold one moment").check()
        held = page.get_by_label("Moment that is held, typed")
        held.fill("25")
        held.press("Enter")
        self.wait(lambda: self.settings()["frozen_at"] == 0.25)
        page.get_by_role("button", name="Throw again").click()
        self.wait(lambda: self.settings()["seed"] == 2)
        page.keyboard.press("Escape")
        for _ in range(4):
            before = self.state()["revision"]
            page.keyboard.press("Control+z")
            self.wait(lambda before=before: self.state()["revision"] != before)
        self.assertEqual(self.settings()["grain_seconds"], 0.045)
        # Formants are asked for only where something is shifted.
        self.method("Voice")
        formants = page.get_by_label("Formants held, typed")
        expect(formants).to_be_hidden()
        shift = page.get_by_label("Shift, typed")
        shift.fill("3")
        shift.press("Enter")
        formants.wait_for(state="visible")
        formants.fill("80")
        formants.press("Enter")
        self.wait(lambda: self.settings()["formants"] == 0.8)

    def test_what_cannot_be_is_said_and_changes_nothing(self):
        answer = self.page.evaluate(
            """async () => {
              const {revision} = zeroKnot.session.state;
              const r = await fetch(`${zeroKnot.session.path}/intents`, {method: "POST",
                headers: {"content-type": "application/json"},
                body: JSON.stringify({revision, intent: {kind: "set_stretch",
                  hand: zeroKnot.session.hand, density: 99}})}).catch(() => null);
              return [r.status, await r.text()];
            }"""
        )
        self.troubles.clear()  # the browser itself reports the refused request
        self.assertGreaterEqual(answer[0], 400)
        self.assertIn("density of 99 is outside 1 to 16", answer[1])
        self.assertEqual(self.settings()["density"], 4)

    def test_two_methods_are_compared_at_the_same_place_without_a_gap(self):
        page = self.page
        page.get_by_label("Compare with another method").select_option("weave")
        shown = page.locator(".compared button")
        self.assertEqual(shown.all_inner_texts(), ["Strike", "Weave"])
        page.keyboard.press("Enter")
        self.wait(lambda: self.engine("e?.hand.way") == "against")
        page.keyboard.press("m")
        self.wait(lambda: self.engine("e.hand.way") == "fitted")
        page.keyboard.press("Enter")
        path = f"/api/projects/{self.project}/hand/{self.strand}/sheet?against=weave"
        sheet = self.server.get(path)
        self.assertNotEqual(sheet["digest"], sheet["against"])
        got = np.frombuffer(base64.b64decode(page.evaluate(SWITCHED, sheet)), "<f4")
        one, other = (self.rendered(sheet, sheet[k]) for k in ("digest", "against"))
        rate, late = sheet["rate"], int(np.ceil(0.03 * sheet["rate"]))
        for sound, start, stop in ((one, 0.1, 0.95), (other, 1.2, 2.3)):
            a, b = round(start * rate), round(stop * rate)
            place = (np.arange(a, b) - late) % sheet["body"] + sheet["lead"]
            np.testing.assert_allclose(got[a:b], sound[place], atol=2e-3)
        # Across the switch it never falls under both: 5 ms at a time.
        around = slice(round(0.9 * rate), round(1.25 * rate))
        place = (np.arange(around.start, around.stop) - late) % sheet["body"] + sheet["lead"]

        def levels(samples):
            return np.sqrt(
                np.mean(np.square(samples[: samples.size // 220 * 220].reshape(-1, 220)), 1)
            )

        least = np.minimum(levels(one[place]), levels(other[place]))
        self.assertTrue((levels(got[around]) > 0.5 * least - 1e-3).all())

    def rendered(self, sheet, digest):
        """The first channel of a whole render, as the browser gets it."""
        parts = []
        for index in range(-(-sheet["frames"] // BLOCK_FRAMES)):
            with urllib.request.urlopen(
                f"{self.server.base}/api/renders/{digest}/{index}"
            ) as answer:
                parts.append(np.frombuffer(answer.read(), "<f4").reshape(sheet["channels"], -1))
        return np.concatenate(parts, axis=1)[0]


class SeamTest(BrowserTest):
    def test_a_print_whose_view_is_left_is_made_and_can_be_taken_back(self):
        page, held = self.page, []
        self.open(f"fit/{self.shelved('drums_103')}")
        page.route("**/prints", lambda route: held.append(route))
        page.get_by_role("button", name="Print a loop").click()
        self.wait(lambda: held)
        self.walk_to("Shelf")
        held.pop().continue_()
        undo = page.get_by_role("button", name="Undo")
        expect(undo).to_have_attribute("title", re.compile("^“.+” printed$"))
        self.assertTrue(any(r["is_print"] for r in self.server.rows()))
        undo.click()
        self.wait(lambda: not any(r["is_print"] for r in self.server.rows()))

    def test_a_seam_that_clicks_says_so_and_is_mended(self):
        time = np.arange(round(2 * 60 / 97 * 48_000)) / 48_000
        sung = sum(np.cos(2 * np.pi * 196.3 * k * time) / k for k in range(1, 12))
        self.send(wav_bytes(audio(0.2 * sung, 48_000), 16), "aah.wav")
        self.server.settle()
        self.open(f"fit/{self.server.rows()[0]['sha']}")
        seam = self.page.locator("#seam")
        expect(seam).to_contain_text("a click at every pass")
        self.page.get_by_role("button", name="Mend it").click()
        expect(seam).to_contain_text("Crossfaded over 20 ms its seam joins")
        self.page.get_by_role("button", name="Print a loop").click()
        expect(self.page.locator("#printed")).to_contain_text("on the shelf")
        printed = next(r["sha"] for r in self.server.rows() if r["is_print"])
        self.page.get_by_role("button", name="Undo").click()
        self.wait(lambda: printed not in {r["sha"] for r in self.server.rows()})
        expect(self.page.locator("#printed")).to_be_hidden()
        self.page.get_by_role("button", name="Redo").click()
        self.wait(lambda: printed in {r["sha"] for r in self.server.rows()})
        expect(self.page.locator("#printed")).to_contain_text("on the shelf")
        # In hand it is made again from its recording; as it was printed it joins by itself.
        self.open(f"fit/{printed}")
        expect(seam).to_contain_text("Crossfaded over 20 ms its seam joins")
        self.page.get_by_label("laid as it was printed").check()
        expect(seam).to_contain_text("joins without a click")
        self.page.get_by_label("laid as it was printed").uncheck()
        expect(seam).to_contain_text("Crossfaded over 20 ms its seam joins")
