"""What stands on a panel does what it says: each control once, and what the project then is."""

from playwright.sync_api import expect

from tests.browser.harness import BrowserTest


class OnPanels(BrowserTest):
    """Two loops of two bars in a song at 96, each on its track."""

    def setUp(self):
        super().setUp()
        self.intent(kind="set_steady_tempo", bpm=96)
        self.drums, self.keys = (self.shelved(name) for name in ("drums_103", "keys_88"))
        for sha in (self.drums, self.keys):
            self.intent(kind="place", hand=sha, beat=0)
        self.strands = [s["id"] for s in self.state()["strands"]]

    def typed(self, label, text):
        field = self.page.get_by_label(label, exact=True)
        field.fill(text)
        field.press("Enter")

    def press(self, name, **how):
        self.page.get_by_role("button", name=name, exact=True, **how).click()

    def comes(self, said, value):
        """A fact of the project, by a function of its state, comes to be a value."""
        with self.subTest(said.__doc__ or str(value)):
            self.wait(lambda: said(self.state()) == value)

    def hand(self, what="", of=0):
        path = f"/api/projects/{self.project}/hand/{self.strands[of]}{what}"
        return self.server.get(path)


class TransportControlsTest(OnPanels):
    def test_metre_key_and_name(self):
        self.open("arrange")
        self.typed("Metre", "3/4")
        self.comes(lambda s: s["metre"], "3/4")
        self.typed("Key", "D minor")
        self.comes(lambda s: s["key"], "D minor")
        self.typed("Project name", "Harbour wall")
        self.comes(lambda s: s["name"], "Harbour wall")


class ArrangeControlsTest(OnPanels):
    def setUp(self):
        super().setUp()
        self.open("arrange")
        self.page.locator(".clip").first.wait_for()

    def test_a_track_and_a_clip(self):
        page = self.page
        page.get_by_role("button", name="Solo drums_103").click()
        self.comes(lambda s: s["tracks"][0]["solo"], True)
        self.typed("Track name", "Shutters")
        self.comes(lambda s: s["tracks"][0]["name"], "Shutters")
        page.locator(".clip").first.click()
        self.typed("Clip level, typed", "-3")
        self.comes(lambda s: s["clips"][0]["gain_db"], -3)
        self.press("Cycle it")
        expect(page.get_by_role("button", name="Cycle bars 1–2")).to_be_visible()

    def test_room_echo_and_ceiling(self):
        page = self.page
        page.locator("#sound button[aria-expanded]").first.click()
        self.press("room and echo")
        self.typed("Level of the room, typed", "-6")
        self.comes(lambda s: s["room"]["level_db"], -6)
        self.typed("Feedback of the echo, typed", "55")
        self.comes(lambda s: round(s["echo"]["feedback"], 3), 0.55)
        page.get_by_label("from side to side").click()
        self.comes(lambda s: s["echo"]["crossed"], False)
        self.press("master")
        page.get_by_label("held under a ceiling").click()
        self.typed("Ceiling of the master, typed", "-2")
        self.comes(lambda s: s["ceiling_db"], -2)


class FitControlsTest(OnPanels):
    def test_the_project_takes_what_the_loop_is(self):
        self.open(f"fit/{self.strands[1]}")
        self.press("Give the project this tempo")
        self.comes(lambda s: s["tempos"][0]["bpm"], 88)
        key = self.hand(of=1)["key"]
        self.press("Give the project this key")
        self.comes(lambda s: s["key"], key)
        self.intent(kind="set_metre", metre="3/4")
        self.press("Give the project this metre")
        self.comes(lambda s: s["metre"], "4/4")

    def test_a_reading_is_stated_and_taken_back(self):
        self.open(f"fit/{self.strands[0]}")
        self.typed("Bars", "4")
        self.wait(lambda: self.hand()["bars"] == 4)
        self.press("Take own reading back")
        self.wait(lambda: self.hand()["bars"] == 2)


