import unittest

from hypothesis import given
from hypothesis import strategies as st

from zeroknot.core.errors import TimeError
from zeroknot.core.timeline.grid import pulses
from zeroknot.core.timeline.metre_map import Metre, MetreChange, MetreMap
from zeroknot.core.timeline.tempo_map import TempoMap

metres = st.builds(Metre, st.integers(1, 15), st.sampled_from([2, 4, 8, 16]))


@st.composite
def metre_maps(draw):
    bar, changes = 1, []
    for gap in draw(st.lists(st.integers(1, 20), min_size=1, max_size=5)):
        changes.append(MetreChange(bar, draw(metres)))
        bar += gap
    return MetreMap(tuple(changes))


class MetreTest(unittest.TestCase):
    def test_pulses(self):
        # Common practice, no source: compound metres are counted in dotted quarters.
        for text, beats, count, beat in (
            ("4/4", 4, 4, 1), ("3/4", 3, 3, 1), ("6/8", 3, 2, 1.5), ("12/8", 6, 4, 1.5),
            ("5/8", 2.5, 5, 0.5), ("7/8", 3.5, 7, 0.5), ("2/2", 4, 2, 2), ("3/8", 1.5, 3, 0.5),
        ):  # fmt: skip
            with self.subTest(text):
                metre = Metre.parse(text)
                self.assertEqual(
                    (metre.beats_per_bar, metre.pulses_per_bar, metre.beats_per_pulse),
                    (beats, count, beat),
                )
                self.assertEqual(str(metre), text)

    def test_refusals(self):
        for text in ("", "4", "4/", "4/3", "0/4", "33/4", "x/4", "4/4/4"):
            with self.subTest(text), self.assertRaises(TimeError):
                Metre.parse(text)


class MetreMapTest(unittest.TestCase):
    @given(metre_maps(), st.integers(-10, 120))
    def test_bar_and_beat_are_inverse(self, metre_map, bar):
        beat = metre_map.beat_of_bar(bar)
        self.assertEqual(metre_map.bar_of_beat(beat), bar)
        self.assertEqual(str(metre_map.position(beat)), f"{bar}.1.1")

    def test_positions(self):
        metre_map = MetreMap((MetreChange(1, Metre(4, 4)), MetreChange(3, Metre(6, 8))))
        for beat, text in (
            (0, "1.1.1"), (1.25, "1.2.2"), (7.999999999999, "3.1.1"), (8, "3.1.1"),
            (9.5, "3.2.1"), (9.75, "3.2.2"), (11, "4.1.1"), (-1, "0.4.1"),
        ):  # fmt: skip
            with self.subTest(beat):
                self.assertEqual(str(metre_map.position(beat)), text)

    def test_bar_line_from(self):
        metre_map = MetreMap.steady(Metre(3, 4))
        self.assertEqual(metre_map.bar_line_from(3), 3)
        self.assertEqual(metre_map.bar_line_from(3.1), 6)

    @given(metre_maps(), st.integers(1, 40), st.integers(0, 63))
    def test_a_place_is_read_as_it_is_written(self, metre_map, bar, sixteenths):
        metre = metre_map.metre_at(bar)
        beat = metre_map.beat_of_bar(bar) + min(sixteenths / 4, metre.beats_per_bar - 0.25)
        beat = max(beat, metre_map.beat_of_bar(bar))
        self.assertAlmostEqual(metre_map.beat_of_place(str(metre_map.position(beat))), beat)

    def test_places_short_and_wrong(self):
        metre_map = MetreMap.steady(Metre(6, 8))
        for text, beat in (("1", 0), (" 3 ", 6), ("2.2", 4.5), ("1.1.3", 0.5), ("1.2.2", 1.75)):
            with self.subTest(text):
                self.assertEqual(metre_map.beat_of_place(text), beat)
        for text in ("", "x", "0", "1.3", "2.0", "1.1.0", "1.2.9", "-1", "1.5.x", "1" * 20):
            with self.subTest(text), self.assertRaises(TimeError):
                metre_map.beat_of_place(text)

    def test_refusals(self):
        for name, changes in {
            "none": (),
            "first not on bar 1": (MetreChange(2, Metre()),),
            "two on one bar": (MetreChange(1, Metre()), MetreChange(1, Metre(3, 4))),
        }.items():
            with self.subTest(name), self.assertRaises(TimeError):
                MetreMap(changes)

    def test_table_of_pulses(self):
        table = pulses(TempoMap.steady(120), MetreMap.steady(Metre(6, 8)), 48_000, 0, 1)
        # 6/8 at 120 quarters a minute: a dotted quarter lasts 0.75 s, 36 000 frames.
        self.assertEqual(
            [(p.beat, p.frame, p.bar, p.number) for p in table],
            [(-3, -72_000, 0, 1), (-1.5, -36_000, 0, 2), (0, 0, 1, 1), (1.5, 36_000, 1, 2),
             (3, 72_000, 2, 1)],
        )  # fmt: skip
