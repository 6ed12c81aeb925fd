"""Near on the shelf: what sounds like the chosen one, what fits here; families; handed over."""

import re
import zipfile

import soundfile
from playwright.sync_api import expect

from tests.browser.test_shelf import ShelfHarness, chord, drums
from tests.sounds import rendered
from zeroknot.core.formats.riff import wav_bytes

C_MINOR, G_SHARP = (60, 63, 67), (68, 72, 75)


class NearTest(ShelfHarness):
    has_own_server = True

    def brought(self):
        """Two drum loops of one pattern at two tempos, two chords, and a bass."""
        rows = self.bring(
            ("slate one.wav", drums(100, seed=1)), ("slate two.wav", drums(128, seed=2)),
            ("fern low.wav", chord(C_MINOR, 96)), ("fern high.wav", chord(G_SHARP, 96)),
            ("dune.wav", wav_bytes(rendered("bass_97"), 16)),
        )  # fmt: skip
        self.page.locator(".rows li").nth(4).wait_for()
        return rows

    def near(self):
        return self.page.get_by_role("group", name="Near")

    def test_what_sounds_like_the_chosen_one_stands_on_top_and_facets_go_on(self):
        self.brought()
        page = self.page
        self.choose("slate one")
        page.keyboard.press("s")
        page.get_by_text("Like slate one", exact=True).wait_for()
        self.wait(lambda: self.names()[:1] == ["slate two"])
        self.assertNotIn("slate one", self.names())
        self.row("slate two").get_by_text("the same rhythm").wait_for()
        # By something else, of the same one, though another is chosen now.
        page.get_by_role("group", name="Like it by what").get_by_role(
            "button", name="notes"
        ).click()
        self.wait(
            lambda: (
                "like_by=tone"
                in page.evaluate("() => performance.getEntriesByType('resource').at(-1).name")
            )
        )
        page.get_by_text("Like slate one", exact=True).wait_for()
        # Words narrow it.
        page.get_by_label("Search by name").fill("fern")
        self.wait(lambda: sorted(self.names()) == ["fern high", "fern low"])
        page.get_by_role("button", name="Ask for nothing").click()
        self.wait(lambda: len(self.names()) == 5)
        expect(page.get_by_text("Like slate one", exact=True)).to_be_hidden()
        # Once more on the same key: all again.
        self.choose("dune")
        page.keyboard.press("s")
        self.wait(lambda: len(self.names()) == 4)
        page.keyboard.press("s")
        self.wait(lambda: len(self.names()) == 5)

    def test_what_fits_here_is_told_with_reasons_and_is_none_of_what_plays(self):
        rows = self.brought()
        self.intent(kind="place", hand=rows["fern low"]["sha"], beat=0)
        self.page.keyboard.press("Shift+S")
        self.page.get_by_text("What fits at bar 1", exact=True).wait_for()
        self.wait(lambda: len(self.names()) == 4)
        self.assertNotIn("fern low", self.names())
        # Drums of another tempo and chords of another key come after what can stay as it is.
        expect(self.row("fern high").locator("small").first).to_have_text(re.compile(r"^\d+ %: "))
        self.page.get_by_role("button", name="what fits here").click()
        self.wait(lambda: len(self.names()) == 5)

    def test_it_is_kept_over_another_view_and_as_a_search(self):
        self.brought()
        page = self.page
        self.choose("slate one")
        page.keyboard.press("s")
        self.wait(lambda: len(self.names()) == 4)
        self.walk_to("Arrange")
        self.walk_to("Shelf")
        self.wait(lambda: self.names()[:1] == ["slate two"])
        page.get_by_label("Name for this search").fill("Like slate")
        page.get_by_role("button", name="Keep", exact=True).click()
        page.get_by_role("button", name="Ask for nothing").click()
        self.wait(lambda: len(self.names()) == 5)
        page.locator(".kept").get_by_role("button", name="Like slate", exact=True).click()
        self.wait(lambda: self.names()[:1] == ["slate two"])

    def test_an_answer_that_comes_late_does_not_empty_the_kept_searches(self):
        self.brought()
        page, held = self.page, []

        def hold_first(route):
            if held or route.request.method != "GET":
                route.continue_()
            else:
                held.append(route)

        page.route("**/api/shelf/searches", hold_first)
        self.open("shelf")
        self.wait(lambda: bool(held))
        page.get_by_role("group", name="Kind").get_by_role("button", name="audio").click()
        page.get_by_label("Name for this search").fill("All audio")
        page.get_by_role("button", name="Keep", exact=True).click()
        kept = page.locator(".kept").get_by_role("button", name="All audio", exact=True)
        kept.wait_for()
        held[0].fulfill(body="[]", content_type="application/json")
        page.wait_for_timeout(300)
        expect(kept).to_be_visible()
        page.unroute("**/api/shelf/searches")
        page.get_by_label("Forget All audio").click()
        expect(kept).to_have_count(0)
        undo = page.get_by_role("button", name="Undo")
        undo.click()
        expect(kept).to_be_visible()
        # Another of its name takes its place; undo brings back what stood there.
        [first] = self.server.get("/api/shelf/searches")
        page.locator("#search").fill("slate")
        page.get_by_label("Name for this search").fill("All audio")
        page.get_by_role("button", name="Keep", exact=True).click()
        self.wait(lambda: self.server.get("/api/shelf/searches") != [first])
        undo.click()
        self.wait(lambda: self.server.get("/api/shelf/searches") == [first])
        # Another tab took its name meanwhile: that is said, and nothing waits behind it.
        page.get_by_label("Forget All audio").click()
        expect(kept).to_have_count(0)
        self.server.post("/api/shelf/searches", name="All audio", search={"words": "else"})
        kept.wait_for()
        undo.click()
        expect(page.locator(".notices")).to_contain_text("another is kept as “All audio” by now")
        expect(undo).not_to_have_attribute("title", "forget “All audio”")
        self.troubles = [t for t in self.troubles if "404" not in t]

    def test_its_family_is_shown_by_key_and_button(self):
        rows = self.brought()
        self.choose("fern low")
        self.page.keyboard.press("l")
        self.wait(lambda: self.page.url.endswith(f"/offshoots/{rows['fern low']['sha']}"))

    def test_what_is_chosen_is_handed_over_as_one_file_as_a_zip_and_as_a_pack(self):
        self.brought()
        page = self.page
        self.choose("slate one")
        page.keyboard.press("i")
        about = page.locator(".about")
        about.get_by_label("Format").select_option("flac")
        about.get_by_label("Pattern of the names").fill("{name} {bpm}")
        about.get_by_label("Pattern of the names").press("Enter")
        with page.expect_download() as download:
            about.get_by_role("button", name="As files").click()
        self.assertRegex(download.value.suggested_filename, r"^slate one \d+(\.\d+)?\.flac$")
        self.assertEqual(soundfile.info(download.value.path()).format, "FLAC")
        self.choose("slate two", modifiers=["Control"])
        about.get_by_text("2 chosen").first.wait_for()
        with page.expect_download() as download:
            about.get_by_role("button", name="As files").click()
        with zipfile.ZipFile(download.value.path()) as packed:
            self.assertEqual(len(packed.namelist()), 2)
        with page.expect_download() as download:
            about.get_by_role("button", name="As a pack").click()
        with zipfile.ZipFile(download.value.path()) as packed:
            self.assertIn("index.html", packed.namelist())
