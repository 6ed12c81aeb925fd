"""The whole round: cut, dealt, grown, heard, kept, taken up again, compared, back to the first."""

from playwright.sync_api import expect

from tests.browser.harness import BrowserTest, with_chunk
from tests.browser.tap import heard
from tests.sounds import RATE
from zeroknot.core.mixing.loudness import loudness

VIEW = "zeroKnot.app.offshoots"
HEARD_MS = 250  # issue 16: each is heard so soon after it is asked for
UNDER_LOAD = 3
ROUND = 8 * 60 * RATE // 192  # frames of two bars


class FamilyTest(BrowserTest):
    """A family is known in every project: each test has loops of its own."""

    def own(self, data):
        return with_chunk(data, b"junk", self.id().encode())


class OffshootsTest(FamilyTest):
    def setUp(self):
        super().setUp()
        self.intent(kind="set_steady_tempo", bpm=96)
        self.sha = self.shelved("drums_103")
        self.intent(kind="cut_up", hand=self.sha, by="equal", count=16)
        self.hand = self.state()["strands"][0]["id"]
        self.intent(kind="deal_order", hand=self.hand, seed=4127)

    def members(self):
        path = f"/api/projects/{self.project}/family/{self.sha}"
        return self.server.get(path)["members"]

    def grown(self):
        return [m for m in self.members() if m["kind"] == "grown"]

    def print_of(self, parent):
        known = (m for m in self.members() if m["parents"] == [parent])
        return next((m for m in known if m["kind"] == "print"), None)

    def show(self, hand):
        self.open(f"offshoots/{hand}")
        expect(self.page.locator("#family-said")).to_contain_text("loop")
        self.page.locator("#family").focus()

    def focused(self):
        return self.page.evaluate(f"() => {VIEW}.oneName")

    def test_the_whole_round(self):
        page = self.page
        self.intent(kind="place", hand=self.hand, beat=0)
        printed = self.server.post(
            f"/api/projects/{self.project}/prints", hand=self.hand, seam="wrap", with_lead=False
        )["sha"]
        self.show(printed)
        expect(page.locator(".step")).to_contain_text(["Fit", "Cut", "Deal", "Order"])
        expect(page.locator("#one-about")).to_contain_text("exactly 220,500 samples")
        # More of it: heard at once, in time, and a child of the print.
        page.get_by_role("button", name="4", exact=True).click()
        page.locator("#family").focus()
        page.keyboard.press("g")
        self.wait(lambda: len(self.grown()) == 4)
        self.assertEqual({tuple(m["parents"]) for m in self.grown()}, {(printed,)})
        self.wait(lambda: self.engine("e.hand.isPlaying"))
        first = self.wait(lambda: page.evaluate(f"() => {VIEW}.heard"))
        self.assertEqual(first, self.grown()[0]["id"])
        # Kept, it is a loop; then grown from again, twice.
        page.keyboard.press("k")
        kept = self.wait(lambda: self.print_of(printed))
        self.wait(lambda: len(self.grown()) == 3)
        self.wait(lambda: page.evaluate(f"() => {VIEW}.oneName") == kept["name"])
        page.keyboard.press("4")
        self.wait(lambda: page.evaluate(f"() => {VIEW}.oneSaid") == "down four")
        page.keyboard.press("k")
        lower = self.wait(lambda: self.print_of(kept["id"]))
        self.wait(lambda: page.evaluate(f"() => {VIEW}.isLoop && {VIEW}.oneSaid") == "down four")
        # Back to the first, and what is other.
        page.keyboard.press("m")
        for _ in range(3):
            page.keyboard.press("ArrowLeft")
        self.wait(lambda: self.focused() == "drums_103")
        expect(page.locator(".unlike")).to_contain_text("Key: none, instead of -4 st")
        page.keyboard.press("x")
        self.wait(lambda: page.evaluate(f"() => {VIEW}.heard") == lower["id"])
        page.keyboard.press("i")
        self.wait(lambda: page.evaluate(f"() => {VIEW}.heard") == self.sha)
        # Taken up: a strand of its own, open in Slices, with its order.
        for _ in range(2):
            page.keyboard.press("ArrowRight")
        page.keyboard.press("e")
        expect(page.locator("#cut-said")).to_have_text("16 slices")
        self.assertEqual(len(self.state()["strands"]), 2)
        page.keyboard.press("Control+z")
        self.wait(lambda: len(self.state()["strands"]) == 1)

    def test_keys_right_after_keeping_mean_what_was_kept(self):
        page = self.page

        def held(route):
            page.wait_for_timeout(1500)
            route.continue_()

        self.show(self.hand)
        page.locator("#family").focus()
        page.keyboard.press("1")
        backwards = self.wait(lambda: next(iter(self.grown()), None))
        self.wait(lambda: page.evaluate(f"() => {VIEW}.heard") == backwards["id"])
        page.route("**/prints", held)
        page.keyboard.press("k")
        page.keyboard.press("4")
        self.wait(lambda: page.evaluate(f"() => {VIEW}.oneSaid") == "down four")
        kept = next(m for m in self.members() if m["kind"] == "print")
        self.assertEqual([m["parents"] for m in self.grown()], [[kept["id"]]])

    def test_keeping_is_one_step_of_undo_and_of_redo(self):
        page = self.page
        self.show(self.hand)
        # The family is asked for when the edit is taken back; the loop leaves the shelf after that.
        page.route("**/changes/*/undo", lambda r: (page.wait_for_timeout(1000), r.continue_()))
        page.keyboard.press("2")  # what no other test keeps: the same sound is the same loop
        one = self.wait(lambda: next(iter(self.grown()), None))
        self.wait(lambda: page.evaluate(f"() => {VIEW}.heard") == one["id"])
        before = self.server.rows()
        for key in ("k", "Control+Shift+z"):
            page.keyboard.press(key)
            self.wait(lambda: self.print_of(self.sha))
            self.wait(lambda: len(self.server.rows()) == len(before) + 1)
            expect(page.get_by_role("button", name="Undo")).to_be_enabled()
            self.wait(lambda: self.engine("s.saving") == 0)
            page.keyboard.press("Control+z")
            self.wait(lambda: [m["id"] for m in self.grown()] == [one["id"]])
            self.wait(lambda: self.server.rows() == before)
            self.assertIsNone(self.print_of(self.sha))
            # The print is gone from the picture, too, and what it was made of is chosen again.
            shown = f"() => {VIEW}.familyTree().places.map((p) => p.member.id)"
            self.wait(lambda: page.evaluate(shown) == [self.sha, one["id"]])  # noqa: B023
            self.assertEqual(page.evaluate(f"() => {VIEW}.oneName"), one["name"])
        # What was grown is still there, and the next step takes that back.
        page.keyboard.press("Control+z")
        self.wait(lambda: self.grown() == [])

    def test_named_dropped_and_placed_and_back(self):
        page = self.page
        self.show(self.hand)
        for key, said in (("1", "backwards"), ("2", "half speed"), ("6", "chopped and dealt")):
            page.locator("#family").focus()
            page.keyboard.press(key)
            self.wait(lambda: any(m["said"] == said for m in self.grown()))  # noqa: B023
            fresh = self.grown()[-1]["id"]
            self.wait(lambda: page.evaluate(f"() => {VIEW}.heard") == fresh)  # noqa: B023
            page.keyboard.press("ArrowLeft")
        one = self.grown()[0]
        page.keyboard.press("ArrowRight")
        self.wait(lambda: self.focused() == one["name"])
        page.keyboard.press("n")
        page.keyboard.press("Control+a")
        page.keyboard.type("Turnover")
        page.keyboard.press("Enter")
        self.wait(lambda: self.grown()[0]["name"] == "Turnover")
        page.locator("#family").focus()
        page.keyboard.press("h")
        self.wait(lambda: self.grown()[0]["favourite"])
        page.keyboard.press("p")
        self.wait(lambda: [s for s in self.state()["strands"] if s["name"] == "Turnover"])
        self.assertEqual(len(self.state()["clips"]), 1)
        page.keyboard.press("Delete")
        self.wait(lambda: "Turnover" not in [m["name"] for m in self.grown()])
        page.keyboard.press("Control+z")
        self.wait(lambda: "Turnover" in [m["name"] for m in self.grown()])
        page.get_by_role("button", name="Drop all that is not kept").click()
        self.wait(lambda: [m["name"] for m in self.grown()] == ["Turnover"])  # it is in the heart

    def test_each_is_heard_within_a_quarter_of_a_second(self):
        page = self.page
        self.intent(
            kind="grow",
            of=self.hand,
            count=16,
            far=0.5,
            seed=3,
            may=["order", "levels", "reverse", "rolls"],
        )
        self.show(self.hand)
        ids = [m["id"] for m in self.grown()]
        page.evaluate(f"async (id) => {VIEW}.hear(id)", ids[0])
        self.wait(lambda: self.engine("e.hand.isPlaying"))
        delays = page.evaluate(
            """async (ids) => {
              const view = zeroKnot.app.offshoots, engine = zeroKnot.session.engine();
              const found = [], pause = (ms) => new Promise((done) => setTimeout(done, ms));
              for (const id of ids) {
                const before = engine.hand.sheet?.digest;
                const from = performance.now();
                void view.hear(id);
                // One that is not heard at all counts as late as can be, not for ever.
                const late = from + 8000;
                const isHeard = () => engine.hand.sheet?.digest !== before;
                while (!isHeard() && performance.now() < late) await pause(4);
                found.push(performance.now() - from);
                await pause(400);
              }
              return found.sort((a, b) => a - b);
            }""",
            ids[1:],
        )  # fmt: skip
        # Beside whatever else takes the machine; alone it is told in docs/benchmarks.md.
        self.assertLess(delays[len(delays) // 2], UNDER_LOAD * HEARD_MS)

    def test_five_hundred_are_drawn_walked_and_folded(self):
        page = self.page
        for i in range(8):
            self.intent(kind="grow", of=self.hand, count=64, far=0.6, seed=i)
        self.show(self.hand)
        expect(page.locator("#family-said")).to_contain_text("not kept yet")
        self.wait(lambda: len(self.members()) > 480)
        frames = page.evaluate(
            """async () => {
              const view = zeroKnot.app.offshoots;
              view.showWhole();
              let frames = 0;
              const from = performance.now();
              while (performance.now() - from < 2000) {
                view.zoomBy(frames % 2 ? 1.01 : 1 / 1.01);
                await new Promise(requestAnimationFrame);
                frames += 1;
              }
              return frames / 2;
            }"""
        )
        self.assertGreater(frames, 10)  # beside whatever else takes the machine; 45 asked alone
        page.keyboard.press("w")
        page.keyboard.press("f")
        self.wait(lambda: page.evaluate(f"() => {VIEW}.familyTree().places.length") == 1)
        page.keyboard.press("f")
        page.keyboard.press("ArrowRight")
        page.keyboard.press("ArrowDown")
        self.wait(lambda: page.evaluate(f"() => {VIEW}.isGrown"))


class HandedOnTest(FamilyTest):
    """Recipes go on to other loops, files go out."""

    def setUp(self):
        super().setUp()
        self.intent(kind="set_steady_tempo", bpm=192)
        self.sha = self.shelved("drums_103")
        self.other = self.shelved("bass_97")
        self.intent(kind="quick_one", of=self.sha, what="chop", seed=3)
        self.grown = self.family()[-1]
        self.open(f"offshoots/{self.sha}")
        self.choose(self.grown["name"])

    def family(self, of=None):
        path = f"/api/projects/{self.project}/family/{of or self.sha}"
        return self.server.get(path)["members"]

    def choose(self, name):
        found = next(m["id"] for m in self.family() if m["name"] == name)
        self.wait(lambda: self.page.evaluate(f"() => {VIEW}.familyTree().places.length") > 1)
        self.page.evaluate(f"(id) => {VIEW}.choose(id)", found)
        self.wait(lambda: self.page.evaluate(f"() => {VIEW}.oneName") == name)

    def test_a_recipe_leaves_as_a_file_comes_in_again_and_is_kept_by_name(self):
        page = self.page
        with page.expect_download() as download:
            page.get_by_role("button", name="Recipe as a file").click()
        text = download.value.path().read_bytes()
        file = {"name": "r.json", "mimeType": "application/json", "buffer": text}
        page.get_by_label("Take a recipe from a file").set_input_files(file)
        self.wait(lambda: len(self.family()) == 3)
        self.wait(lambda: page.evaluate(f"() => {VIEW}.heard") == self.family()[-1]["id"])
        page.get_by_label("Take a recipe from a file").set_input_files({**file, "buffer": b"[]"})
        page.get_by_text("no recipe of a loop").first.wait_for()
        self.troubles.clear()  # the browser notes the answer that refuses
        name = page.get_by_label("Keep it as a way of working called")
        name.fill("Winch it")
        name.press("Enter")
        way = page.get_by_role("button", name="Winch it", exact=True)
        way.wait_for()
        page.get_by_role("button", name="Undo").click()
        expect(way).to_have_count(0)
        page.get_by_role("button", name="Redo").click()
        way.wait_for()
        # The way of working is done to a loop; the recipe is laid over another.
        self.choose("drums_103")
        page.get_by_role("button", name="Winch it", exact=True).click()
        self.wait(lambda: "drums_103 as Winch it" in [m["name"] for m in self.family()])
        page.get_by_label("Lay the recipe over another loop").select_option(self.other)
        self.wait(lambda: len(self.family(self.other)) == 2)
        expect(page.locator(".rail-name b")).to_contain_text("bass_97")
        ways = page.get_by_role("list", name="Ways of working").get_by_role("listitem")
        page.get_by_label("Forget Winch it").click()
        expect(ways).to_have_count(0)
        # Undo takes back what was done last, and so this and not what was grown before.
        undo = page.get_by_role("button", name="Undo")
        expect(undo).to_have_attribute("title", "forget “Winch it”")
        undo.click()
        expect(ways).to_have_count(1)
        page.get_by_role("button", name="Redo").click()
        expect(ways).to_have_count(0)
        self.assertEqual(self.server.get("/api/ways"), [])
        self.assertEqual(len(self.family(self.other)), 2)

    def test_a_file_a_zip_and_a_pack_leave_named_by_a_pattern(self):
        page = self.page
        page.get_by_role("button", name="This one").click()
        page.get_by_text("first: then it can leave").wait_for()
        page.get_by_role("button", name="Keep", exact=True).click()
        self.wait(lambda: self.family()[-1]["kind"] == "print")
        self.choose("drums_103")
        page.get_by_label("Format").select_option("flac")
        names = page.get_by_label("Pattern of the names")
        names.fill("{name}-{mood}")
        names.press("Enter")
        page.get_by_role("button", name="This one").click()
        page.get_by_text("no field {mood}").wait_for()
        self.troubles.clear()
        names.fill("{n} {name}")
        names.press("Enter")
        for button, wanted in (
            ("This one", "01 drums_103.flac"), ("All that is kept", "loops.zip"),
            ("As a pack", "drums_103.zip"),
        ):  # fmt: skip
            with page.expect_download() as download:
                page.get_by_role("button", name=button).click()
            self.assertEqual(download.value.suggested_filename, wanted)
        # How it was chosen is there the next time; a loop is dragged to the desktop.
        page.reload()
        expect(page.get_by_label("Format")).to_have_value("flac")
        self.choose("drums_103")
        dragged = page.evaluate(
            """() => {
              const to = new DataTransfer();
              const from = [...document.querySelectorAll("button")].find((b) => b.draggable);
              from.dispatchEvent(new DragEvent("dragstart", { dataTransfer: to, bubbles: true }));
              return to.getData("DownloadURL");
            }"""
        )
        self.assertRegex(dragged, rf"^audio/wav:drums_103\.wav:http.*/api/loops/{self.sha}/wav")


class HeardTest(FamilyTest):
    may_run_scripts = True

    def test_one_after_another_as_loud_as_the_others_and_with_the_rest(self):
        page = self.page
        self.intent(kind="set_steady_tempo", bpm=192)
        sha, other = self.shelved("drums_103"), self.shelved("keys_88")
        self.intent(kind="place", hand=other, beat=0, passes=8)
        grown = []
        for what in ("down", "reverse"):
            self.intent(kind="quick_one", of=sha, what=what)
            grown.append(self.members(sha)[-1]["id"])
        self.intent(kind="take_up", of=grown[0])
        quiet = self.state()["strands"][-1]["id"]
        self.intent(kind="set_strand_level", hand=quiet, gain_db=-20)
        self.open(f"offshoots/{sha}")
        self.wait(lambda: page.evaluate(f"() => {VIEW}.familyTree().places.length") == 3)
        for one in grown:
            page.evaluate(f"(id) => {VIEW}.hear(id)", one)
            self.wait(lambda: abs(self.engine("e.hand.gains.fitted") - 1) > 0.001)
            self.wait(lambda: not self.engine("e.hand.isWaiting"))
            page.wait_for_timeout(300)
            self.assertAlmostEqual(loudness(heard(page, ROUND), RATE), -18.0, delta=1.0)
        # One after another: each for a round, without anybody's doing.
        page.evaluate(f"() => {VIEW}.toggleTurn()")
        first = page.evaluate(f"() => {VIEW}.heard")
        self.wait(lambda: page.evaluate(f"() => {VIEW}.heard") != first, 2 * ROUND / RATE + 3)
        page.evaluate(f"() => {VIEW}.toggleTurn()")
        # With the rest the song plays, and it in it.
        page.get_by_role("button", name="with the rest").click()
        self.wait(lambda: self.engine("e.song.isPlaying && e.song.withHand"))
        page.keyboard.press("Escape")
        # What fits what plays, in words.
        page.get_by_role("button", name="what fits").click()
        self.wait(lambda: page.evaluate(f"() => {VIEW}.orderBy") == "fit")
        page.evaluate(f"(id) => {VIEW}.choose(id)", grown[1])
        self.wait(lambda: "Fits by" in page.evaluate(f"() => {VIEW}.fitText"))

    def members(self, sha):
        return self.server.get(f"/api/projects/{self.project}/family/{sha}")["members"]
