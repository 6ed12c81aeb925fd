import itertools
import unittest

from hypothesis import given
from hypothesis import strategies as st

from zeroknot.core.errors import EditError, NotFoundError, TimeError, ZeroKnotError
from zeroknot.core.timeline.metre_map import Metre, MetreChange
from zeroknot.core.timeline.tempo_map import TempoPoint
from zeroknot.core.warp.knot import Knot
from zeroknot.document.edits.any_edit import Together, any_edit
from zeroknot.document.edits.clip import AddClips, ChangeClip, Move, MoveClips, RemoveClips
from zeroknot.document.edits.project import RenameProject, SetMaster
from zeroknot.document.edits.strand import AddStrand, ChangeStrand, RemoveStrand
from zeroknot.document.edits.time import SetKeys, SetMetres, SetTempo
from zeroknot.document.edits.track import AddTrack, ChangeTrack, RemoveTrack
from zeroknot.document.project import Clip, KeyChange, Project, Track
from zeroknot.document.strand import Strand


def project(*clips):
    """Two tracks, one strand of a four-beat pass, and clips."""
    strand = Strand(id="s", name="s", loop="ab", reading=None, knots=(Knot(0, 0), Knot(2, 4)))
    return Project(
        id="p", name="p", strands=(strand,), clips=clips,
        tracks=(Track(id="t", name="one"), Track(id="u", name="two")),
    )  # fmt: skip


def clip(id_, beat, **more):
    return Clip(id=id_, strand="s", track=more.pop("track", "t"), beat=beat, **more)


def laid(tree):
    """(id, beat, length, slip) of every clip by its place."""
    clips = sorted(tree.clips, key=lambda c: (c.track, c.beat))
    return [(c.id, c.beat, tree.clip_length(c), c.slip) for c in clips]


