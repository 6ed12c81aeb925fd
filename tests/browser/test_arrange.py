import re
import zipfile

import pyloudnorm
import soundfile
from playwright.sync_api import expect

from tests.browser.harness import BrowserTest


class OneClip(BrowserTest):
    """One pass is eight beats, a beat twelve pixels."""

    def setUp(self):
        super().setUp()
        sha = self.shelved("drums_103")
        self.intent(kind="place", hand=sha, beat=0)
        self.intent(kind="new_track", name="Second")
        self.open("arrange")
        self.clip = self.page.locator(".clip").first
        self.clip.wait_for()
        self.wait(lambda: self.clip.bounding_box()["width"] > 80)

    def drag(self, from_x, by_x, by_y=0.0, key=None):
        box, mouse = self.clip.bounding_box(), self.page.mouse
        x, y = box["x"] + from_x * box["width"], box["y"] + box["height"] / 2
        if key:
            self.page.keyboard.down(key)
        mouse.move(x, y)
        mouse.down()
        mouse.move(x + by_x / 2, y + by_y / 2, steps=3)
        mouse.move(x + by_x, y + by_y, steps=3)
        mouse.up()
        if key:
            self.page.keyboard.up(key)

    def clips(self):
        return sorted((c["beat"], c["beats"]) for c in self.state()["clips"])


