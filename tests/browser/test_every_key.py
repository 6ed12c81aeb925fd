"""Every action by keyboard alone: each key of each view is pressed, and does what it says."""

from tests.browser.harness import BrowserTest

BOUND = """async (title) => {
  const {boundKeys} = await zeroKnot.module("ui/keys.js");
  const {chordsOf} = await zeroKnot.module("ui/chords.js");
  return boundKeys().filter((layer) => layer.title === title)
    .flatMap((layer) => layer.bindings.flatMap((b) => chordsOf(b.key)));
}"""


SHOWN = "() => (zeroKnot.session.saving ? -1 : zeroKnot.session.state.moves)"


class EveryKeyTest(BrowserTest):
    def setUp(self):
        super().setUp()
        self.sha = self.shelved("drums_103")
        self.tried: set[str] = set()

    def press(self, chord, until=None, times=1, on=None):
        """Press a chord as the page names it, on what is given, and wait for what it does.

        A key means what the page shows: that is what is kept before it is pressed.
        """
        self.wait(lambda: self.page.evaluate(SHOWN) == self.state()["moves"])
        if on:
            on.focus()
        self.tried.add(chord)
        *held, key = chord.replace("Ctrl", "Control").split("+") if chord != "+" else ["+"]
        if len(key) == 1 and key.isalpha():
            key = key.lower()
        for _ in range(times):
            self.page.keyboard.press("+".join([*held, key]))
        if until:
            self.wait(until)

    def assert_all_tried(self, title):
        bound = set(self.page.evaluate(BOUND, title))
        self.assertGreater(len(bound), 5)
        self.assertEqual(bound - self.tried, set())

    def stage(self, expression):
        return self.page.evaluate(f"() => {{ const s = zeroKnot.app.stage; return {expression}; }}")

    def is_pressed(self, name):
        button = self.page.get_by_role("button", name=name, exact=True)
        return button.get_attribute("aria-pressed") == "true"

    def hears(self):
        return self.engine("!!e && (e.hand.isPlaying || e.song.isPlaying)")

    def test_fit_by_keys_alone(self):
        self.intent(kind="place", hand=self.sha, beat=0)
        self.intent(kind="state_reading", hand=self.sha, bars=2)
        self.open(f"fit/{self.state()['strands'][0]['id']}")
        self.page.locator(".working").wait_for(state="hidden")
        self.page.locator("#loom").focus()
        self.looked_at()
        self.heard()
        self.tied()
        self.marked()
        self.press("P", lambda: self.state()["undo"].startswith("place"))
        self.press("G", lambda: len(self.stage("s.host.hand().knots")) > 4)
        self.assert_all_tried("Fit")

    def looked_at(self):
        def width():
            return self.stage("s.port.view.recorded.to - s.port.view.recorded.from")

        whole = width()
        self.press("+", lambda: width() < 0.7 * whole)
        self.press("-", lambda: width() > 0.99 * whole)
        self.press("=", lambda: width() < 0.7 * whole, times=3)
        for chord, other in (
            ("ArrowRight", "ArrowLeft"), ("Shift+ArrowRight", "Shift+ArrowLeft"),
        ):  # fmt: skip
            at = self.stage("s.port.view.recorded.from")
            self.press(chord, lambda at=at: self.stage("s.port.view.recorded.from") > at)
            at = self.stage("s.port.view.recorded.from")
            self.press(other, lambda at=at: self.stage("s.port.view.recorded.from") < at)
        self.press("W", lambda: width() > 0.99 * whole)
        for chord, name in (("L", "rails together"), ("Y", "follow")):
            for is_on in (False, True):
                self.press(chord, lambda n=name, on=is_on: self.is_pressed(n) == on)

    def heard(self):
        self.press("Enter", self.hears)
        self.press("R", lambda: self.is_pressed("As recorded"))
        self.press("R", lambda: self.is_pressed("As fitted"))
        compared = self.page.get_by_label("Compare with another method")
        compared.focus()
        self.page.keyboard.press("ArrowDown")
        self.wait(lambda: self.engine("e.hand.way") == "against")
        self.page.locator("#loom").focus()
        self.press("M", lambda: self.engine("e.hand.way") == "fitted")
        self.press("S", lambda: self.is_pressed("Hear the seam"))
        self.press("S", lambda: not self.is_pressed("Hear the seam"))
        self.press("A", lambda: self.is_pressed("with the rest"))
        self.press("A", lambda: not self.is_pressed("with the rest"))
        self.press("Enter", self.hears)
        for _ in range(5):
            self.press("T")
            self.page.wait_for_timeout(450)
        self.wait(lambda: "Tapped" in self.page.locator(".tapped").inner_text())
        for count in (4, 3, 1, 5, 6, 7, 8, 9, 2):
            self.press(str(count), lambda n=count: self.bars() == n)

    def bars(self):
        return int(self.page.locator("#bars").input_value() or 0)

    def tied(self):
        """While it sounds a knot is tied at the playhead; chosen, it is moved and removed."""
        self.wait(lambda: self.stage("s.host.playhead()") is not None)
        self.wait(lambda: 1 < self.stage("s.host.playhead()") < 3)
        self.press("K", lambda: len(self.stage("s.host.hand().knots")) == 3)
        self.wait(lambda: len(self.stage("[...s.chosen]")) == 1)

        def beat():
            return self.stage("s.host.hand().knots[1][1]")

        for chord in (
            "Alt+ArrowRight", "Alt+ArrowLeft", "Alt+Shift+ArrowRight", "Alt+Shift+ArrowLeft",
        ):  # fmt: skip
            was, sign = beat(), 1 if chord.endswith("Right") else -1
            step = 0.1 if "Shift" in chord else 0.01
            self.press(chord, lambda w=was, d=sign * step: abs(beat() - w - d) < 1e-6)
        self.press("]", lambda: self.stage("[...s.chosen]")[0] > 4)
        self.press("[", lambda: 1 < self.stage("[...s.chosen]")[0] < 4)
        self.press("Delete", lambda: len(self.stage("s.host.hand().knots")) == 2)
        self.press("K", lambda: len(self.stage("s.host.hand().knots")) == 3)
        self.wait(lambda: len(self.stage("[...s.chosen]")) == 1)
        self.press("Backspace", lambda: len(self.stage("s.host.hand().knots")) == 2)

    def marked(self):
        self.wait(lambda: 0.5 < (self.stage("s.host.playhead()") or 0) < 1.5)
        self.press(",", lambda: self.stage("s.range") is not None)
        first = self.stage("s.range[0]")
        self.wait(lambda: (self.stage("s.host.playhead()") or 0) > first + 1)
        self.press(".", lambda: self.stage("s.range[1]") < 4.5)
        self.press("E", lambda: self.stage("s.port.view.recorded.from") > 0.2)
        before = self.stage("s.range")
        self.press("X", lambda: self.stage("s.range") != before)
        for count in (1, 0):
            self.press("F", lambda n=count: len(self.stage("s.host.hand().fastened")) == n)
        self.press("Escape", lambda: self.stage("s.range") is None)
        self.press("Escape", lambda: not self.hears())

    def test_the_shelf_by_keys_alone(self):
        for name in ("keys_88", "bass_97"):
            self.shelved(name)
        self.open("shelf")
        self.wait(lambda: self.chosen())
        order = [row["sha"] for row in self.server.rows()]
        self.press("/", lambda: self.page.evaluate("() => document.activeElement.id") == "search")
        self.page.keyboard.press("Escape")
        self.press("PageUp", lambda: self.chosen() == order[0])
        self.press("ArrowDown", lambda: self.chosen() == order[1])
        self.press("ArrowUp", lambda: self.chosen() == order[0])
        self.press("PageDown", lambda: self.chosen() == order[-1])
        self.press("Shift+ArrowUp", lambda: self.picked() == 2)
        self.press("Escape", lambda: self.picked() == 1)
        self.press("PageUp", lambda: self.chosen() == order[0])
        self.press("Shift+ArrowDown", lambda: self.picked() == 2)
        self.press("Ctrl+A", lambda: self.picked() == len(order))
        self.press("Escape", lambda: self.picked() == 1)
        self.press("Enter", self.hears)
        self.press("Shift+Enter", lambda: self.engine("e.song.isPlaying && !!e.song.withHand"))
        self.press("Escape", lambda: not self.engine("e.song.withHand"))
        chosen = self.chosen()
        self.press("H", lambda: self.row(chosen)["favourite"])
        by_what = self.page.get_by_role("group", name="Like it by what")
        self.press("S", lambda: by_what.is_visible())
        self.page.keyboard.press("s")
        self.wait(lambda: not by_what.is_visible())
        fits = self.page.get_by_text("What fits at bar 1")
        self.press("Shift+S", lambda: fits.is_visible())
        self.page.keyboard.press("Shift+S")
        self.wait(lambda: not fits.is_visible())
        self.press("L", lambda: "/offshoots/" in self.page.url)
        self.page.go_back()
        self.wait(lambda: self.page.url.endswith("/shelf"))
        self.wait(lambda: self.page.evaluate(BOUND, "Shelf"))
        self.wait(lambda: self.chosen() is not None)
        self.press("I", lambda: self.page.get_by_label("Set", exact=True).is_visible())
        self.page.keyboard.press("Escape")
        self.press("P", lambda: len(self.state()["clips"]) == 1)
        for key in ("Delete", "Backspace"):  # what a small keyboard has
            self.press(key, lambda: len(self.server.rows()) == len(order) - 1)
            self.page.keyboard.press("Control+z")
            self.wait(lambda: len(self.server.rows()) == len(order))
        self.press("F", lambda: "/fit/" in self.page.url)
        self.page.go_back()
        self.wait(lambda: self.page.url.endswith("/shelf"))
        self.wait(lambda: self.page.evaluate(BOUND, "Shelf"))
        self.assert_all_tried("Shelf")

    def chosen(self):
        row = self.page.locator("li[aria-current=true]")
        return row.first.get_attribute("id").removeprefix("row-") if row.count() else None

    def picked(self):
        """The chosen loop is among them."""
        return self.page.locator("#rows li.chosen").count()

    def row(self, sha):
        return next(r for r in self.server.rows() if r["sha"] == sha)

    def test_arrange_by_keys_alone(self):
        self.shelved("bass_97")  # that is tried in a clip's place
        self.intent(kind="place", hand=self.sha, beat=0, passes=8)
        self.intent(kind="place", hand=self.sha, beat=0)
        self.open("arrange")
        self.wait(lambda: self.page.locator(".clip").count() == 2)
        first = self.state()["tracks"][1]["id"]
        own = next(c["id"] for c in self.state()["clips"] if c["track"] == first)
        clip = self.page.locator(f"[data-clip='{own}']")

        def told(name):
            return next((c[name] for c in self.state()["clips"] if c["id"] == own), None)

        def step(chord, until):
            self.press(chord, until, on=clip)

        for later, earlier, by in (
            ("ArrowRight", "ArrowLeft", 1), ("Shift+ArrowRight", "Shift+ArrowLeft", 10),
            ("Alt+ArrowRight", "Alt+ArrowLeft", 1 / 16),
            ("Alt+Shift+ArrowRight", "Alt+Shift+ArrowLeft", 10 / 16),
        ):  # fmt: skip
            step(later, lambda b=by: told("beat") == b)
            step(earlier, lambda: told("beat") == 0)
        step("ArrowRight", lambda: told("beat") == 1)
        step("}", lambda: told("beats") == 7)
        step("{", lambda: told("beats") == 8)
        step("[", lambda: told("beats") == 7)
        step("]", lambda: told("beats") == 8)
        step("ArrowLeft", lambda: told("beat") == 0)
        step("R", lambda: told("beats") == 16)
        step("Shift+R", lambda: told("beats") == 8)
        step("M", lambda: told("muted"))
        loop = self.state()["clips"][0]["strand"]
        step("Y", lambda: told("strand") != loop)
        step("Shift+Y", lambda: self.page.locator("#try-said").is_visible())
        self.press("Enter", lambda: not self.page.locator("#try-said").is_visible())
        for _ in range(2):
            self.page.keyboard.press("Control+z")
        step("Shift+M", lambda: all(t["muted"] for t in self.state()["tracks"]))
        self.page.keyboard.press("Control+z")
        self.wait(lambda: not any(t["muted"] for t in self.state()["tracks"]))
        step("D", lambda: len(self.state()["clips"]) == 3)
        self.wait(lambda: clip.get_attribute("aria-pressed") == "false")
        self.page.keyboard.press("Backspace")  # the copy is the chosen one
        self.tried.add("Backspace")
        self.wait(lambda: len(self.state()["clips"]) == 2)
        step("S", lambda: len(self.state()["strands"]) == 2)
        step("Shift+N", lambda: told("beats") == 64)
        self.page.keyboard.press("Control+z")
        self.wait(lambda: told("beats") == 8)
        step("D", lambda: len(self.state()["clips"]) == 3)
        self.wait(lambda: clip.get_attribute("aria-pressed") == "false")
        for _ in range(2):  # the copy, further on
            self.press("Shift+ArrowRight")
        self.wait(lambda: max(c["beat"] for c in self.state()["clips"]) == 28)
        step("N", lambda: told("beats") == 24)
        wide = self.width()
        for chord, is_wider in (("+", True), ("-", False), ("=", True)):
            step(chord, lambda w=is_wider: (self.width() > 1.1 * wide) == w)
        before = self.state()["clips"]
        self.page.evaluate("() => window.zeroKnot.session.engine().song.go(3)")
        self.wait(lambda: self.page.evaluate("() => window.zeroKnot.session.beat()") == 3)
        step("X", lambda: told("beats") == 3)
        pressed = self.page.locator(".clip[aria-pressed=true]")
        step("A", lambda: pressed.count() == 2)
        self.press("J", lambda: self.engine("s.state.clips.length") == len(before))
        self.press("Ctrl+A", lambda: pressed.count() == len(before))
        self.page.keyboard.press("Control+z")
        self.page.keyboard.press("Control+z")
        self.wait(lambda: told("beats") == 24)
        step("Shift+X", lambda: told("beats") == 1)
        self.page.keyboard.press("Control+z")
        self.wait(lambda: told("beats") == 24)
        self.page.evaluate("""async () => {
          const {setCycle} = await zeroKnot.module("cycle.js");
          setCycle(zeroKnot.session, {from: 4, to: 8, on: false});
        }""")
        step("Alt+X", lambda: told("beats") == 4)
        self.page.keyboard.press("Control+z")
        self.wait(lambda: told("beats") == 24)
        per_beat = self.page.evaluate("() => zeroKnot.app.lanePerBeat()")
        # The page shows it whole again, too, before a key means a place in it.
        self.wait(lambda: clip.bounding_box()["width"] > 21 * per_beat)
        box = clip.bounding_box()
        # Its beginning may be scrolled under the heads of the tracks.
        self.page.mouse.move(box["x"] + 20.2 * per_beat, box["y"] + 30)
        self.press("Z", lambda: told("beats") == 20)
        self.page.keyboard.press("Control+z")
        self.wait(lambda: told("beats") == 24)
        self.page.mouse.move(5, 5)
        step("Escape", lambda: pressed.count() == 0)
        clip.click()
        self.press("K", lambda: told("beats") == 2 or told("beats") is None)
        self.page.keyboard.press("Control+z")
        self.wait(lambda: told("beats") == 24)
        step(">", lambda: told("slip") == 7)
        step("<", lambda: told("slip") == 0)
        for _ in range(2):
            self.page.keyboard.press("Control+z")
        self.wait(lambda: self.state()["clips"] == before)
        step("L", lambda: told("reverse"))
        step("L", lambda: not told("reverse"))
        step("F", lambda: self.page.locator(".notice").filter(has_text="meet").count() > 0)
        step("I", lambda: self.is_pressed("Gain line I"))
        step("I", lambda: not self.is_pressed("Gain line I"))
        self.page.keyboard.press("Control+a")
        self.press("H", lambda: told("phrase") is not None)
        step("Shift+H", lambda: told("phrase") is None)
        self.page.keyboard.press("Control+z")
        self.wait(lambda: self.engine("s.state.phrases.length") == 1)
        for _ in range(3):
            self.page.keyboard.press("Control+z")
        self.wait(lambda: self.state()["clips"] == before)
        step("Shift+J", lambda: self.engine("s.state.undo").startswith("make one"))
        self.page.keyboard.press("Control+z")
        self.wait(lambda: self.state()["clips"] == before)
        step("Ctrl+X", lambda: told("beat") is None)
        self.page.keyboard.press("Control+z")
        self.wait(lambda: self.state()["clips"] == before)
        step("Ctrl+C", lambda: self.page.locator(".notice").filter(has_text="copied").count() > 0)
        count = len(self.state()["clips"])
        self.press("Ctrl+V", lambda: self.state()["clips"] != before)
        self.page.keyboard.press("Control+z")
        self.wait(lambda: self.state()["clips"] == before)
        self.assertEqual(count, len(before))
        rows = len(self.server.rows())
        step("B", lambda: len(self.server.rows()) == rows + 1)
        step("U", lambda: self.page.locator(".notice").filter(has_text="no stretch").count() > 0)
        self.troubles[:] = [t for t in self.troubles if "422" not in t]
        step("E", lambda: self.page.locator("#eq").is_visible())
        step("E", lambda: not self.page.locator("#eq").is_visible())
        step("Shift+B", lambda: "LUFS" in self.page.locator("#mix-said").inner_text())
        step("Escape", lambda: clip.get_attribute("aria-pressed") == "false")
        self.page.locator("#strip").focus()  # let go, it is chosen again by going there again
        step("ArrowUp", lambda: told("track") != first)
        step("ArrowDown", lambda: told("track") == first)
        self.press("G", lambda: self.engine("document.activeElement?.closest('#coil') !== null"))
        self.page.locator("#strip").focus()
        step("ArrowUp", lambda: told("track") != first)
        step("ArrowDown", lambda: told("track") == first)
        order = lambda: [t["id"] for t in self.engine("s.state.tracks")]  # noqa: E731
        place = order().index(told("track"))
        by = ("Shift+ArrowDown", 1) if place == 0 else ("Shift+ArrowUp", -1)
        back = "Shift+ArrowUp" if place == 0 else "Shift+ArrowDown"
        step(by[0], lambda: order().index(told("track")) == place + by[1])
        step(back, lambda: order().index(told("track")) == place)
        folded = lambda: self.page.locator(".lane.folded").count()  # noqa: E731
        step("Q", lambda: folded() == 1)
        step("Q", lambda: folded() == 0)
        step("W", lambda: self.is_pressed("write"))
        step("W", lambda: not self.is_pressed("write"))
        bound = set(self.page.evaluate(BOUND, "Arrange")) | set(self.page.evaluate(BOUND, "Sound"))
        step("Delete", lambda: told("beat") is None)
        self.page.locator(".clip").first.focus()
        self.press("Enter", lambda: "/fit/" in self.page.url)
        self.assertEqual(bound - self.tried, set())

    def width(self):
        return self.page.evaluate("() => document.querySelector('.clip').offsetWidth")

    def test_the_transport_by_keys_alone(self):
        self.intent(kind="place", hand=self.sha, beat=0)
        self.open("arrange")
        self.page.locator("#strip").focus()
        self.press("Space", lambda: self.engine("!!e && e.song.isPlaying"))
        self.wait(lambda: self.beat() > 1)
        self.press("Home", lambda: self.beat() < 1)
        self.press("Space", lambda: not self.engine("e.song.isPlaying"))
        for chord, title in (
            ("O", "Cycle (O)"), ("C", "Click (C)"), ("Shift+O", "At the song"),
        ):  # fmt: skip
            button = self.page.locator(f".top button[title^='{title}']")
            was = button.get_attribute("aria-pressed")
            self.press(chord, lambda b=button, w=was: b.get_attribute("aria-pressed") != w)
        for _ in range(5):
            self.press("T")
            self.page.wait_for_timeout(400)
        self.wait(lambda: self.state()["bpm"] != 120)
        revision = self.state()["revision"]
        for chord, moved in (
            ("Ctrl+Z", revision - 1), ("Ctrl+Shift+Z", revision), ("Ctrl+Z", revision - 1),
            ("Ctrl+Y", revision),
        ):  # fmt: skip
            self.press(chord, lambda m=moved: self.state()["revision"] == m)
        self.assert_all_tried("Everywhere")

    def test_offshoots_by_keys_alone(self):
        # One of its own: what the song of another test is printed from has another family.
        sha = self.shelved("keys_88")
        self.open(f"offshoots/{sha}")
        page = self.page
        view = "zeroKnot.app.offshoots"

        def of(name):
            return page.evaluate(f"() => {view}.{name}")

        def members(kind="grown"):
            path = f"/api/projects/{self.project}/family/{sha}"
            return [m for m in self.server.get(path)["members"] if m["kind"] == kind]

        self.wait(lambda: of("oneName") == "keys_88")
        page.locator("#family").focus()
        self.press("G", lambda: len(members()) == 8)
        self.wait(lambda: of("isGrown"))
        quick = ("backwards", "half speed", "double speed", "down four", "a held moment",
                 "chopped and dealt")  # fmt: skip
        for key, said in zip("123456", quick, strict=True):
            self.press("ArrowLeft", lambda: of("oneName") == "keys_88")
            count = len(members())
            self.press(key, lambda: len(members()) == count + 1)  # noqa: B023
            self.wait(lambda: of("oneSaid") == said)  # noqa: B023
        self.press("ArrowLeft", lambda: of("isSource"))
        self.press("ArrowRight", lambda: of("isGrown"))
        first = of("oneName")
        self.press("ArrowDown", lambda: of("oneName") != first)
        self.press("ArrowUp", lambda: of("oneName") == first)
        self.press("Escape", lambda: not of("hearing"))
        self.press("Enter", lambda: self.engine("e.hand.isPlaying"))
        self.press("I", lambda: of("heard") == sha)
        self.press("M", lambda: of("markedName") == first)
        self.press("X", lambda: of("heard") != sha)
        self.press("A", lambda: of("withRest"))
        self.press("A", lambda: not of("withRest"))
        self.press("L", lambda: of("inTurn"))
        self.press("L", lambda: not of("inTurn"))
        self.press("Escape", lambda: not of("hearing"))
        self.press("S", lambda: of("likeText") or of("likes.length"))
        self.press("H", lambda: any(m["favourite"] for m in members()))
        self.press("N", lambda: page.evaluate("() => document.activeElement.id") == "one-name")
        page.keyboard.press("Escape")
        page.locator("#family").focus()
        zoom = of("familyLook().zoom")
        self.press("+", lambda: of("familyLook().zoom") > 1.2 * zoom)
        self.press("-", lambda: of("familyLook().zoom") < 1.1 * zoom)
        self.press("=", lambda: of("familyLook().zoom") > 1.2 * zoom)
        self.press("W", lambda: of("familyLook().zoom") < 1.2 * zoom)
        self.press("P", lambda: len(self.state()["clips"]) == 1)
        self.press("K", lambda: len(members("print")) == 1)
        self.wait(lambda: of("isLoop"))
        self.press("ArrowLeft", lambda: of("isSource"))
        self.press("ArrowRight")
        self.press("ArrowDown", lambda: of("isGrown"))
        left = len(members())
        self.press("Delete", lambda: len(members()) == left - 1)
        self.wait(lambda: of("isSource"))
        page.keyboard.press("Control+z")
        self.wait(lambda: len(members()) == left)
        self.press("ArrowRight")
        self.press("ArrowDown", lambda: of("isGrown"))
        self.press("Backspace", lambda: len(members()) == left - 1)
        self.wait(lambda: of("isSource"))
        self.press("F", lambda: of("familyTree().places.length") == 1)
        self.press("F", lambda: of("familyTree().places.length") > 10)
        self.press("ArrowRight", lambda: not of("isSource"))
        strands = len(self.state()["strands"])
        self.tried.add("E")
        bound = set(page.evaluate(BOUND, "Offshoots"))
        page.keyboard.press("e")
        self.wait(lambda: len(self.state()["strands"]) == strands + 1)
        page.locator("#cut-said").wait_for()
        self.assertEqual(bound - self.tried, set())

    def test_slices_by_keys_alone(self):
        self.intent(kind="cut_up", hand=self.sha, by="equal", count=8)
        self.hand = self.state()["strands"][0]["id"]
        self.open(f"slices/{self.hand}")
        page = self.page
        page.locator("#slices").focus()
        page.get_by_text("press G, and the letters play").wait_for()
        seen = "zeroKnot.app.slices.scene({width: 800, height: 400}).sight"

        def width():
            return page.evaluate(f"() => {seen}.to - {seen}.from")

        self.press("+", lambda: width() < 6)
        self.press("-", lambda: width() > 7.9)
        self.press("=", lambda: width() < 6)
        self.press("W", lambda: width() > 7.9)
        self.sliced()
        self.tiled()
        self.dealt_and_heard()
        self.assert_all_tried("Slices")

    def slices(self):
        return self.server.get(f"/api/projects/{self.project}/hand/{self.hand}/slices")

    def tile(self, index=0):
        return self.slices()["order"]["tiles"][index]

    def chosen_slices(self):
        return self.page.evaluate("() => [...zeroKnot.app.slices.scene({height: 400}).chosen]")

    def sliced(self):
        """Slices are chosen, halved, joined, their cuts moved."""
        self.press(".", lambda: self.chosen_slices() == [0])
        self.press(".", lambda: self.chosen_slices() == [1])
        self.press(",", lambda: self.chosen_slices() == [0])
        self.press(".")
        at = self.slices()["edges"][1]
        self.press("ArrowRight", lambda: 0 < self.slices()["edges"][1] - at < 0.0015)
        self.press("Shift+ArrowRight", lambda: self.slices()["edges"][1] - at > 0.0105)
        self.press("Shift+ArrowLeft", lambda: self.slices()["edges"][1] - at < 0.0015)
        self.press("ArrowLeft", lambda: abs(self.slices()["edges"][1] - at) < 1e-6)
        self.press("B", lambda: self.slices()["pieces"][1]["reverse"])
        self.press("M", lambda: self.slices()["pieces"][1]["muted"])
        self.press("M", lambda: not self.slices()["pieces"][1]["muted"])
        self.press("H", lambda: len(self.slices()["pieces"]) == 9)
        self.wait(lambda: "9 slices" in self.page.locator("#cut-said").inner_text())
        self.press(".")
        self.press(".")
        self.press("J", lambda: len(self.slices()["pieces"]) == 8)
        self.wait(lambda: "8 slices" in self.page.locator("#cut-said").inner_text())
        self.press(".")
        self.press(".")
        self.press("Delete", lambda: len(self.slices()["pieces"]) == 7)
        self.wait(lambda: "7 slices" in self.page.locator("#cut-said").inner_text())
        self.press("Backspace")  # nothing is chosen any more

    def tiled(self):
        """Tiles are chosen, moved, made louder and higher, turned, rolled, repeated, swapped."""
        self.press("Escape", lambda: self.chosen_slices() == [])
        self.press("]")
        self.press("]")
        self.press("[")
        self.press("ArrowUp", lambda: self.tile()["gain_db"] == 1)
        self.press("ArrowDown", lambda: self.tile()["gain_db"] == 0)
        self.press("Shift+ArrowUp", lambda: self.tile()["semitones"] == 1)
        self.press("Shift+ArrowDown", lambda: self.tile()["semitones"] == 0)
        self.press("E", lambda: self.tile()["hits"] == 2)
        self.press("Shift+E", lambda: self.tile()["rise_db"] == 9)
        self.press("U", lambda: len(self.slices()["order"]["tiles"]) == 8)
        self.press("]")
        self.press("N", lambda: self.slices()["order"]["is_own"])
        self.press("L", lambda: "stay" in self.page.locator(".side").inner_text())
        self.press("Shift+U")
        self.wait(lambda: self.page.evaluate(SHOWN) == self.state()["moves"])
        self.page.locator("#slices").focus()
        tiles = [t["piece"] for t in self.slices()["order"]["tiles"]]
        other = next(i for i, piece in enumerate(tiles) if piece != tiles[0])

        def is_swapped():
            if self.tile(0)["piece"] == tiles[other]:
                return True
            # An answer still on its way may have taken the choice away: then nothing was swapped.
            if not self.page.evaluate("() => zeroKnot.app.slices.canSwap"):
                self.page.evaluate("(i) => zeroKnot.app.slices.pickAll([0, i])", other)
                self.page.keyboard.press("x")
            return False

        self.press("X", is_swapped)
        self.assertEqual(self.tile(other)["piece"], tiles[0])
        # The page shows the swap, too: what it chooses of itself comes before what is chosen here.
        shown = "() => zeroKnot.session.saving || zeroKnot.session.state.revision"
        self.wait(lambda: self.page.evaluate(shown) == self.state()["revision"])
        self.page.wait_for_timeout(700)
        self.page.evaluate("(i) => zeroKnot.app.slices.pickAll([0, i])", other)
        self.press("Y", lambda: self.tile(0)["also"] == [tiles[0]])
        self.page.keyboard.press("Control+z")
        self.wait(lambda: self.tile(0)["also"] == [])
        for chord in ("Q", "<", ">"):  # of the notes of a MIDI loop: test_kits presses them there
            self.press(chord)

    def dealt_and_heard(self):
        """Dealt, heard, cut where it sounds, played on the pads, recorded, caught, placed."""
        self.press("D", lambda: len(self.slices()["dealt"]) == 1)
        self.press("Shift+D", lambda: len(self.slices()["dealt"]) == 2)
        self.press("Enter", self.hears)
        self.press("R", lambda: self.is_pressed("As recorded"))
        self.press("R", lambda: self.is_pressed("In its order"))
        self.wait(lambda: self.engine("zeroKnot.app.slices.secondHeard()") is not None)
        count, edges = len(self.slices()["pieces"]), self.slices()["edges"]

        def is_amid():  # a piece would not be too short, whenever within a tenth it is pressed
            heard = self.engine("zeroKnot.app.slices.secondHeard()") or edges[0]
            return all(not -0.15 < heard - edge < 0.02 for edge in edges)

        self.wait(is_amid)
        self.press("K", lambda: len(self.slices()["pieces"]) == count + 1)
        self.press("S", lambda: self.is_pressed("Hear the seam"))
        self.press("S", lambda: not self.is_pressed("Hear the seam"))
        self.press("A", lambda: self.is_pressed("with the rest"))
        self.press("A", lambda: not self.is_pressed("with the rest"))
        self.press("Shift+R", lambda: self.page.locator(".record").inner_text() == "Stop")
        self.page.locator("#slices").focus()
        self.press("Shift+R", lambda: self.page.locator(".record").inner_text() == "Record")
        self.press("G", lambda: self.engine("document.activeElement?.id === 'pads'"))
        self.page.keyboard.press("a")
        self.page.wait_for_timeout(200)
        self.page.keyboard.press("Escape")
        self.press("Shift+C", lambda: self.slices()["rounds"])
        self.press("P", lambda: self.state()["undo"].startswith("place"))