class EditsTest(unittest.TestCase):
    def test_every_edit_survives_its_json(self):
        edits = (
            RenameProject(name="n"),
            SetMaster(level_db=-3),
            SetTempo(points=(TempoPoint(0, 97.5),)),
            SetMetres(changes=(MetreChange(1, Metre(6, 8)),)),
            SetKeys(changes=(KeyChange(bar=1, key="Dm"),)),
            AddTrack(track=Track(id="v", name="v")),
            ChangeTrack(track="t", muted=True),
            RemoveTrack(track="t"),
            AddStrand(strand=project().strands[0]),
            RemoveStrand(strand="s"),
            ChangeStrand(strand=project().strands[0], what="w"),
            AddClips(clips=(clip("c", 0),)),
            MoveClips(moves=(Move(clip="c", beat=4, track="u"),)),
            ChangeClip(clip="c", passes=3),
            RemoveClips(clips=("c",)),
            Together(edits=(RenameProject(name="n"),), what="w"),
        )
        for edit in edits:
            with self.subTest(type(edit).__name__):
                self.assertEqual(any_edit.validate_json(edit.model_dump_json()), edit)
                self.assertTrue(edit.label())
                self.assertTrue(edit.touches())

    def test_apply_leaves_the_project_before_as_it_was(self):
        before = project(clip("c", 0))
        text = before.model_dump_json()
        MoveClips(moves=(Move(clip="c", beat=8, track="u"),)).apply(before)
        SetTempo(points=(TempoPoint(0, 99),)).apply(before)
        self.assertEqual(before.model_dump_json(), text)

    def test_time(self):
        tree = SetTempo(points=(TempoPoint(0, 90), TempoPoint(8, 120))).apply(project())
        self.assertEqual(tree.tempo_map.bpm_at(9), 120)
        tree = SetMetres(changes=(MetreChange(1, Metre(3, 4)),)).apply(tree)
        self.assertEqual(tree.metre_map.beat_of_bar(3), 6)
        tree = SetKeys(changes=(KeyChange(bar=1, key="f#m"),)).apply(tree)
        self.assertEqual(tree.key, "F♯ minor")
        self.assertIsNone(SetKeys(changes=()).apply(tree).key)

    def test_a_new_track_is_at_minus_six(self):
        tree = AddTrack(track=Track(id="v", name="v")).apply(project())
        self.assertEqual(tree.track("v").level_db, -6.0)

    def test_whole_clips_follow_the_span_trimmed_ones_do_not(self):
        tree = project(clip("a", 0, passes=2), clip("b", 20, length=3.0))
        strand = tree.strands[0].changed(knots=tree.strands[0].warp.with_span(8).knots)
        tree = ChangeStrand(strand=strand, what="w").apply(tree)
        self.assertEqual(laid(tree), [("a", 0, 16, 0), ("b", 20, 3, 0)])
        # A second doubling would reach over b: what would is trimmed.
        strand = strand.changed(knots=strand.warp.with_span(16).knots)
        tree = ChangeStrand(strand=strand, what="w").apply(tree)
        self.assertEqual(laid(tree), [("a", 0, 20, 0), ("b", 20, 3, 0)])

    def test_newer_clips_trim_older_ones(self):
        for name, old, new, expected in (
            ("end", clip("a", 0, passes=2), clip("n", 6), [("a", 0, 6, 0), ("n", 6, 4, 0)]),
            ("start", clip("a", 4, passes=2), clip("n", 2), [("n", 2, 4, 0), ("a", 6, 6, 2)]),
            ("whole", clip("a", 1, length=2.0), clip("n", 0), [("n", 0, 4, 0)]),
            (
                "another track",
                clip("a", 0, track="u"),
                clip("n", 0),
                [("n", 0, 4, 0), ("a", 0, 4, 0)],
            ),
            ("end to end", clip("a", 0), clip("n", 4), [("a", 0, 4, 0), ("n", 4, 4, 0)]),
        ):
            with self.subTest(name):
                self.assertEqual(laid(AddClips(clips=(new,)).apply(project(old))), expected)

    def test_a_clip_in_the_middle_leaves_both_ends(self):
        tree = AddClips(clips=(clip("n", 4),)).apply(project(clip("a", 0, passes=3)))
        (_, *first), (_, *second), (id_, *third) = laid(tree)
        self.assertEqual((first, second, third), ([0, 4, 0], [4, 4, 0], [8, 4, 8]))
        again = AddClips(clips=(clip("n", 4),)).apply(project(clip("a", 0, passes=3)))
        self.assertEqual(laid(again)[2][0], id_)  # pure: the same edit makes the same id

    @given(st.lists(st.tuples(st.floats(0, 40), st.integers(1, 5)), min_size=1, max_size=8))
    def test_bodies_never_overlap(self, placed):
        tree = project()
        for i, (beat, passes) in enumerate(placed):
            tree = AddClips(clips=(clip(f"c{i}", beat, passes=passes),)).apply(tree)
            row = tree.clips_on("t")
            for a, b in itertools.pairwise(row):
                self.assertLessEqual(tree.clip_end(a), b.beat + 1e-6)

    def test_what_was_cut_off_and_moved_away_outlives_another_cut_there(self):
        tree = project(clip("long", 0, passes=2))
        tree = AddClips(clips=(clip("over", 2, length=2.0),)).apply(tree)
        [rest] = [c for c in tree.clips if c.id not in ("long", "over")]
        tree = MoveClips(moves=(Move(clip=rest.id, beat=100, track="u"),)).apply(tree)
        tree = RemoveClips(clips=("over",)).apply(tree)
        tree = ChangeClip(clip="long", length=8.0).apply(tree)
        tree = AddClips(clips=(clip("again", 2, length=2.0),)).apply(tree)
        self.assertEqual([(c[1], c[2]) for c in laid(tree)], [(0, 2), (2, 2), (4, 4), (100, 4)])

    def test_two_that_go_to_one_place_at_once_leave_the_later(self):
        tree = project(clip("a", 0), clip("b", 8))
        moves = (Move(clip="a", beat=16, track="t"), Move(clip="b", beat=16, track="t"))
        self.assertEqual(laid(MoveClips(moves=moves).apply(tree)), [("b", 16, 4, 0)])
        tree = AddClips(clips=(clip("c", 32), clip("d", 32))).apply(tree)
        self.assertEqual([c[0] for c in laid(tree)], ["a", "b", "d"])

    def test_removing_takes_what_hangs_on_it(self):
        tree = project(clip("a", 0), clip("b", 0, track="u"))
        self.assertEqual([c.id for c in RemoveTrack(track="t").apply(tree).clips], ["b"])
        self.assertEqual(RemoveStrand(strand="s").apply(tree).clips, ())

    def test_each_wrong_edit_is_refused_by_itself(self):
        tree = project(clip("a", 0))
        other = tree.strands[0].changed(loop="cd")
        for name, error, make in (
            ("unknown track", NotFoundError, lambda: ChangeTrack(track="x", muted=True)),
            ("unknown clip", NotFoundError, lambda: RemoveClips(clips=("x",))),
            ("clip on no track", NotFoundError, lambda: AddClips(clips=(clip("n", 0, track="x"),))),
            ("clip twice", EditError, lambda: AddClips(clips=(clip("a", 8),))),
            ("track twice", EditError, lambda: AddTrack(track=Track(id="t", name="t"))),
            ("strand twice", EditError, lambda: AddStrand(strand=tree.strands[0])),
            ("another loop", EditError, lambda: ChangeStrand(strand=other, what="w")),
            ("no name", EditError, lambda: RenameProject(name="  ")),
            ("no key", ZeroKnotError, lambda: SetKeys(changes=(KeyChange(bar=1, key="H"),))),
            ("no tempo", TimeError, lambda: SetTempo(points=())),
        ):
            with self.subTest(name), self.assertRaises(error):
                make().apply(tree)

    def test_project_survives_its_json(self):
        tree = project(clip("a", 0, passes=2), clip("b", 20, length=3.0, slip=1.0))
        self.assertEqual(Project.model_validate_json(tree.model_dump_json()), tree)
        self.assertEqual(tree.last_bar, 6)
        self.assertEqual(project().last_bar, 1)
