"""Whatever is pressed, typed and dragged in whatever order, no page breaks and no answer is 500.

Drawn at random, from a seed: `PRESSES=4000 SEED=7 python -m tests tests.browser.test_any_press`
(`make fuzz` does many). What was done last is told where something broke.
"""

import os
import random
from collections import deque
from contextlib import suppress

from playwright.sync_api import Error, Locator, Page

from tests.browser.harness import BrowserTest

PRESSES = int(os.environ.get("PRESSES", "30"))
SEED = int(os.environ.get("SEED", "1"))
TOLD = 8  # of what was done last
SOON_MS = 1000  # what cannot be reached by then is covered or gone: something else is tried
VIEWS = ("shelf", "fit", "groove", "key", "slices", "offshoots", "arrange")
STAYS = 40  # presses in a view, on average
TYPED = (
    "", "  ", "abc", "-1", "-0.5", "0", "1.5", "5.3", "2.2.2", "120", "999999", "1e9", "NaN", "1/0",
    "½", "3/4", "7/8", "100%", "C minor", "<b>x</b>", "\u00e9\u266b",
)  # fmt: skip
KEYS = (
    *"abcdefghijklmnopqrstuvwxyz0123456789.,/?[]-+", "Space", "Escape", "Enter", "Delete", "Tab",
    "Shift+Tab", "ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "Shift+ArrowLeft",
    "Alt+ArrowRight", "Home", "End", "PageDown", "F2", "Shift+R", "Shift+O", "Control+a",
    "Control+c", "Control+d", "Control+v", "Control+x", "Control+z", "Control+Shift+z",
)  # fmt: skip
PRESSED = "button:visible:not([disabled]), summary:visible, input[type=checkbox]:visible"
WRITTEN = "input:visible:not([type=file], [type=checkbox], [type=radio], [type=range])"
# Of these a person is told in words: they are answers, no failures.
WORDS = (409, 422)


class Hands:
    """Somebody who does anything at all on a page; everything is drawn from one seed."""

    def __init__(self, page: Page, seed: int):
        self.page, self.random = page, random.Random(seed)
        self.did: deque[str] = deque(maxlen=TOLD)
        self.ways = {
            self.click: 38, self.key: 22, self.drag: 14, self.write: 12, self.choose: 6,
            self.turn: 4, self.reload: 1,
        }  # fmt: skip

    def do(self) -> None:
        """One thing; where what was drawn cannot be reached, nothing."""
        [way] = self.random.choices(list(self.ways), list(self.ways.values()))
        with suppress(Error):
            way()
        self.page.wait_for_timeout(self.random.choice((10, 50, 100, 300)))

    def _one_of(self, selector: str) -> Locator | None:
        found = self.page.locator(selector)
        count = found.count()
        return found.nth(self.random.randrange(count)) if count else None

    def _point(self) -> tuple[float, float]:
        return self.random.uniform(80, 970), self.random.uniform(110, 750)

    def click(self) -> None:
        if one := self._one_of(PRESSED):
            called = one.get_attribute("aria-label", timeout=SOON_MS)
            called = called or one.inner_text(timeout=SOON_MS)
            self.did.append(f"press {called.strip()!r}")
            one.click(timeout=SOON_MS)

    def key(self) -> None:
        key = self.random.choice(KEYS)
        self.did.append(f"key {key}")
        self.page.keyboard.press(key)

    def write(self) -> None:
        if one := self._one_of(WRITTEN):
            text = self.random.choice(TYPED)
            self.did.append(f"type {text!r} as {one.get_attribute('aria-label', timeout=SOON_MS)}")
            one.fill(text, timeout=SOON_MS)
            self.page.keyboard.press(self.random.choice(("Enter", "Enter", "Tab", "Escape")))

    def choose(self) -> None:
        if one := self._one_of("select:visible"):
            at = self.random.randrange(max(1, one.locator("option").count()))
            self.did.append(f"choose {at} as {one.get_attribute('aria-label', timeout=SOON_MS)}")
            one.select_option(index=at, timeout=SOON_MS)

    def drag(self) -> None:
        mouse, keyboard = self.page.mouse, self.page.keyboard
        x, y = self._point()
        to = x + self.random.gauss(0, 150), y + self.random.gauss(0, 60)
        held = self.random.choice((None, None, None, "Alt", "Shift", "Control"))
        self.did.append(f"drag {x:.0f},{y:.0f} to {to[0]:.0f},{to[1]:.0f} with {held}")
        if held:
            keyboard.down(held)
        mouse.move(x, y)
        mouse.down()
        mouse.move((x + to[0]) / 2, (y + to[1]) / 2)
        mouse.move(*to)
        if self.random.random() < 0.15:
            keyboard.press(self.random.choice(("Escape", "Control+z")))
        mouse.up()
        if held:
            keyboard.up(held)

    def turn(self) -> None:
        self.page.mouse.move(*self._point())
        held = self.random.random() < 0.4
        self.did.append("wheel" + " with Control" * held)
        if held:
            self.page.keyboard.down("Control")
        self.page.mouse.wheel(self.random.choice((0, 100, -100)), self.random.choice((-300, 300)))
        self.page.keyboard.up("Control")

    def reload(self) -> None:
        self.did.append("reload")
        self.page.reload()


class AnyPressTest(BrowserTest):
    has_own_server = True

    def setUp(self):
        super().setUp()
        for name in ("drums_103", "keys_88"):
            sha = self.shelved(name)
            for beat in (0, 8, 16):
                self.intent(kind="place", hand=sha, beat=beat, track=self._track(sha))

    def _track(self, sha):
        state = self.state()
        own = {s["id"] for s in state["strands"] if s["loop"] == sha}
        return next((c["track"] for c in state["clips"] if c["strand"] in own), None)

    def _console(self, message):
        is_quiet = "AudioContext was not allowed" in message.text  # of a page that was loaded anew
        if not is_quiet and not any(f"status of {code}" in message.text for code in WORDS):
            super()._console(message)

    def test_nothing_breaks_a_page(self):
        hands = Hands(self.page, SEED)

        def heard(response):
            if response.status >= 500 or response.status == 404:
                self.troubles.append(f"{response.status} of {response.url}")

        self.page.on("response", heard)
        self.addCleanup(self.page.remove_listener, "response", heard)
        at_home = f"{self.server.base}/p/{self.project}/"
        for _ in range(PRESSES):
            if not self.page.url.startswith(at_home) or hands.random.random() < 1 / STAYS:
                view = hands.random.choice(VIEWS)
                hands.did.append(f"open {view}")
                self.open(view)
            hands.do()
            self.assertEqual(self.troubles, [], f"after {', '.join(hands.did)} on {self.page.url}")