class ArrangeTest(OneClip):
    """Clips and tracks by hand."""

    def test_move_snaps_to_the_grid_and_goes_to_another_track(self):
        self.drag(0.4, 4 * 12 + 3, by_y=66)
        self.wait(lambda: self.clips() == [(4, 8)])
        state = self.state()
        self.assertEqual(state["clips"][0]["track"], state["tracks"][1]["id"])
        self.page.get_by_role("button", name="Undo").click()
        self.wait(lambda: self.clips() == [(0, 8)])

    def test_the_middle_one_of_three_goes_to_another_track_and_the_order_stays(self):
        sha = self.state()["strands"][0]["loop"]
        track, other = (t["id"] for t in self.state()["tracks"])
        for beat in (8, 16):
            self.intent(kind="place", hand=sha, beat=beat, track=track)
        in_lane = self.page.locator(f'[data-lane="{track}"] .clip')
        expect(in_lane).to_have_count(3)
        middle = next(c["id"] for c in self.state()["clips"] if c["beat"] == 8)
        self.intent(kind="move_clips", moves=[{"clip": middle, "beat": 8, "track": other}])
        expect(in_lane).to_have_count(2)
        expect(self.page.locator(f'[data-lane="{other}"] .clip')).to_have_count(1)
        self.intent(kind="move_clips", moves=[{"clip": middle, "beat": 8, "track": track}])
        expect(in_lane).to_have_count(3)
        self.assertEqual(
            in_lane.evaluate_all("(all) => all.map((b) => b.dataset.clip)"),
            [c["id"] for c in sorted(self.state()["clips"], key=lambda c: c["beat"])],
        )

    def test_right_edge_repeats_and_trims(self):
        self.drag(0.985, 8 * 12)
        self.wait(lambda: self.clips() == [(0, 16)])
        self.assertEqual(self.state()["clips"][0]["passes"], 2)
        self.page.wait_for_timeout(200)
        self.drag(0.99, -5 * 12)
        self.wait(lambda: self.clips() == [(0, 11)])
        self.assertFalse(self.state()["clips"][0]["is_whole"])

    def test_ctrl_copies(self):
        self.drag(0.4, 16 * 12, key="Control")
        self.wait(lambda: self.clips() == [(0, 8), (16, 8)])

    def test_keys_nudge_mute_and_remove(self):
        self.clip.focus()
        self.page.keyboard.press("ArrowRight")
        self.wait(lambda: self.clips() == [(1, 8)])
        self.page.locator(".clip").first.focus()
        self.page.keyboard.press("m")
        self.wait(lambda: self.state()["clips"][0]["muted"])
        self.page.keyboard.press("Delete")
        self.wait(lambda: self.clips() == [])

    def test_levels_mutes_and_meters(self):
        page = self.page
        # Long enough that it does not end meanwhile on a busy machine.
        self.intent(kind="change_clip", clip=self.state()["clips"][0]["id"], passes=64)
        self.wait(lambda: self.engine("s.state.clips[0].passes") == 64)
        page.keyboard.press("Space")
        self.wait(lambda: self.beat() > 1)
        self.wait(lambda: self.engine("Math.max(...e.mixer.masterMeter.read(0).peaks)") > 0.01)
        page.get_by_role("button", name="Mute drums_103").click()
        self.wait(lambda: self.state()["tracks"][0]["muted"])
        self.wait(lambda: self.engine("Math.max(...e.mixer.masterMeter.read(0).peaks)") < 1e-4)
        self.assertTrue(self.engine("e.song.isPlaying"))
        page.get_by_role("button", name="Mute drums_103").click()
        self.wait(lambda: self.engine("Math.max(...e.mixer.masterMeter.read(0).peaks)") > 0.01)
        self.intent(kind="change_track", track=self.state()["tracks"][0]["id"], level_db=0)
        self.wait(lambda: self.engine("s.state.tracks[0].level_db") == 0)
        held = "Math.max(...e.mixer.tracks.get(s.state.tracks[0].id).meter.read().held)"
        page.wait_for_timeout(2500)
        loud = self.engine(held)
        level = page.get_by_label("Track level, typed")
        level.fill("-18")
        level.press("Enter")
        self.wait(lambda: self.state()["tracks"][0]["level_db"] == -18)
        told = "Object.fromEntries(e.mixer.told.strips[0].values).level_db"
        self.wait(lambda: self.engine(told) == -18)
        self.wait(lambda: 0.001 < self.engine(held) <= loud * 10 ** (-18 / 20) * 1.05)
        master = page.get_by_role("slider", name="Master level")
        master.press("Shift+ArrowLeft")
        self.wait(lambda: self.state()["master_db"] == -5)

    def test_the_cycle_the_clip_or_the_song_is_printed_to_the_shelf(self):
        page = self.page
        said = page.locator("#range-said")
        self.wait(lambda: said.inner_text() == "Bars 1–2: the whole song")
        self.clip.click()
        self.wait(lambda: said.inner_text() == "Bars 1–2: the chosen clip")
        page.keyboard.press("Escape")
        # A cycle of bar 2, as the strip sets it.
        page.evaluate(
            """async () => (await import("/static/js/cycle.js"))
              .setCycle(window.zeroKnot.session, { from: 4, to: 8, on: true })"""
        )
        self.wait(lambda: said.inner_text() == "Bar 2: the cycle")
        page.get_by_role("group", name="What rings past its end").get_by_text("cut").click()
        page.get_by_role("button", name="Print a loop").click()
        printed = page.locator("#range-printed")
        self.wait(lambda: "bar 2 at" in printed.inner_text())
        made = next(row for row in self.server.rows() if "bar 2 at" in row["name"])
        self.assertEqual((made["bars"], made["is_print"]), (1, True))
        page.get_by_role("button", name="Take it in hand").click()
        self.wait(lambda: page.url.endswith(f"/fit/{made['sha']}"))
        # Placed it is one clip; opened, the piece it was printed from.
        self.intent(kind="place", hand=made["sha"], beat=16)
        self.open("arrange")
        printed = page.locator(".clip").nth(1)
        printed.focus()
        page.keyboard.press("u")
        own = self.state()["clips"][0]["strand"]
        self.wait(lambda: [c["beats"] for c in self.state()["clips"]] == [8, 4])
        loops = {s["id"]: s["loop"] for s in self.state()["strands"]}
        self.wait(lambda: loops[own] == self.state()["strands"][-1]["loop"])
        self.open("shelf")
        page.locator(f"#row-{made['sha']}").get_by_role("button", name="BPM").click()
        page.locator(".about").get_by_role("button", name="Lay its pieces").click()
        page.locator(".notice").filter(has_text="pieces are laid at bar").first.wait_for()
        self.wait(lambda: len(self.state()["clips"]) == 3)

    def test_the_song_is_mixed_down_and_saved_with_its_loudness_told(self):
        page = self.page
        page.get_by_label("Format of the mix").select_option("flac")
        page.get_by_label("Loudness of the mix").select_option("-23")
        page.get_by_role("button", name="Mix down").click()
        # Wherever the page is scrolled to, it is said, and the file is at hand.
        notice = page.locator(".notice", has_text="Mixed down")
        notice.get_by_role("button", name="Save ").wait_for()
        said = page.locator("#mix-said")
        self.wait(lambda: "LUFS" in said.inner_text())
        expect(said).to_have_text(re.compile(r"^-2[23]\.\d LUFS · range \d+\.\d LU · true peak "))
        with page.expect_download() as download:
            page.get_by_role("link", name="Save").click()
        self.assertTrue(download.value.suggested_filename.endswith(".flac"))
        sound, rate = soundfile.read(download.value.path())
        self.assertAlmostEqual(pyloudnorm.Meter(rate).integrated_loudness(sound), -23.0, delta=0.3)
        # Another view and back, and the page anew: the file is still there to be saved.
        for view in ("shelf", "arrange"):
            self.open(view)
        self.wait(lambda: "LUFS" in said.inner_text())
        expect(page.get_by_role("link", name="Save")).to_be_visible()
        # The same once more, with stems, by key; remembered after a reload.
        page.get_by_label("Files beside the mix").select_option("tracks")
        self.open("arrange")
        expect(page.get_by_label("Files beside the mix")).to_have_value("tracks")
        page.locator(".clip").first.wait_for()
        page.keyboard.press("Shift+B")
        self.wait(lambda: "LUFS" in page.locator("#mix-said").inner_text())
        with page.expect_download() as download:
            page.get_by_role("link", name="Save").click()
        with zipfile.ZipFile(download.value.path()) as packed:
            self.assertEqual(len(packed.namelist()), 4)  # mix, track, credits, tempo


