"""The server goes and comes back; many tabs on one project."""

from tests.browser.harness import BrowserTest
from tests.sounds import rendered
from zeroknot.core.formats.riff import wav_bytes

LINE = "The server does not answer; what you hear goes on. Trying again."
# What the browser itself writes of questions that found nobody.
UNANSWERED = ("ERR_CONNECTION_REFUSED", "ERR_EMPTY_RESPONSE", "ERR_CONNECTION_RESET",
              "ERR_INCOMPLETE_CHUNKED_ENCODING", "ERR_SOCKET_NOT_CONNECTED")  # fmt: skip


class AwayTest(BrowserTest):
    def tearDown(self):
        self.troubles = [t for t in self.troubles if not any(u in t for u in UNANSWERED)]
        super().tearDown()

    def song(self):
        self.send(wav_bytes(rendered("drums_103"), 16), "drums.wav")
        self.server.settle()
        sha = self.server.rows("drums")[0]["sha"]
        self.intent(kind="place", hand=sha, beat=0, passes=40)
        return sha

    def count_requests(self):
        counted = []
        self.page.on("request", lambda r: counted.append(r.url))
        return counted

    def test_edits_made_while_it_is_away_are_done_once_it_is_back(self):
        self.song()
        self.open("arrange")
        page = self.page
        page.locator("#strip").focus()
        page.keyboard.press("Space")
        self.wait(lambda: self.engine("e && e.song.isPlaying") and self.beat() > 1)
        page.wait_for_timeout(1500)  # a few seconds of the loop are here by now
        revision = self.state()["revision"]
        self.server.stop()
        asked = self.count_requests()
        field = page.get_by_label("Tempo in BPM")
        field.fill("110")
        field.press("Enter")
        page.get_by_role("button", name="Add a track").click()
        page.get_by_text(LINE).wait_for()
        page.get_by_text("2 changes wait").wait_for()
        now = "[s.beat(), e.context.currentTime]"
        beat, second = self.engine(now)
        page.wait_for_timeout(3000)
        # What is heard goes on, nobody storms the server, nothing is claimed saved.
        later, then = self.engine(now)
        self.assertGreater(later - beat, 2)
        self.assertAlmostEqual(later - beat, 2 * (then - second), delta=0.2)
        self.assertLess(len(asked), 40)
        self.assertEqual(page.locator(".notice").count(), 0)
        self.server.start()
        page.get_by_text(LINE).wait_for(state="hidden")
        page.get_by_text("All saved").wait_for()
        state = self.state()
        self.assertEqual(state["bpm"], 110)
        self.assertEqual(state["revision"], revision + 2)
        self.assertEqual(len(state["tracks"]), 2)
        self.assertEqual(self.page.evaluate("() => zeroKnot.session.state.revision"), revision + 2)
        # And the new tempo is heard, on a bar line, without a hand on it.
        self.wait(lambda: self.engine("e.song.sheet.time_key").startswith("0.0 110.0"))
        self.assertTrue(self.engine("e.song.isPlaying"))

    def test_an_answer_that_was_lost_does_not_double_the_edit(self):
        self.open("arrange")
        lost = []

        def lose(route):
            if lost:
                route.continue_()
                return
            lost.append(route.fetch())  # the server did it; the page hears nothing
            route.abort()

        self.page.route("**/intents", lose)
        self.page.get_by_role("button", name="Add a track").click()
        self.wait(lambda: self.page.evaluate("() => zeroKnot.session.state.tracks.length") == 1)
        self.page.get_by_text("All saved").wait_for()
        self.assertEqual(len(self.state()["tracks"]), 1)
        self.assertEqual(len(lost), 1)
        self.troubles = [t for t in self.troubles if "ERR_FAILED" not in t]

    def test_what_others_did_meanwhile_is_there_without_a_reload(self):
        self.song()
        self.open("arrange")
        self.server.stop()
        self.page.wait_for_timeout(300)
        self.server.start()
        self.intent(kind="rename_project", name="Changed by another")
        self.send(wav_bytes(rendered("keys_88"), 16), "late.wav")
        self.server.settle()
        self.wait(lambda: self.page.locator(".project-name").input_value() == "Changed by another")
        # Every digest the page knows is answered.
        status = self.page.evaluate(
            """async () => { const {sheet} = zeroKnot.session;
              return (await fetch(`/api/renders/${sheet.events[3].digest}/1`)).status; }"""
        )
        self.assertEqual(status, 200)

    def test_the_shelf_waits_quietly_and_shows_what_came(self):
        self.song()
        self.open("shelf")
        self.page.locator(".rows").get_by_text("drums").first.wait_for()
        self.server.stop()
        asked = self.count_requests()
        words = self.page.get_by_role("searchbox").first
        words.fill("drums")
        self.page.wait_for_timeout(2000)
        self.assertLess(len(asked), 40)
        self.assertEqual(self.page.locator(".notice").count(), 0)
        self.server.start()
        self.page.get_by_text(LINE).wait_for(state="hidden")
        self.page.locator(".rows").get_by_text("drums").first.wait_for()


