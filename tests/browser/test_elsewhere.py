"""The page on another machine: over https it plays; otherwise it says why it does not."""

from typing import ClassVar

from playwright.sync_api import expect

from tests.browser.harness import BrowserTest

# What browsers withhold from pages that are not safe (W3C Secure Contexts).
WITHHELD = """
Object.defineProperty(window, "isSecureContext", { value: false });
delete BaseAudioContext.prototype.audioWorklet;
delete Crypto.prototype.randomUUID;
"""


class ElsewhereTest(BrowserTest):
    server_settings: ClassVar = {"ZEROKNOT_HOST": "0.0.0.0"}

    @classmethod
    def kept_context(cls):
        context = cls.browser.new_context(
            viewport={"width": 1280, "height": 800}, ignore_https_errors=True
        )
        cls.addClassCleanup(context.close)
        return context

    def _kept_page(self):
        page = self.context.new_page()
        page.on("pageerror", lambda error: self.troubles.append(f"page error: {error}"))
        page.on("console", self._console)
        return page

    def _leave(self):
        self.page.close()

    def place(self):
        sha = self.shelved("drums_103")
        self.intent(kind="place", hand=sha, beat=0.0)
        self.wait(lambda: self.state()["clips"])

    def test_over_https_it_plays_and_is_edited(self):
        self.place()
        address = (self.server.from_elsewhere or [self.server.base])[0]
        self.page.goto(f"{address}/p/{self.project}/arrange")
        self.page.wait_for_function("() => window.zeroKnot?.session.sheet")
        self.assertTrue(self.page.evaluate("isSecureContext"))
        self.page.keyboard.press("Space")
        self.wait(lambda: self.engine("e && e.song.isPlaying && s.beat() > 0.5"))
        self.page.locator("#tempo-field").fill("111")
        self.page.locator("#tempo-field").press("Enter")
        self.wait(lambda: self.state()["tempos"][0]["bpm"] == 111)

    def test_where_it_may_not_play_it_says_why_and_all_else_goes_on(self):
        self.place()
        self.page.add_init_script(WITHHELD)
        self.open("arrange")
        self.page.keyboard.press("Space")
        said = self.page.locator(".notices")
        expect(said).to_contain_text("begins with https")
        # Gone after a while, it comes again where something is to be heard again.
        expect(said).not_to_contain_text("begins with https")
        self.page.keyboard.press("Space")
        self.page.keyboard.press("Space")
        expect(said).to_contain_text("begins with https")
        self.page.locator("#tempo-field").fill("111")
        self.page.locator("#tempo-field").press("Enter")
        self.wait(lambda: self.state()["tempos"][0]["bpm"] == 111)