class CutClipsTest(OneClip):
    """Clips cut, chosen together, joined, slipped, pasted; bars of the song."""

    def setUp(self):
        super().setUp()
        self.clip.click()

    def count(self, n):
        self.wait(lambda: self.page.locator(".clip").count() == n)

    def pressed(self):
        return self.page.locator(".clip[aria-pressed=true]").count()

    def playhead(self, beat):
        self.page.evaluate(f"() => window.zeroKnot.session.engine().song.go({beat})")
        self.wait(
            lambda: abs(self.page.evaluate("() => window.zeroKnot.session.beat()") - beat) < 0.01
        )

    def test_cut_at_the_playhead_chosen_together_and_joined_again(self):
        page = self.page
        self.playhead(3)
        page.keyboard.press("x")
        self.wait(lambda: self.clips() == [(0, 3), (3, 5)])
        page.locator(".clip").nth(1).click(modifiers=["Shift"])
        self.wait(lambda: self.pressed() == 2)
        page.get_by_text("2 clips", exact=True).wait_for()
        page.get_by_role("button", name="Join").click()
        self.wait(lambda: self.clips() == [(0, 8)])
        page.get_by_label("Cut at each").select_option("1")
        self.count(8)
        self.wait(lambda: self.pressed() == 8)  # what was cut is chosen: it is joined by one key
        page.keyboard.press("j")
        self.count(1)
        page.keyboard.press("Control+z")
        self.count(8)
        page.keyboard.press("Control+a")
        self.wait(lambda: self.pressed() == 8)
        page.keyboard.press("Delete")
        self.count(0)
        page.keyboard.press("Control+z")
        self.count(8)

    def test_beats_three_and_four_are_kept_and_slipped(self):
        page = self.page
        page.get_by_label("Beats of each bar that are kept").fill("3 4")
        page.get_by_label("Beats of each bar that are kept").press("Enter")
        page.get_by_role("button", name="keep", exact=True).click()
        self.wait(lambda: self.clips() == [(2, 2), (6, 2)])
        page.get_by_role("button", name="What it plays a pulse later").click()
        self.wait(lambda: sorted(c["slip"] for c in self.state()["clips"]) == [1, 5])
        page.get_by_label("Beats of each bar that are kept").fill("none")
        page.get_by_label("Beats of each bar that are kept").press("Enter")
        page.get_by_role("button", name="keep", exact=True).click()
        page.locator(".notice").filter(has_text="like 3 4").first.wait_for()

    def test_copied_and_pasted_on_another_track(self):
        page = self.page
        page.keyboard.press("Control+c")
        page.get_by_role("button", name="Second", exact=True).click()
        self.playhead(9)
        page.keyboard.press("Control+v")
        self.wait(lambda: self.clips() == [(0, 8), (8, 8)])
        state = self.state()
        self.assertEqual(
            [c["track"] for c in sorted(state["clips"], key=lambda c: c["beat"])],
            [t["id"] for t in state["tracks"]],
        )

    def test_bars_are_put_in_taken_out_and_repeated(self):
        page = self.page
        self.playhead(5)
        bars = page.get_by_role("group", name="Bars of the whole song")
        page.get_by_text("bar 2", exact=True).wait_for()
        bars.get_by_role("button", name="Repeat").click()
        self.wait(lambda: self.clips() == [(0, 4), (4, 4), (8, 4)])
        bars.get_by_role("button", name="Put in").click()
        self.wait(lambda: self.clips() == [(0, 4), (8, 4), (12, 4)])
        bars.get_by_role("button", name="Take out").click()
        self.wait(lambda: self.clips() == [(0, 4), (4, 4), (8, 4)])

    def test_many_are_moved_copied_muted_and_faded_together(self):
        page = self.page
        page.get_by_label("Cut at each").select_option("4")
        self.count(2)
        self.wait(lambda: self.pressed() == 2)
        page.keyboard.press("ArrowRight")
        self.wait(lambda: self.clips() == [(1, 4), (5, 4)])
        # By the pointer: a beat later again, one track down, both.
        self.page.wait_for_timeout(200)
        self.drag(0.5, 12, by_y=66)
        self.wait(lambda: self.clips() == [(2, 4), (6, 4)])
        second = self.state()["tracks"][1]["id"]
        self.assertEqual({c["track"] for c in self.state()["clips"]}, {second})
        self.wait(lambda: self.pressed() == 2)
        page.keyboard.press("m")
        self.wait(lambda: all(c["muted"] for c in self.state()["clips"]))
        page.keyboard.press("m")
        self.wait(lambda: not any(c["muted"] for c in self.state()["clips"]))
        fade = page.get_by_label("Fade in of the clip, typed")
        fade.fill("250")
        fade.press("Enter")
        self.wait(lambda: {c["fade_in_ms"] for c in self.state()["clips"]} == {250})
        page.keyboard.press("d")
        self.wait(lambda: self.clips() == [(2, 4), (6, 4), (10, 4), (14, 4)])
        made = {c["id"] for c in self.state()["clips"] if c["beat"] >= 10}
        pressed = """() => [...document.querySelectorAll(".clip[aria-pressed=true]")]
          .map((e) => e.dataset.clip)"""
        self.wait(lambda: set(page.evaluate(pressed)) == made)  # the copies are chosen
        page.keyboard.press("Escape")
        page.keyboard.press("Shift+M")
        self.wait(lambda: all(t["muted"] for t in self.state()["tracks"]))

    def test_other_loops_are_tried_in_its_place_and_one_is_kept(self):
        page = self.page
        own = self.state()["strands"][0]["loop"]
        for name in ("keys_88", "bass_97"):
            self.shelved(name)
        self.clip.focus()
        seen = set()
        for _ in range(2):
            page.keyboard.press("y")
            self.wait(lambda: self.state()["strands"][0]["loop"] not in {own} | seen)
            seen.add(self.state()["strands"][0]["loop"])
        self.assertEqual(self.clips(), [(0, 8)])
        expect(page.locator("#try-said")).to_have_text(re.compile(r"^2 of \d+: "))
        page.keyboard.press("Escape")
        self.wait(lambda: self.state()["strands"][0]["loop"] == own)
        self.wait(lambda: not page.locator("#try-said").is_visible())
        # Kept before the answer is there, it is that one that is kept.
        page.keyboard.press("y")
        page.keyboard.press("Enter")
        self.wait(lambda: self.state()["strands"][0]["loop"] != own)
        kept = self.state()["strands"][0]["loop"]
        self.wait(lambda: not page.locator("#try-said").is_visible())
        self.assertEqual(self.state()["strands"][0]["loop"], kept)
        self.assertTrue(page.url.endswith("/arrange"))
