"""Arrange: fades and gain lines by pointer and keys, crossfades, backwards, phrases, sections, many
made one, pasting in another project, two that are never together."""

from playwright.sync_api import expect

from tests.browser.harness import BrowserTest


class ShapesTest(BrowserTest):
    may_run_scripts = True

    def setUp(self):
        super().setUp()
        self.sha = self.shelved("keys_88")
        self.intent(kind="set_steady_tempo", bpm=100)
        self.intent(kind="place", hand=self.sha, beat=0, passes=2)
        self.open("arrange")
        self.page.locator(".clip").first.focus()

    def clip(self, i=0):
        """As the page has it, by place."""
        return self.engine(f"[...s.state.clips].sort((a, b) => a.beat - b.beat)[{i}]")

    def per_beat(self):
        return self.page.evaluate("() => zeroKnot.app.lanePerBeat()")

    def point(self, beat, y, i=0):
        """On the page: a beat of a clip, so many pixels below its top."""
        box = self.page.locator(f"[data-clip='{self.clip(i)['id']}']").bounding_box()
        return box["x"] + beat * self.per_beat(), box["y"] + y

    def drag(self, a, b, up=True):
        self.page.mouse.move(*a)
        self.page.mouse.down()
        self.page.mouse.move(*b, steps=6)
        if up:
            self.page.mouse.up()

    def playhead(self, beat):
        self.page.evaluate(f"() => zeroKnot.session.engine().song.go({beat})")
        self.wait(lambda: self.page.evaluate("() => zeroKnot.session.beat()") == beat)

    def halves(self):
        """Two clips that meet at beat 8."""
        self.playhead(8)
        self.page.keyboard.press("x")
        self.wait(lambda: self.engine("s.state.clips.length") == 2)

    def test_fades_are_dragged_at_the_upper_corners_and_follow_a_sine(self):
        page = self.page
        x, y = self.point(0, 4)
        self.drag((x + 4, y), (x + 4 + 2 * self.per_beat(), y))
        self.wait(lambda: abs(self.clip()["fade_in_ms"] - 1200) < 30)
        self.assertEqual((self.clip()["beat"], self.clip()["beats"]), (0, 16))
        end = self.point(16, 4)
        self.drag((end[0] - 6, end[1]), (end[0] - 6 - self.per_beat(), end[1]), up=False)
        page.keyboard.press("Escape")
        page.mouse.up()
        page.wait_for_timeout(150)
        self.assertEqual(self.clip()["fade_out_ms"], 3)
        page.get_by_label("Fade in along a sine").click()
        self.wait(lambda: self.clip()["fade_in_curve"] == "power")
        shape = lambda: self.engine("s.sheet.events[0].shape ?? []")  # noqa: E731
        self.wait(lambda: len(shape()) > 20)
        page.keyboard.press("Control+z")
        self.wait(lambda: self.clip()["fade_in_curve"] == "gain")

    def test_a_gain_line_by_pointer_and_by_the_playhead(self):
        page = self.page
        page.keyboard.press("i")
        expect(page.get_by_role("button", name="Gain line")).to_have_attribute(
            "aria-pressed", "true"
        )
        page.mouse.dblclick(*self.point(4, 40))
        self.wait(lambda: len(self.clip()["gain_line"]) == 1)
        line = self.clip()["gain_line"]
        self.assertAlmostEqual(line[0]["beat"], 4, delta=0.1)
        self.drag(self.point(4, 40), self.point(6, 20))
        self.wait(lambda: abs(self.clip()["gain_line"][0]["beat"] - 6) < 0.1)
        self.assertGreater(self.clip()["gain_line"][0]["value"], line[0]["value"])
        self.playhead(10)
        here = page.get_by_label("Gain line at the playhead, dB")
        here.fill("-9")
        here.press("Enter")
        self.wait(lambda: [p["value"] for p in self.clip()["gain_line"]][1:] == [-9])
        here.fill("loud")
        here.press("Enter")
        page.locator(".notice").filter(has_text="−60 to 12").first.wait_for()
        page.get_by_label("Clear the gain line").click()
        self.wait(lambda: self.clip()["gain_line"] == [])
        page.locator(".clip").first.focus()
        page.keyboard.press("i")
        page.mouse.dblclick(*self.point(4, 40))  # again what it always was
        self.wait(lambda: "/fit/" in page.url)

    def test_two_that_meet_cross_and_one_runs_backwards(self):
        page = self.page
        self.halves()
        page.locator(f"[data-clip='{self.clip(1)['id']}']").click(modifiers=["Alt"])
        page.keyboard.press("l")
        self.wait(lambda: self.clip(1)["reverse"])
        page.keyboard.press("f")
        self.wait(lambda: self.clip(1)["cross_ms"] == 60)
        half = round(0.03 * 44_100)
        begins = lambda: min(  # noqa: E731
            e["at"] for e in self.engine("s.sheet.events") if e["id"].startswith(self.clip(1)["id"])
        )
        border = round(8 * 0.6 * 44_100)
        self.wait(lambda: abs(begins() - (border - half)) <= 1)
        page.get_by_label("Crossfade of equal power").click()
        self.wait(lambda: self.clip(1)["cross_curve"] == "gain")
        page.keyboard.press("f")
        self.wait(lambda: self.clip(1)["cross_ms"] == 0)
        page.locator(f"[data-clip='{self.clip(0)['id']}']").click()
        page.keyboard.press("f")
        page.locator(".notice").filter(has_text="two clips that meet").first.wait_for()

    def test_a_phrase_is_chosen_moved_copied_named_and_opened_as_one(self):
        page = self.page
        self.halves()
        page.keyboard.press("Control+a")
        page.keyboard.press("h")
        self.wait(lambda: self.clip()["phrase"] is not None)
        name = page.get_by_label("Phrase name")
        expect(name).to_have_value("Phrase 1")
        name.fill("Hook")
        name.press("Enter")
        self.wait(lambda: self.engine("s.state.phrases[0].name") == "Hook")
        page.get_by_role("group", name="Colour of the phrase").get_by_label("Colour 4").click()
        self.wait(lambda: self.engine("s.state.phrases[0].yarn") == 3)
        page.locator(".clip").first.focus()
        page.keyboard.press("Escape")
        self.wait(lambda: page.locator(".clip[aria-pressed=true]").count() == 0)
        page.locator(f"[data-clip='{self.clip(0)['id']}']").click()
        self.wait(lambda: page.locator(".clip[aria-pressed=true]").count() == 2)
        page.keyboard.press("ArrowRight")
        self.wait(lambda: [self.clip(i)["beat"] for i in (0, 1)] == [1, 9])
        page.keyboard.press("d")
        self.wait(lambda: self.engine("s.state.clips.length") == 4)
        self.assertEqual(self.engine("s.state.phrases.map((p) => p.name)"), ["Hook", "Hook"])
        # One of them alone, by Alt.
        page.locator(f"[data-clip='{self.clip(0)['id']}']").click(modifiers=["Alt"])
        self.wait(lambda: page.locator(".clip[aria-pressed=true]").count() == 1)
        page.keyboard.press("Shift+H")
        self.wait(lambda: self.clip(0)["phrase"] is None and self.clip(2)["phrase"] is not None)

    def test_pieces_are_made_one_in_place_and_opened_again(self):
        page = self.page
        page.get_by_label("Beats of each bar that are kept").fill("1 3")
        page.get_by_label("Beats of each bar that are kept").press("Enter")
        page.get_by_role("button", name="keep", exact=True).click()
        self.wait(lambda: self.engine("s.state.clips.length") == 8)
        before = self.server.rows()
        page.locator(".clip").first.focus()
        page.keyboard.press("Shift+J")
        self.wait(lambda: self.engine("s.state.clips.length") == 1)
        self.assertEqual((self.clip()["beat"], self.clip()["beats"]), (0, 15))
        self.assertEqual(self.engine("s.state.tracks.length"), 1)
        page.locator(".notice").filter(has_text="Made one").first.wait_for()
        page.locator(".clip").first.focus()
        page.keyboard.press("u")
        self.wait(lambda: self.engine("s.state.clips.length") == 8)
        self.assertEqual(len(self.server.rows()), len(before) + 1)
        page.keyboard.press("Control+z")
        page.keyboard.press("Control+z")
        self.wait(lambda: self.engine("s.state.clips.length") == 8)
        # The loop that it was made one in goes with it.
        self.wait(lambda: self.server.rows() == before)

    def test_sections_are_named_moved_and_cycled(self):
        page = self.page
        page.get_by_role("button", name="A section from here").click()
        self.wait(lambda: self.engine("s.state.sections.length") == 1)
        self.playhead(9)
        page.get_by_role("button", name="A section from here").click()
        self.wait(lambda: self.engine("s.state.sections.map((x) => x.bar)") == [1, 3])
        name = page.get_by_label("Name of the section from bar 3")
        name.fill("Hook")
        name.press("Enter")
        self.wait(lambda: self.engine("s.state.sections[1].name") == "Hook")
        page.get_by_label("Cycle Hook").click()
        cycle = "JSON.parse(localStorage.getItem(`zeroknot.cycle.${s.state.id}`) ?? '{}').from"
        self.wait(lambda: self.engine(cycle) == 8)
        bar = page.get_by_label("First bar of Hook")
        bar.fill("2")
        bar.press("Enter")
        self.wait(lambda: self.engine("s.state.sections[1].bar") == 2)
        bar.fill("none")
        bar.press("Enter")
        page.locator(".notice").filter(has_text="whole number").first.wait_for()
        page.get_by_label("Remove section Hook").click()
        self.wait(lambda: self.engine("s.state.sections.length") == 1)

    def test_what_is_copied_is_pasted_in_another_project(self):
        page = self.page
        page.keyboard.press("l")
        self.wait(lambda: self.clip()["reverse"])
        page.keyboard.press("Control+c")
        page.locator(".notice").filter(has_text="copied").first.wait_for()
        other = self.server.post("/api/projects", name="Elsewhere")
        self.project = other["id"]
        self.open("arrange")
        page.keyboard.press("Control+v")
        self.wait(lambda: self.engine("s.state.clips.length") == 1)
        self.assertTrue(self.clip()["reverse"])
        self.assertEqual(self.engine("s.state.tracks.length"), 1)
        page.locator(".clip").first.focus()
        page.keyboard.press("Control+x")
        self.wait(lambda: self.engine("s.state.clips.length") == 0)
        page.keyboard.press("Control+v")
        self.wait(lambda: self.engine("s.state.clips.length") == 1)
        # Nonsense, and what another version wrote, is said so and changes nothing.
        for text, said in (("no JSON", "cannot be read"), ('{"beats": 4}', "another version")):
            page.evaluate("(t) => localStorage.setItem('zeroknot.copied', t)", text)
            page.keyboard.press("Control+v")
            page.locator(".notice").filter(has_text=said).first.wait_for()
        self.troubles[:] = [t for t in self.troubles if "422" not in t]
        self.assertEqual(self.engine("s.state.clips.length"), 1)

    def test_names_colours_and_a_grid_of_triplets(self):
        page = self.page
        name = page.get_by_label("Clip name")
        name.fill("Low tide")
        name.press("Enter")
        self.wait(lambda: self.clip()["name"] == "Low tide")
        expect(page.locator(".clip").first).to_contain_text("Low tide")
        page.get_by_role("group", name="Colour of the clip").get_by_label("Colour 6").click()
        self.wait(lambda: self.clip()["yarn"] == 5)
        page.get_by_role("group", name="Colour of the track").get_by_label("Colour 2").click()
        self.wait(lambda: self.engine("s.state.tracks[0].yarn") == 1)
        page.get_by_role("group", name="Colour of the clip").get_by_role(
            "button", name="own"
        ).click()
        self.wait(lambda: self.clip()["yarn"] is None)
        name.fill("")
        name.press("Enter")
        self.wait(lambda: self.clip()["name"] is None)
        page.get_by_label("Grid that clips snap to").select_option("1/3")
        page.locator(".clip").first.focus()
        page.keyboard.press("ArrowRight")
        self.wait(lambda: abs(self.clip()["beat"] - 1 / 3) < 1e-9)
        start = self.point(2, 30)
        self.drag(start, (start[0] + 0.4 * self.per_beat(), start[1]))
        self.wait(lambda: abs(self.clip()["beat"] - 2 / 3) < 1e-9)

    def test_two_tracks_are_never_heard_together(self):
        self.intent(kind="place", hand="~" + self.sha, beat=4)
        page = self.page
        self.wait(lambda: self.engine("s.state.tracks.length") == 2)
        first, second = self.engine("s.state.tracks.map((t) => t.id)")
        page.locator(f"[data-clip='{self.clip(0)['id']}']").click()
        page.get_by_label("Never with").select_option(second)
        self.wait(lambda: self.engine("s.state.tracks[0].gives_way_to") == second)
        shapes = f"s.sheet.events.filter((e) => e.track === '{first}').map((e) => e.shape ?? [])"
        self.wait(lambda: any(gain == 0 for shape in self.engine(shapes) for _, gain in shape))
