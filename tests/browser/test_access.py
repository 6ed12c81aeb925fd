"""axe-core (MPL-2.0, a test dependency) on every view: nothing serious, in both palettes."""

from pathlib import Path

from tests.browser.harness import BrowserTest

AXE = Path(__file__).resolve().parents[2] / "assets" / "node_modules" / "axe-core" / "axe.min.js"
GRAVE = ("serious", "critical")
VIEWS = ("projects", "shelf", "fit", "groove", "key", "slices", "offshoots", "arrange")


class AccessTest(BrowserTest):
    def setUp(self):
        super().setUp()
        self.sha = self.shelved("drums_103")
        self.intent(kind="place", hand=self.sha, beat=0)

    def show(self, view):
        if view == "projects":
            self.page.goto(f"{self.server.base}/projects")
        else:
            self.open(view)
            self.page.wait_for_timeout(300)

    def findings(self):
        """What axe finds grave, each with the places it is found at."""
        # The page's policy runs no script but the shipped ones: axe is evaluated, not loaded.
        self.page.evaluate(AXE.read_text())
        found = self.page.evaluate("() => axe.run(document, {resultTypes: ['violations']})")
        return [
            f"{v['id']} ({v['impact']}): {n['target']} {n['failureSummary'][:200]}"
            for v in found["violations"] if v["impact"] in GRAVE for n in v["nodes"]
        ]  # fmt: skip

    def test_every_view_by_day_and_by_night(self):
        for palette in ("light", "dark"):
            self.page.emulate_media(color_scheme=palette)
            for view in VIEWS:
                with self.subTest(view=view, palette=palette):
                    self.show(view)
                    self.assertEqual(self.findings(), [])

    def test_with_dialogs_and_panels_open(self):
        def keys():
            self.page.locator("#strip").focus()
            self.page.keyboard.press("?")
            self.page.locator("#keys").wait_for()

        def about():
            self.page.locator(".rows li").first.click(position={"x": 90, "y": 12})
            self.page.keyboard.press("i")
            self.page.locator(".about").wait_for()

        def click():
            self.page.get_by_label("Click settings").click()

        def chosen():
            self.page.locator(".clip").first.click()

        for view, opened in (
            ("shelf", keys), ("shelf", about), ("fit", click), ("arrange", chosen),
        ):  # fmt: skip
            with self.subTest(view=view, opened=opened.__name__):
                self.show(view)
                opened()
                self.assertEqual(self.findings(), [])
