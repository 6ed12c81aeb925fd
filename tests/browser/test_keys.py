"""Keys, fields and dialogs: what a person expects of them on every view."""

from playwright.sync_api import expect

from tests.browser.harness import BrowserTest


class KeysTest(BrowserTest):
    def setUp(self):
        super().setUp()
        self.sha = self.shelved("drums_103")
        self.intent(kind="place", hand=self.sha, beat=0)
        self.open("arrange")
        self.page.locator(".clip").first.wait_for()

    def clips(self):
        return sorted((c["beat"], c["beats"]) for c in self.state()["clips"])

    def undone(self):
        return self.state()["revision"]

    def test_the_help_takes_all_keys_and_escape_closes_it(self):
        page = self.page
        page.locator(".clip").first.focus()
        page.keyboard.press("?")
        page.locator("#keys").wait_for()
        revision = self.undone()
        for key in ("Delete", "d", "ArrowRight", "o"):
            page.keyboard.press(key)
        page.keyboard.press("Escape")
        page.locator("#keys").wait_for(state="hidden")
        page.locator(".clip").first.click()
        page.wait_for_timeout(200)
        self.assertEqual(self.undone(), revision)
        self.assertFalse(self.engine("e && e.song.isPlaying"))

    def test_the_help_fits_a_small_window_and_prints_keys_as_they_are(self):
        for size in ((1280, 800), (1180, 720)):
            self.page.set_viewport_size({"width": size[0], "height": size[1]})
            for view in ("shelf", "fit", "arrange"):
                with self.subTest(size=size, view=view):
                    self.page.goto(f"{self.server.base}/p/{self.project}/{view}")
                    self.page.wait_for_function("() => window.zeroKnot?.session.sheet")
                    self.page.locator("#strip").focus()
                    self.page.keyboard.press("?")
                    text = self.page.locator("#keys").inner_text()
                    self.assertNotIn("Arrow", text)
                    scrolled = self.page.evaluate(
                        "() => { const k = document.getElementById('keys');"
                        " return k.scrollHeight - k.clientHeight; }"
                    )
                    self.assertLessEqual(scrolled, 0)
                    self.page.keyboard.press("Escape")

    def test_no_view_takes_a_key_that_means_something_else_everywhere(self):
        """But T: where something is in hand the taps are for it."""
        keys_of = """() => Object.fromEntries(
          [...document.querySelectorAll('#keys .key-columns > *')].map((s) => [
            s.querySelector('h2')?.textContent ?? '',
            [...s.querySelectorAll('dt kbd')].map((k) => k.textContent),
          ]))"""
        hand = self.server.rows()[0]["sha"]
        for view in ("shelf", "fit", "groove", "key", "slices", "offshoots", "arrange"):
            with self.subTest(view):
                place = view if view in ("shelf", "arrange") else f"{view}/{hand}"
                self.page.goto(f"{self.server.base}/p/{self.project}/{place}")
                self.page.wait_for_function("() => window.zeroKnot?.session.sheet")
                self.page.locator("#strip").focus()
                self.page.keyboard.press("?")
                title = view.capitalize()
                self.wait(lambda t=title: t in self.page.evaluate(keys_of))
                told = self.page.evaluate(keys_of)
                everybodys = {*told["Everywhere"], *told["Project"], *told["Help"]}
                self.assertEqual((set(told[title]) & everybodys) - {"T"}, set())
                self.page.keyboard.press("Escape")

    def test_enter_in_a_field_states_the_value_and_gives_the_keys_back(self):
        field = self.page.get_by_label("Tempo in BPM")
        field.fill("101")
        field.press("Enter")
        self.wait(lambda: self.state()["bpm"] == 101)
        self.page.keyboard.press("Space")
        self.wait(lambda: self.engine("e && e.song.isPlaying"))
        expect(field).to_have_value("101")
        self.page.keyboard.press("Space")
        self.wait(lambda: not self.engine("e.song.isPlaying"))

    def test_escape_in_a_field_takes_back_what_was_typed(self):
        field = self.page.get_by_label("Tempo in BPM")
        field.fill("44")
        field.press("Escape")
        self.page.wait_for_timeout(300)
        expect(field).to_have_value("120")
        self.assertEqual(self.state()["bpm"], 120)

    def test_shift_is_another_key_and_a_held_key_acts_once(self):
        page = self.page
        page.locator(".clip").first.focus()
        page.keyboard.press("r")
        self.wait(lambda: self.clips() == [(0, 16)])
        page.locator(".clip").first.focus()
        page.keyboard.press("Shift+R")
        self.wait(lambda: self.clips() == [(0, 8)])
        page.locator(".clip").first.focus()
        for _ in range(6):
            page.keyboard.down("d")  # the browser marks all but the first as repeated
        page.keyboard.up("d")
        page.wait_for_timeout(600)
        self.assertEqual(self.clips(), [(0, 8), (8, 8)])

    def test_a_clip_by_keys_alone(self):
        page = self.page
        clip = page.locator(".clip").first

        def press(key, clips):
            clip.focus()
            page.keyboard.press(key)
            self.wait(lambda: self.clips() == clips)

        press("Alt+ArrowRight", [(0.0625, 8)])
        self.assertIn("/arrange", page.url)
        press("Alt+ArrowLeft", [(0, 8)])
        self.assertIn("/arrange", page.url)
        press("Shift+ArrowRight", [(10, 8)])
        press("Shift+ArrowLeft", [(0, 8)])
        press("[", [(0, 7)])
        press("]", [(0, 8)])
        press("}", [(1, 7)])
        self.assertEqual(self.state()["clips"][0]["slip"], 1)
        press("{", [(0, 8)])
        press("d", [(0, 8), (8, 8)])
        self.intent(
            kind="move_clips",
            moves=[{"clip": self.state()["clips"][1]["id"], "beat": 32,
                    "track": self.state()["tracks"][0]["id"]}],
        )  # fmt: skip
        self.wait(lambda: page.evaluate("() => zeroKnot.session.state.clips[1].beat") == 32)
        press("n", [(0, 32), (32, 8)])
        press("s", [(0, 32), (32, 8)])
        self.wait(lambda: len(self.state()["strands"]) == 2)
        clip.focus()
        page.keyboard.press("Enter")
        page.locator("#loom").wait_for()

    def test_a_drag_is_given_up_with_escape(self):
        page = self.page
        self.wait(lambda: page.locator(".clip").first.bounding_box()["width"] > 80)
        box = page.locator(".clip").first.bounding_box()
        revision = self.undone()
        page.mouse.move(box["x"] + 40, box["y"] + 20)
        page.mouse.down()
        page.mouse.move(box["x"] + 140, box["y"] + 20, steps=4)
        expect(page.locator("#dragged")).to_contain_text("bar")
        page.keyboard.press("Escape")
        page.mouse.up()
        page.wait_for_timeout(300)
        self.assertEqual(self.undone(), revision)
        self.assertAlmostEqual(page.locator(".clip").first.bounding_box()["x"], box["x"], delta=1.5)

    def test_left_edge_trims_over_the_content(self):
        page = self.page
        self.wait(lambda: page.locator(".clip").first.bounding_box()["width"] > 80)
        box = page.locator(".clip").first.bounding_box()
        page.mouse.move(box["x"] + 4, box["y"] + 20)
        self.assertEqual(page.locator(".clip").first.evaluate("(e) => e.style.cursor"), "w-resize")
        page.mouse.down()
        page.mouse.move(box["x"] + 4 + 24, box["y"] + 20, steps=4)
        page.mouse.up()
        self.wait(lambda: self.clips() == [(2, 6)])
        self.assertEqual(self.state()["clips"][0]["slip"], 2)

    def test_one_undo_for_the_project_and_the_shelf(self):
        page = self.page
        page.get_by_role("button", name="Add a track").click()
        self.wait(lambda: len(self.state()["tracks"]) == 2)
        page.locator("nav.rail").get_by_role("link", name="Shelf").click()
        row = page.locator(".rows li", has_text="drums_103").first
        row.click(position={"x": 90, "y": 12})
        page.locator(".rows li.chosen").wait_for()
        page.keyboard.press("Delete")
        self.wait(lambda: not self.server.rows("drums_103"))
        # What is so already is nothing that was done.
        same = '() => zeroKnot.session.submit({ kind: "set_metre", metre: "4/4" })'
        self.assertTrue(page.evaluate(same))
        page.keyboard.press("Control+z")
        self.wait(lambda: self.server.rows("drums_103"))
        self.assertEqual(len(self.state()["tracks"]), 2)
        page.get_by_text("taken back").wait_for()
        page.keyboard.press("Control+z")
        self.wait(lambda: len(self.state()["tracks"]) == 1)
        page.keyboard.press("Control+y")
        self.wait(lambda: len(self.state()["tracks"]) == 2)
        page.keyboard.press("Control+y")
        self.wait(lambda: not self.server.rows("drums_103"))
        page.keyboard.press("Control+z")
        self.wait(lambda: self.server.rows("drums_103"))

    def test_a_value_beyond_its_range_is_said_and_nothing_changes(self):
        page = self.page
        before = self.state()["tracks"][0]["level_db"]
        field = page.get_by_label("Track level, typed")
        field.fill("50")
        field.press("Enter")
        page.get_by_text("Track level goes from").wait_for()
        page.get_by_text("“50” is not in it").wait_for()
        self.assertEqual(self.state()["tracks"][0]["level_db"], before)
        self.assertNotEqual(field.input_value(), "50")

    def test_a_bar_that_is_dragged_is_put_back_by_escape(self):
        page = self.page
        before = self.state()["tracks"][0]["level_db"]
        shown = page.get_by_label("Track level, typed").input_value()
        box = page.get_by_role("slider", name="Track level").bounding_box()
        page.mouse.move(box["x"] + 20, box["y"] + 4)
        page.mouse.down()
        page.mouse.move(box["x"] + 60, box["y"] + 4, steps=3)
        page.keyboard.press("Escape")
        page.mouse.up()
        page.wait_for_timeout(300)
        self.assertEqual(self.state()["tracks"][0]["level_db"], before)
        expect(page.get_by_label("Track level, typed")).to_have_value(shown)

    def test_nothing_is_wider_than_the_page(self):
        page = self.page
        page.set_viewport_size({"width": 1180, "height": 720})
        long = "A name that goes on " * 5
        self.intent(kind="rename_project", name=long[:90])
        for view in ("arrange", "shelf", "fit"):
            with self.subTest(view=view):
                self.open(view)
                page.evaluate(
                    "() => zeroKnot.setCycle(zeroKnot.session, {from: 8, to: 20, on: true})"
                )
                page.get_by_role("button", name="Cycle bars 3–5").wait_for()
                over = page.evaluate(
                    """() => [document.documentElement.scrollWidth - innerWidth,
                      ...[...document.querySelectorAll("header.top *")]
                        .map((e) => e.getBoundingClientRect().right - innerWidth)]"""
                )
                self.assertLessEqual(max(over), 0)

    def test_a_loop_that_is_placed_is_corrected_on_the_shelf_and_its_clips_when_wanted(self):
        page = self.page
        page.locator("nav.rail").get_by_role("link", name="Shelf").click()
        row = page.locator(".rows li", has_text="drums_103").first
        row.get_by_role("button", name="BPM").click()
        about = page.locator(".about")
        about.get_by_label("Bars of the loop").fill("4")
        about.get_by_label("Bars of the loop").press("Enter")
        page.get_by_text("is placed in this project and keeps its own reading").wait_for()
        self.assertEqual(self.state()["strands"][0]["span"], 8)
        page.get_by_role("button", name="Change it there, too").click()
        self.wait(lambda: self.state()["strands"][0]["span"] == 16)
        page.keyboard.press("Control+z")
        self.wait(lambda: self.state()["strands"][0]["span"] == 8)
        page.keyboard.press("Control+z")
        self.wait(lambda: self.server.get(f"/api/loops/{self.sha}")["reading"]["bars"] == 2)