class KeyControlsTest(OnPanels):
    def test_tuning_keys_along_the_song_and_what_is_preferred(self):
        page = self.page
        self.intent(kind="set_key_at", bar=1, key="C minor")
        self.intent(kind="set_key_at", bar=3, key="D minor")
        self.open(f"key/{self.strands[1]}")
        self.typed("Cents it is tuned by, typed", "20")
        self.comes(lambda s: s["strands"][1]["cents"], 20)
        page.get_by_label("Key from bar 3").fill("F major")
        page.get_by_label("Key from bar 3").press("Enter")
        self.comes(lambda s: [k["key"] for k in s["keys"]], ["C minor", "F major"])
        page.get_by_label("follow the song's key and its changes").click()
        self.wait(lambda: self.hand("/key", of=1)["follows"])
        self.press("same notes")
        self.wait(lambda: self.hand("/key", of=1)["prefers"] == "relative")
        self.press("Remove the key at bar 3")
        self.comes(lambda s: [k["key"] for k in s["keys"]], ["C minor"])


class GrooveControlsTest(OnPanels):
    def test_what_is_laid_by_whom_it_is_followed_and_what_is_kept(self):
        self.open(f"groove/{self.strands[0]}")
        self.press("Lay even steps")
        self.wait(lambda: self.hand("/groove")["laid"])
        # Two quick presses are two changes, however long the first takes.
        self.slow_edits(400)
        whose = self.page.get_by_role("group", name="Whose hits move")
        for name in ("low", "high"):
            whose.get_by_role("button", name=name).click()
        self.wait(lambda: self.hand("/groove")["laid"]["registers"] == ["middle"])
        self.press("This follows the song")
        self.wait(lambda: self.hand("/groove")["laid"]["follows"])
        self.typed("Timing, typed", "60")
        self.wait(lambda: self.hand("/groove")["laid"]["timing"] == 0.6)
        self.press("Keep it")
        self.comes(lambda s: len(s["grooves"]), 1)
        kept = self.state()["grooves"][0]["name"]
        self.press(f"Look at {kept}")
        self.typed("Name of the groove shown", "Ferry")
        self.comes(lambda s: s["grooves"][0]["name"], "Ferry")
        self.press("Let it go")
        self.comes(lambda s: s["grooves"], [])


class ShelfControlsTest(OnPanels):
    def row(self):
        return next(r for r in self.server.rows() if r["sha"] == self.drums)

    def test_what_is_known_of_a_loop_is_said_otherwise(self):
        page = self.page
        self.open("shelf")
        page.locator("b", has_text="drums_103").click()
        page.keyboard.press("i")
        self.typed("Set", "Harbour")
        self.wait(lambda: self.row()["set"] == "Harbour")
        page.get_by_label("Kind of sound").select_option("percussion")
        self.wait(lambda: self.row()["sound"] == "percussion")
        self.typed("Tags, commas between", "dusty, warm")
        self.wait(lambda: self.row()["tags"] == ["dusty", "warm"])


class SlicesControlsTest(OnPanels):
    def test_orders_are_laid_on_a_grid_transposed_and_dealt_over_some_bars(self):
        page = self.page
        self.open(f"slices/{self.strands[0]}")
        self.press("equal")
        self.wait(lambda: self.hand("/slices")["is_cut"])
        self.press("All +1 st")
        tiles = lambda: self.hand("/slices")["order"]["tiles"]  # noqa: E731
        self.wait(lambda: {p["semitones"] for p in self.hand("/slices")["pieces"]} == {1})
        page.get_by_label("Even tiles of a note value").select_option(label="1/8")
        self.wait(lambda: {round(t["beats"], 4) for t in tiles()} == {0.5})
        page.get_by_label("First bar that is dealt").fill("2")
        page.get_by_label("First bar that is dealt").press("Enter")
        whole = [t["piece"] for t in tiles()]
        before = [t["piece"] for t in tiles() if t["beat"] < 4]
        self.press("Deal again")
        expect(page.locator("#deal-said")).to_contain_text("Seed")
        self.wait(lambda: [t["piece"] for t in tiles()] != whole)
        self.assertEqual([t["piece"] for t in tiles() if t["beat"] < 4], before)
