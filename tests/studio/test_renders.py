import asyncio
import shutil

import numpy as np

from tests.studio.helper import StudioTest
from zeroknot.core.errors import NotFoundError
from zeroknot.core.render.blocks import BLOCK_FRAMES
from zeroknot.document.edits.clip import ChangeClip
from zeroknot.store.audio_store import block_path
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.time import SetSteadyTempo


class RendersTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.sha = self.loop().sha
        self.project = self.studio.projects.create("R")
        self.submit(self.project, SetSteadyTempo(bpm=99))
        state = self.submit(self.project, Place(hand=self.sha, beat=0, passes=2))
        self.digest = self.studio.sheet(state.project).events[0].digest
        self.plan = self.studio.renders.plan(self.digest)

    def block(self, index):
        return self.studio.renders.block(self.digest, index).read_bytes()

    def test_blocks_are_full_but_the_last(self):
        sizes = [len(self.block(i)) // 8 for i in range(self.plan.blocks)]
        self.assertEqual(sizes[:-1], [BLOCK_FRAMES] * (self.plan.blocks - 1))
        self.assertEqual(sum(sizes), self.plan.frames)

    def test_the_cache_may_be_deleted_at_any_time(self):
        before = [self.block(i) for i in range(self.plan.blocks)]
        shutil.rmtree(self.folder / "cache")
        self.assertEqual([self.block(i) for i in range(self.plan.blocks)], before)
        self.assertTrue(self.studio.renders.source_peaks(self.sha, 512))

    def test_what_is_about_to_be_heard_is_begun(self):
        for share in (0.0, 0.5, 1.0):
            frame = self.plan.lead_frames + share * (self.plan.body_frames - 1)
            index = int(frame // BLOCK_FRAMES)
            place = block_path(self.folder, self.digest, index)
            self.assertFalse(place.exists())
            self.studio.renders.begin(self.digest, share)
            self.assertTrue(place.exists())
        self.assertEqual(len(list(place.parent.iterdir())), 3)

    def test_after_a_restart_a_page_goes_on_asking(self):
        before = self.block(0)
        again = self.opened()
        self.assertEqual(again.renders.block(self.digest, 0).read_bytes(), before)
        self.assertEqual(again.renders.plan(self.digest), self.plan)

    def test_plans_that_were_damaged_or_deleted_are_kept_anew(self):
        for damage in (lambda f: f.write_bytes(b"no database" * 999), lambda f: f.unlink()):
            self.studio.renders.close()
            damage(self.folder / "cache" / "plans.sqlite")
            studio = self.opened()
            with self.assertRaises(NotFoundError):
                studio.renders.plan(self.digest)
            studio.sheet(studio.projects.state(self.project).project)
            self.assertEqual(self.opened().renders.plan(self.digest), self.plan)

    def test_who_stops_waiting_takes_nothing_from_others(self):
        async def two_of_whom_one_leaves():
            ask = self.studio.renders.block_in_time
            one, two = (asyncio.ensure_future(ask(self.digest, 1, 0)) for _ in range(2))
            await asyncio.sleep(0)
            one.cancel()
            return await two

        self.assertEqual(len(asyncio.run(two_of_whom_one_leaves())), BLOCK_FRAMES * 8)

    def test_what_is_not_there_is_said(self):
        for name, make in {
            "unknown digest": lambda: self.studio.renders.block("0" * 64, 0),
            "past the end": lambda: self.studio.renders.block(self.digest, self.plan.blocks),
        }.items():
            with self.subTest(name), self.assertRaises(NotFoundError):
                make()

    def test_loudness_of_both_ways_is_alike(self):
        recorded, fitted = self.studio.renders.loudness(self.digest)
        self.assertAlmostEqual(recorded, fitted, delta=1.0)

    def test_source_blocks_at_the_projects_rate(self):
        tree = self.studio.projects.state(self.project).project.changed(rate=48_000)
        sheet = self.studio.hand_sheet(tree, self.sha, 0.0)
        channels, frames = sheet["channels"], sheet["source_frames"]
        whole = b"".join(
            asyncio.run(self.studio.renders.source_block(self.sha, 48_000, i, 0))
            for i in range(-(-frames // BLOCK_FRAMES))
        )
        self.assertLessEqual(abs(len(whole) // (4 * channels) - frames), 1)
        self.assertTrue(np.isfinite(np.frombuffer(whole, "<f4")).all())

    def test_the_hand_is_heard_in_a_song_that_is_as_long_as_one_may_be(self):
        clip = self.studio.projects.state(self.project).project.clips[0]
        tree = self.submit(self.project, ChangeClip(clip=clip.id, beat=100_000.0)).project
        sheet = self.studio.play_sheet(tree, self.sha)
        self.assertGreater(
            sheet["hand_events"][-1].at, tree.tempo_map.frame_of_beat(99_900, 44_100)
        )

    def test_the_hand_repeats_over_the_whole_song(self):
        tree = self.studio.projects.state(self.project).project
        sheet = self.studio.play_sheet(tree, self.sha)
        spans = [e.at for e in sheet["hand_events"]]
        self.assertEqual(
            spans, [tree.tempo_map.frame_of_beat(8 * i, tree.rate) for i in range(len(spans))]
        )
        self.assertGreaterEqual(spans[-1], sheet["pulses"][-1][1] - 2 * spans[1])
        self.assertEqual({e.strand for e in sheet["hand_events"]}, {tree.strands[0].id})
