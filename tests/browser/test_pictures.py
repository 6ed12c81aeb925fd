"""Pictures on a page whose fonts come late."""

import threading

from tests.browser.harness import BrowserTest

PICTURE = "() => document.getElementById('strip').toDataURL()"


class LateFontsTest(BrowserTest):
    def test_pictures_are_drawn_again_once_their_letters_are_there(self):
        context = self.new_context()  # nothing kept from a page before
        self.addCleanup(context.close)
        page = context.new_page()
        held, waiting = threading.Event(), []
        page.route(
            "**/fonts/*.woff2",
            lambda route: route.continue_() if held.is_set() else waiting.append(route),
        )
        address = f"{self.server.base}/p/{self.project}/arrange"
        page.goto(address, wait_until="commit")
        page.wait_for_function("() => window.zeroKnot?.session.sheet")
        page.wait_for_function("() => document.fonts.status === 'loading'")
        page.wait_for_timeout(300)  # the strip has been drawn, in letters that every system has
        before = page.evaluate(PICTURE)
        held.set()
        for route in waiting:
            route.continue_()
        page.wait_for_function("() => document.fonts.status === 'loaded'")
        page.wait_for_function(f"(was) => ({PICTURE})() !== was", arg=before)
        after = page.evaluate(PICTURE)
        page.goto(address)  # now the fonts are there from the first
        page.wait_for_function("() => window.zeroKnot?.session.sheet")
        page.wait_for_function(f"(was) => ({PICTURE})() === was", arg=after)
