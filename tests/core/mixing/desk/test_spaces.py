"""Room and echo: how long it rings by Sabine's formula, where each repeat lies."""

import unittest

import numpy as np
from scipy import signal

from zeroknot.core.errors import EditError
from zeroknot.core.mixing.desk.echo import EchoRun
from zeroknot.core.mixing.desk.room import LEVEL, Convolved, impulse
from zeroknot.core.mixing.desk.room_sizes import BANDS_HZ, ROOMS, frames_of
from zeroknot.core.mixing.desk.strip import EchoLine
from zeroknot.core.timeline.tempo_map import TempoMap, TempoPoint
from zeroknot.studio.desk import echo_delay

RATE = 44_100


def dies_away(sound):
    """Seconds for 60 dB, from −5 to −25 dB of Schroeder's backward integral (ISO 3382-1, T20)."""
    energy = np.cumsum(np.square(sound, dtype=np.float64)[::-1])[::-1]
    db = 10 * np.log10(energy / energy[0] + 1e-30)
    return 3 * (np.argmax(db < -25) - np.argmax(db < -5)) / RATE


class RoomTest(unittest.TestCase):
    def test_each_band_rings_as_long_as_sabine_says(self):
        for size, box in ROOMS.items():
            sound = impulse(size, RATE)[0]
            for hertz, seconds in list(zip(BANDS_HZ, box.seconds, strict=True))[1:3]:
                edges = [hertz / np.sqrt(2), hertz * np.sqrt(2)]
                band = signal.sosfiltfilt(
                    signal.butter(4, edges, "band", fs=RATE, output="sos"), sound
                )
                with self.subTest(size=size, hertz=hertz):
                    self.assertAlmostEqual(dies_away(band) / seconds, 1.0, delta=0.2)

    def test_as_loud_whatever_its_size_wide_and_the_same_each_time(self):
        for size in ROOMS:
            sound = impulse(size, RATE)
            self.assertEqual(sound.shape, (2, frames_of(size, RATE)))
            energy = np.sqrt(np.square(sound, dtype=np.float64).sum(axis=1))
            np.testing.assert_allclose(energy, LEVEL, rtol=1e-5)
            self.assertLess(abs(np.corrcoef(sound)[0, 1]), 0.1)
            impulse.cache_clear()
            np.testing.assert_array_equal(impulse(size, RATE), sound)
        with self.assertRaisesRegex(EditError, "small, medium, large"):
            frames_of("vast", RATE)

    def test_convolved_in_pieces_is_convolved(self):
        rng = np.random.default_rng(3)
        sound, room = rng.standard_normal((2, 20_000)), impulse("small", RATE)
        run = Convolved(room)
        pieces = [run.run(sound[:, a : a + 6000]) for a in range(0, 20_000, 6000)]
        wanted = signal.fftconvolve(sound, room.astype(np.float64), axes=1)[:, :20_000]
        np.testing.assert_allclose(
            np.concatenate(pieces, axis=1), wanted, atol=1e-6
        )  # single precision


class EchoTest(unittest.TestCase):
    def struck(self, echo, frames, at=0):
        sent = np.zeros((2, frames))
        t = np.arange(-100, 101)
        sent[0, at : at + 201] = np.cos(2 * np.pi * 1000 * t / RATE) * np.hanning(201)
        return EchoRun(echo, RATE).run(sent, 0)

    def test_repeats_lie_where_they_are_asked_and_change_sides(self):
        plain = EchoLine(((0, 5000.0),), 0.5, 10.0, 21_000.0)
        out = self.struck(plain, 21_000)
        peaks = [
            np.abs(out[c, a : a + 250]).max() for c, a in ((0, 5000), (1, 10_000), (0, 15_000))
        ]
        np.testing.assert_allclose(peaks, [1.0, 0.5, 0.25], rtol=0.01)
        self.assertLess(np.abs(out[1, :9999]).max(), 1e-9)
        same = EchoLine(((0, 5000.0),), 0.5, 10.0, 21_000.0, crossed=False)
        self.assertLess(np.abs(self.struck(same, 21_000)[1]).max(), 1e-9)

    def test_over_a_change_of_tempo_repeats_stay_on_the_beat(self):
        tempo = TempoMap((TempoPoint(0.0, 120.0), TempoPoint(2.0, 90.0)))
        delay = echo_delay(tempo, RATE, 0.75)
        echo = EchoLine(delay, 0.6, 10.0, 21_000.0, crossed=False)
        struck = tempo.frame_of_beat(1.5, RATE)
        out = self.struck(echo, tempo.frame_of_beat(6.0, RATE), struck)[0]
        for beat in (2.25, 3.0, 3.75):
            at = tempo.frame_of_beat(beat, RATE)
            near = np.abs(out[at - 200 : at + 400])
            # The middle of what was struck lies 100 frames on, and is slower by 120 / 90 now.
            self.assertLess(abs(int(near.argmax()) - 200 - 100 * 120 / 90), 6)

    def test_a_steady_tempo_has_one_time(self):
        self.assertEqual(echo_delay(TempoMap.steady(120), RATE, 0.75), ((0, 16_537.0),))
