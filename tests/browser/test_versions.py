"""What a project was is kept under a name, opened beside and gone back to, by keyboard alone."""

from playwright.sync_api import expect

from tests.browser.harness import BrowserTest


class VersionsTest(BrowserTest):
    def setUp(self):
        super().setUp()
        self.open("arrange")

    def tempo(self, bpm):
        field = self.page.get_by_label("Tempo in BPM")
        field.fill(str(bpm))
        field.press("Enter")
        self.wait(lambda: self.state()["bpm"] == bpm)

    def shown_tempo(self):
        return self.page.get_by_label("Tempo in BPM").input_value()

    def dialog(self):
        return self.page.locator("#versions")

    def versions(self):
        return self.server.get(f"/api/projects/{self.project}/versions")

    def show(self):
        self.page.locator("#strip").focus()
        self.page.keyboard.press("v")
        self.dialog().wait_for()

    def test_name_go_back_undo_and_open_beside(self):
        page = self.page
        self.show()
        page.get_by_text("Nothing is kept yet").wait_for()
        page.keyboard.press("Escape")
        self.tempo(90)
        self.show()
        page.get_by_label("Name of what it is now").fill("Slow")
        page.keyboard.press("Enter")
        kept = page.get_by_role("button", name="Go back to Slow")
        kept.wait_for()
        self.assertTrue(kept.is_disabled())  # it is there
        page.keyboard.press("Escape")
        self.dialog().wait_for(state="hidden")
        self.tempo(140)
        page.keyboard.press("Control+z")
        self.wait(lambda: self.shown_tempo() == "90")
        self.tempo(77)
        self.show()
        # What undo left stands there by itself, and is gone back to.
        left = page.get_by_role("button", name="Go back to tempo 140 BPM")
        left.focus()
        page.keyboard.press("Enter")
        self.wait(lambda: self.shown_tempo() == "140")
        self.dialog().wait_for(state="hidden")
        self.assertEqual(self.state()["undo"], "back to tempo 140 BPM")
        page.locator("#strip").focus()
        page.keyboard.press("Control+z")
        self.wait(lambda: self.shown_tempo() == "77")
        page.keyboard.press("Control+Shift+z")
        self.wait(lambda: self.shown_tempo() == "140")
        # Another name, and a copy of it in a tab of its own.
        self.show()
        field = page.get_by_label("Name of Slow")
        field.fill("Slow one")
        field.press("Tab")
        page.get_by_role("button", name="Open Slow one beside").wait_for()
        with page.context.expect_page() as opened:
            page.get_by_role("button", name="Open Slow one beside").click()
        beside = opened.value
        beside.get_by_label("Tempo in BPM").wait_for()
        expect(beside.get_by_label("Tempo in BPM")).to_have_value("90")
        name = beside.get_by_label("Project name").input_value()
        self.assertTrue(name.endswith(": Slow one"), name)
        beside.close()
        self.assertEqual(self.shown_tempo(), "140")
        field = page.get_by_label("Name of Slow one")
        field.fill("")
        field.press("Tab")
        field.wait_for(state="detached")
        # Names are given and taken back like all else.
        page.keyboard.press("Escape")
        self.dialog().wait_for(state="hidden")
        undo = page.get_by_role("button", name="Undo")
        for title, name in (("take “Slow one” from a version", "Slow one"),
                            ("call a version “Slow one”", "Slow")):  # fmt: skip
            expect(undo).to_have_attribute("title", title)
            undo.click()
            self.wait(lambda: name in {v["name"] for v in self.versions()})  # noqa: B023
        self.assertEqual(self.shown_tempo(), "140")

    def test_a_name_being_typed_stays_while_something_else_is_done(self):
        page = self.page
        self.show()
        page.get_by_label("Name of what it is now").fill("Slow")
        page.keyboard.press("Enter")
        field = page.get_by_label("Name of Slow")
        field.press("End")
        page.keyboard.type(" on")
        self.intent(kind="set_steady_tempo", bpm=90)
        self.dialog().get_by_text("1 edit from now").wait_for()
        page.keyboard.type("e")
        field.press("Tab")
        page.get_by_role("button", name="Open Slow one beside").wait_for()
        # Left without a change of its own, a field shows what holds by then.
        tempo = page.get_by_label("Tempo in BPM")
        page.keyboard.press("Escape")
        self.dialog().wait_for(state="hidden")
        tempo.focus()
        page.keyboard.press("End")
        page.keyboard.type("7")
        self.intent(kind="set_steady_tempo", bpm=100)
        self.wait(lambda: self.engine("s.state.bpm") == 100)
        expect(tempo).to_have_value("907")
        page.keyboard.press("Backspace")
        tempo.blur()
        self.wait(lambda: self.shown_tempo() == "100")

    def test_two_tabs_that_go_back_end_in_the_same_state(self):
        self.tempo(90)
        self.tempo(100)
        second = self.page.context.new_page()
        second.goto(self.page.url)
        self.show()
        self.page.get_by_label("Name of what it is now").fill("Here")
        self.page.keyboard.press("Enter")
        self.page.get_by_role("button", name="Go back to Here").wait_for()
        self.page.keyboard.press("Escape")
        self.tempo(120)
        second.locator("#strip").focus()
        second.keyboard.press("v")
        second.get_by_role("button", name="Go back to Here").click()
        self.wait(lambda: self.shown_tempo() == "100")
        expect(second.get_by_label("Tempo in BPM")).to_have_value("100")
        states = [
            p.evaluate("() => JSON.stringify({...zeroKnot.session.state, token: '', notes: []})")
            for p in (self.page, second)
        ]
        self.assertEqual(*states)
        second.close()
