"""The coil: loops on keys, switched in time while the song plays, recorded as clips."""

import itertools

from playwright.sync_api import expect

from tests.browser.harness import BrowserTest

COIL = "zeroKnot.app.coiling"
BPM = 150
BAR = 4 * 60 / BPM


class CoilTest(BrowserTest):
    def setUp(self):
        super().setUp()
        self.intent(kind="set_steady_tempo", bpm=BPM)
        loops = [self.shelved(name) for name in ("drums_103", "keys_88", "bass_97")]
        self.intent(kind="place", hand=loops[2], beat=0, passes=2)
        for i in range(8):
            self.intent(kind="coil_loop", hand=loops[i % 2])
        for slot, speed in zip(self.coil(), (1, 1, 2, 2, 0.5, 1.5, 1, 1), strict=True):
            self.intent(kind="change_slot", slot=slot["id"], speed=speed)
        self.open("arrange")
        self.page.get_by_role("button", name="Coil").click()
        expect(self.page.locator(".coil-slot")).to_have_count(8)

    def coil(self):
        return self.state()["coil"]

    def ready(self):
        """The first block of every loop of the coil is there."""
        return self.page.evaluate(
            """() => {
              const {session} = zeroKnot, {blocks} = session.engine();
              const isHere = ({events: [e]}) => blocks.state(e.digest, 0) === "here";
              return session.sheet.coil.every(isHere);
            }"""
        )

    def switched(self):
        return self.page.evaluate(
            f"() => {COIL}.plan.switched.map((s) => [s.beat, s.coiled?.slot ?? null])"
        )

    def test_eight_loops_are_switched_while_it_plays_and_become_clips(self):
        page, ids = self.page, [s["id"] for s in self.coil()]
        page.locator(".coil-name").first.focus()
        expect(page.get_by_text("The keys play the coil now")).to_be_visible()
        page.evaluate("() => zeroKnot.session.engine().song.player.log = []")
        page.get_by_role("button", name="Record", exact=True).click()
        page.locator(".coil-name").first.focus()
        page.keyboard.press("1")
        self.wait(lambda: [s for _, s in self.switched()][-1:] == [ids[0]])
        self.wait(self.ready)
        for number in range(2, 9):
            page.keyboard.press(str(number))
            expect(page.locator(".coil-slot.next, .coil-slot.on").last).to_be_visible()
            self.wait(lambda: self.switched()[-1][1] == ids[number - 1])  # noqa: B023
        told = self.switched()
        self.assertEqual([slot for _, slot in told], ids)
        beats = [beat for beat, _ in told[1:]]
        # Each came in on a bar line, none more than two bars after the one before it.
        for beat in beats:
            self.assertAlmostEqual(beat % 4, 0.0, delta=1e-3)
        gaps = [b - a for a, b in itertools.pairwise(beats)]
        self.assertLessEqual(max(gaps), 8.0)
        # What was handed to the audio clock: where one goes the next comes, to the frame.
        parts = page.evaluate(
            """() => zeroKnot.session.engine().song.player.log
              .filter((o) => o.do === "part" && o.event.track === "coil")
              .map((o) => [o.event.id.split(":")[0], o.at])"""
        )
        first = {}
        for slot, at in parts:
            first.setdefault(slot, at)
        frames = [first[slot] for slot in ids[1:]]
        bar = BAR * 44_100
        for a, b in itertools.pairwise(frames):
            self.assertAlmostEqual((b - a) / bar, round((b - a) / bar), delta=2 / bar)
        self.wait(lambda: self.beat() > beats[-1] + 0.5)  # some of the last one is heard
        page.get_by_role("button", name="Lay it").click()
        clips = self.wait(lambda: self.clips_of("Coil"))
        self.assertEqual(len(clips), 8)
        self.assertEqual([c["beat"] for c in clips[1:]], [round(b) for b in beats])
        # Taken back it is one step.
        page.keyboard.press("Escape")
        page.keyboard.press("Control+z")
        self.wait(lambda: not self.clips_of("Coil"))

    def test_what_was_recorded_outlives_the_page(self):
        page, first = self.page, self.coil()[0]
        page.get_by_role("button", name="Record", exact=True).click()
        page.get_by_role("button", name="at once").click()
        page.locator(f'[data-slot="{first["id"]}"] .coil-name').click()
        self.wait(lambda: page.evaluate(f"() => {COIL}.playing?.slot") == first["id"])
        self.wait(lambda: self.beat() > 1)
        page.reload()
        expect(page.get_by_text("Recorded before the page was left: one stretch.")).to_be_visible()
        self.assertEqual(self.clips_of("Coil"), [])
        page.get_by_role("button", name="Lay it").click()
        self.assertEqual(len(self.wait(lambda: self.clips_of("Coil"))), 1)
        expect(page.get_by_text("Recorded before the page was left")).to_be_hidden()

    def clips_of(self, name):
        state = self.state()
        track = next((t["id"] for t in state["tracks"] if t["name"] == name), None)
        return sorted((c for c in state["clips"] if c["track"] == track), key=lambda c: c["beat"])

    def test_keys_are_chosen_loops_drift_and_go(self):
        page = self.page
        first = self.coil()[0]
        page.get_by_label("Key of drums_103: 1").click()
        page.keyboard.press("z")
        self.wait(lambda: self.coil()[0]["key"] in ("KeyZ", "KeyY"))
        page.get_by_label("Speed of drums_103").first.select_option("1.5")
        self.wait(lambda: self.coil()[0]["speed"] == 1.5)
        page.get_by_role("button", name="at once").click()
        page.locator(f'[data-slot="{first["id"]}"] .coil-name').click()
        # Eight beats in half as much again: it runs over the bar, and says so.
        state = page.locator(f'[data-slot="{first["id"]}"] small')
        expect(state).to_contain_text("the bar")
        self.wait(lambda: "beat" in state.inner_text())
        page.locator(f'[data-slot="{first["id"]}"]').get_by_role("button", name="anew").click()
        expect(state).to_have_text("anew each bar")
        # It goes on whatever is looked at; the same key lets it go.
        self.walk_to("Shelf")
        page.wait_for_timeout(300)
        self.assertEqual(page.evaluate(f"() => {COIL}.playing?.slot"), first["id"])
        self.walk_to("Arrange")
        page.locator(f'[data-slot="{first["id"]}"] .coil-name').click()
        self.wait(lambda: page.evaluate(f"() => {COIL}.playing === null"))
        page.get_by_label("Take drums_103 off the coil").first.click()
        expect(page.locator(".coil-slot")).to_have_count(7)