class TabsTest(BrowserTest):
    def tabs(self, count):
        pages = [self.page, *(self.context.new_page() for _ in range(count - 1))]
        for page in pages:
            page.goto(f"{self.server.base}/p/{self.project}/arrange")
            page.wait_for_function("() => window.zeroKnot?.session.sheet")
        return pages

    def revisions(self, pages):
        return [p.evaluate("() => zeroKnot.session.state.revision") for p in pages]

    def test_twelve_tabs_on_one_project_work(self):
        pages = self.tabs(12)
        pages[11].get_by_role("button", name="Add a track").click()
        self.wait(lambda: set(self.revisions(pages)) == {2})
        for i, page in enumerate(pages[:6]):
            page.evaluate(
                f"() => zeroKnot.session.submit({{kind: 'new_track', name: 'track {i}'}})"
            )
        self.wait(lambda: set(self.revisions(pages)) == {8})

    def test_edits_in_two_tabs_at_once_end_in_one_state(self):
        one, two = self.tabs(2)
        for page, name in ((one, "a"), (two, "b")):
            page.evaluate(
                f"""() => {{ const s = zeroKnot.session;
                  for (let i = 0; i < 5; i++) s.submit({{kind: "new_track", name: "{name}" + i}});
                }}"""
            )
        self.wait(lambda: len(self.state()["tracks"]) == 10)
        self.wait(lambda: set(self.revisions((one, two))) == {11})
        names = [
            p.evaluate("() => zeroKnot.session.state.tracks.map((t) => t.name)") for p in (one, two)
        ]
        self.assertEqual(names[0], names[1])

    def test_a_later_edit_of_another_tab_is_named_not_undone(self):
        one, two = self.tabs(2)
        one.get_by_role("button", name="Add a track").click()
        self.wait(lambda: self.revisions((one, two)) == [2, 2])
        two.evaluate("() => zeroKnot.session.submit({kind: 'set_steady_tempo', bpm: 111})")
        self.wait(lambda: self.revisions((one, two)) == [3, 3])
        one.keyboard.press("Control+z")
        one.get_by_text("was done elsewhere after your last edit").wait_for()
        self.assertEqual(self.state()["bpm"], 111)
        two.keyboard.press("Control+z")
        self.wait(lambda: self.state()["bpm"] == 120)
        self.wait(lambda: self.revisions((one, two)) == [2, 2])
        one.keyboard.press("Control+z")
        self.wait(lambda: not self.state()["tracks"])

    def test_an_older_state_does_not_overwrite_a_newer(self):
        self.open("arrange")
        older = self.state()
        self.page.get_by_role("button", name="Add a track").click()
        self.wait(lambda: self.revisions([self.page]) == [2])
        self.page.evaluate("(state) => zeroKnot.session.accept(state)", older)
        self.assertEqual(self.revisions([self.page]), [2])

    def test_without_shared_workers_one_tab_listens_for_all(self):
        self.context = self.new_context()
        self.addCleanup(self.context.close)
        self.context.add_init_script("delete window.SharedWorker;")
        self.page = self.context.new_page()
        pages = self.tabs(3)
        pages[2].get_by_role("button", name="Add a track").click()
        self.wait(lambda: set(self.revisions(pages)) == {2})
        pages[0].close()  # the one that listened
        self.page = pages[1]
        self.page.wait_for_timeout(500)
        pages[2].get_by_role("button", name="Add a track").click()
        self.wait(lambda: set(self.revisions(pages[1:])) == {3})
