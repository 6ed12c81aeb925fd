"""What is kept of an edit makes the later tree from the earlier one, and is no more than needed."""

import json
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from zeroknot.core.warp.warp_map import WarpMap
from zeroknot.document.difference import difference, with_difference
from zeroknot.document.project import Clip, Project, Track
from zeroknot.document.strand import Strand

KNOTS = WarpMap.between(0.0, 2.0, 4.0).knots
TRACKS = tuple(Track(id=f"t{i}", name=f"Track {i}") for i in range(4))
STRAND = Strand(id="s", name="Break", loop="0" * 64, reading=None, knots=KNOTS)

clips = st.builds(
    Clip, id=st.sampled_from(["a", "b", "c", "d"]), strand=st.just("s"),
    track=st.sampled_from(["t0", "t1"]), beat=st.sampled_from([0.0, 4.0, 8.0]),
    length=st.sampled_from([None, 2.0]), gain_db=st.sampled_from([0.0, -3.0]),
)  # fmt: skip
projects = st.builds(
    Project, id=st.just("p"), name=st.sampled_from(["A", "B"]),
    master_db=st.sampled_from([0.0, -6.0]),
    tracks=st.permutations(TRACKS).flatmap(
        lambda t: st.integers(0, 4).map(lambda n: tuple(t[:n]))
    ),
    strands=st.sampled_from([(), (STRAND,), (STRAND.changed(gain_db=-2.0),)]),
    clips=st.lists(clips, max_size=4, unique_by=lambda c: c.id).map(tuple),
)  # fmt: skip


class DifferenceTest(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(projects, projects)
    def test_it_makes_the_later_from_the_earlier(self, old, new):
        change = json.loads(json.dumps(difference(old, new)))
        before = old.model_dump(mode="json")
        kept = json.dumps(before)
        later = with_difference(before, change)
        self.assertEqual(later, new.model_dump(mode="json"))
        self.assertEqual(Project.model_validate(later), new)
        self.assertEqual(json.dumps(before), kept)  # what is given stays
        self.assertEqual(not change, old == new)

    def test_one_level_in_a_large_project_is_one_number(self):
        clips = tuple(
            Clip(id=str(i), strand="s", track="t0", beat=4.0 * i, length=4.0) for i in range(1000)
        )
        old = Project(id="p", name="A", tracks=TRACKS, strands=(STRAND,), clips=clips)
        new = old.changed(
            clips=tuple(c.changed(gain_db=-3.0) if c.id == "500" else c for c in clips)
        )
        self.assertEqual(
            difference(old, new),
            {"within": {"clips": {"within": {"500": {"set": {"gain_db": -3.0}}}}}},
        )
        more = new.changed(clips=(*new.clips[1:], clips[0].changed(id="x")))
        self.assertEqual(
            {*difference(new, more)["within"]["clips"]}, {"set", "gone"}
        )  # no order is kept where it follows


if __name__ == "__main__":
    unittest.main()
