"""The whole round: cut, dealt, grown, heard, kept, taken up again, compared, back to the first."""

from playwright.sync_api import expect

from tests.browser.harness import BrowserTest

VIEW = "zeroKnot.app.offshoots"
HEARD_MS = 250  # issue 16: each is heard so soon after it is asked for
UNDER_LOAD = 3


class OffshootsTest(BrowserTest):
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
        self.wait(lambda: len(self.grown()) == 3)
        kept = next(m for m in self.members() if m["parents"] == [printed] and m["kind"] == "print")
        self.wait(lambda: page.evaluate(f"() => {VIEW}.oneName") == kept["name"])
        page.keyboard.press("4")
        self.wait(lambda: page.evaluate(f"() => {VIEW}.oneSaid") == "down four")
        page.keyboard.press("k")

        def lower_one():
            known = (m for m in self.members() if m["parents"] == [kept["id"]])
            return next((m for m in known if m["kind"] == "print"), None)

        lower = self.wait(lower_one)
        self.wait(lambda: page.evaluate(f"() => {VIEW}.isLoop && {VIEW}.oneSaid") == "down four")
        # Back to the first, and what is other.
        page.keyboard.press("m")
        for _ in range(3):
            page.keyboard.press("ArrowLeft")
        self.wait(lambda: self.focused() == "drums_103")
        expect(page.locator(".unlike")).to_contain_text("Key: none, instead of -4 st")
        page.keyboard.press("x")
        self.wait(lambda: page.evaluate(f"() => {VIEW}.heard") == lower["id"])
        page.keyboard.press("o")
        self.wait(lambda: page.evaluate(f"() => {VIEW}.heard") == self.sha)
        # Taken up: a strand of its own, open in Slices, with its order.
        for _ in range(2):
            page.keyboard.press("ArrowRight")
        page.keyboard.press("e")
        expect(page.locator("#cut-said")).to_have_text("16 slices")
        self.assertEqual(len(self.state()["strands"]), 2)
        page.keyboard.press("Control+z")
        self.wait(lambda: len(self.state()["strands"]) == 1)

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
