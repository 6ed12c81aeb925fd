"""The loops of "Lantern Tide", each with a tempo, a start and a feel of its own."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.audio import Audio
from zeroknot.core.units import hertz_of_note
from zeroknot.demo import voices
from zeroknot.demo.voices import RATE, Wave, room

D2, D3, D4 = 38, 50, 62
Stereo = NDArray[np.float64]


@dataclass(frozen=True)
class DemoLoop:
    """file  its name, claims and all; make  gives its sound."""

    file: str
    make: Callable[[], Stereo]


class Tape:
    """Two channels on which hits are laid."""

    def __init__(self, seconds: float):
        self.frames = round(seconds * RATE)
        self.sound = np.zeros((2, self.frames + 4 * RATE))

    def lay(self, second: float, wave: Wave, pan: float = 0.0) -> None:
        first = round(second * RATE)
        angle = (pan + 1) * np.pi / 4
        for channel, gain in enumerate((np.cos(angle), np.sin(angle))):
            self.sound[channel, first : first + wave.size] += 1.3 * gain * wave

    def wrapped(self) -> Stereo:
        """What rings past the end is laid over the start: a loop cut exactly."""
        out = self.sound[:, : self.frames].copy()
        rest = self.sound[:, self.frames :]
        for start in range(0, rest.shape[1], self.frames):
            part = rest[:, start : start + self.frames]
            out[:, : part.shape[1]] += part
        return out

    def ringing(self, seconds: float) -> Stereo:
        """What rings past the end is kept for a while."""
        return self.sound[:, : self.frames + round(seconds * RATE)].copy()


def winch_house() -> Stereo:
    """Two bars of drums at 88.46 with a ratchet of a pickup in front, recorded a little loose."""
    rng = np.random.default_rng(1)
    beat, pickup = 60 / 88.46, 0.412
    tape = Tape(pickup + 8 * beat)
    tape.lay(pickup - 0.3, voices.ratchet(0.32, rng), -0.3)

    def at(b: float) -> float:
        return pickup + b * beat + float(rng.normal(0, 0.002)) * (b > 0)

    for b in (0, 2.5, 3.75, 4, 6.5):
        tape.lay(at(b), voices.kick(0.8))
    for b in (1, 3, 5, 7):
        tape.lay(at(b), voices.snare(0.5, rng), 0.1)
    for b in (2.25, 5.75, 7.5):
        tape.lay(at(b), voices.snare(0.13, rng), 0.1)
    for i in range(16):
        tape.lay(at(i / 2), voices.hat(0.24 if i % 2 == 0 else 0.15, rng), 0.3)
    tape.lay(at(7.5), voices.hat(0.22, rng, 0.14), 0.3)
    return room(tape.ringing(0.0), 0.5, 0.25, 11)


def foghorn_bass() -> Stereo:
    """Four bars at 104, D minor: long calls and short answers, cut exactly."""
    beat = 60 / 104
    tape = Tape(16 * beat)
    line = (
        (0, 2.5, 0),
        (2.75, 0.5, 0),
        (3.5, 0.5, 3),
        (4, 2.5, -4),
        (6.75, 0.5, -4),
        (7.5, 0.5, -2),
        (8, 2.5, 5),
        (10.75, 0.5, 5),
        (11.5, 0.5, 3),
        (12, 2, -5),
        (14, 1, -2),
        (15, 0.75, -1),
    )
    for at, length, step in line:
        tape.lay(at * beat, voices.foghorn(hertz_of_note(D2 + step), length * beat * 0.9, 0.33))
    return tape.wrapped()


def lamp_room_keys() -> Stereo:
    """Four bars of chords at 92.5, tuned 14 cents sharp."""
    beat, sharp = 60 / 92.5, 2 ** (14 / 1200)
    tape = Tape(16 * beat)
    chords = ((0, (0, 7, 10, 15, 17)), (4, (-4, 8, 12, 15, 19)), (8, (5, 8, 12, 15, 20)),
              (12, (-5, 7, 11, 14, 17)))  # fmt: skip
    for start, notes in chords:
        for b, length, level in ((0, 1.6, 1.0), (1.75, 0.6, 0.6), (2.5, 1.4, 0.8)):
            for i, note in enumerate(notes):
                tone = voices.tine(hertz_of_note(D3 + note) * sharp, length * beat, 0.1 * level)
                tape.lay((start + b) * beat + 0.006 * i, tone, -0.5 + 0.25 * i)
    return room(tape.wrapped(), 0.9, 0.2, 12)


def gull_choir() -> Stereo:
    """Eight bars of slow voices at 118.2; the last breath rings past the end."""
    rng = np.random.default_rng(4)
    beat = 60 / 118.2
    tape = Tape(32 * beat)
    for start, notes in ((0, (0, 7, 15)), (8, (-4, 8, 15)), (16, (3, 10, 19)), (24, (-2, 5, 14))):
        for i, note in enumerate(notes):
            tone = voices.gull(hertz_of_note(D3 + note), 7.6 * beat, 0.035, rng)
            tape.lay(start * beat, tone, (i - 1) * 0.6)
    return room(tape.ringing(0.9), 1.6, 0.4, 13)


def rope_walk_shaker() -> Stereo:
    """One bar at 126 in shuffle: off-beats at two thirds."""
    rng = np.random.default_rng(5)
    beat = 60 / 126
    tape = Tape(4 * beat)
    for b in range(4):
        tape.lay(b * beat, voices.shaker(0.62, rng, 0.16), -0.2)
        tape.lay((b + 2 / 3) * beat, voices.shaker(0.36, rng, 0.11), 0.25)
    return tape.wrapped()


def bell_buoy_marimba() -> Stereo:
    """Two bars at 110, silence in front: somebody pressed record early."""
    beat, silence = 60 / 110, 0.31
    tape = Tape(silence + 8 * beat)
    notes = (0, 3, 7, 10, 12, 10, 7, 3, -2, 3, 5, 10, 12, 15, 10, 5)
    for i, step in enumerate(notes):
        if i not in (3, 11):
            level = 0.36 if i % 4 == 0 else 0.22
            bar = voices.buoy_bar(hertz_of_note(D4 + step), level)
            tape.lay(silence + i * beat / 2, bar, -0.4 + 0.05 * i)
    return room(tape.ringing(0.5), 0.7, 0.15, 15)


def deck_plates() -> Stereo:
    """Seventy seconds of drumming on the ship's deck: nobody kept time, and somebody hurried.

    A low plate, a high one and a rail, about 98 BPM and faster after bar 16; two seconds of steps
    and wind before it begins.
    """
    rng = np.random.default_rng(6)
    beats, silence = 112, 2.2
    place = np.arange(beats)
    drift = 0.035 * np.sin(place / 13) + 0.012 * np.sin(place / 4.1 + 1)
    tempo = 98 * (1 + drift) * np.where(place >= 64, 1.05, 1.0)
    times = silence + np.concatenate([[0.0], np.cumsum(60 / tempo)])
    tape = Tape(times[-1] + 1.0)
    for step in (0.35, 0.95, 1.6):
        tape.lay(step, voices.deck_plate(92, 0.03, rng), 0.6)

    def at(beat: float) -> float:
        whole = int(beat)
        return float(np.interp(beat - whole, (0, 1), times[whole : whole + 2])) + float(
            rng.normal(0, 0.004)
        )

    for bar in range(beats // 4):
        first = 4 * bar
        pattern = [(0, 0), (0.75, 2), (1, 1), (2, 0), (2.5, 0), (3, 1)]
        pattern += [(3.5, 2), (3.75, 2)] if bar % 4 == 3 else [(1.5, 2), (3.5, 2)]
        for beat, which in sorted(pattern):
            hertz, level, pan = ((78, 0.8, -0.25), (164, 0.6, 0.2), (515, 0.22, 0.5))[which]
            strength = level * (1 + 0.12 * rng.standard_normal())
            tape.lay(at(first + beat), voices.deck_plate(hertz, strength, rng), pan)
    wind = rng.standard_normal(tape.sound.shape) * 0.0012
    tape.sound += wind
    return room(tape.ringing(0.0), 0.8, 0.18, 16)


LOOPS = (
    DemoLoop("Winch-house break.wav", winch_house),
    DemoLoop("Foghorn bass 104bpm Dm.wav", foghorn_bass),
    DemoLoop("Lamp-room keys 92.5bpm Dm.wav", lamp_room_keys),
    DemoLoop("Gull choir Dm.wav", gull_choir),
    DemoLoop("Rope-walk shaker.wav", rope_walk_shaker),
    DemoLoop("Bell-buoy marimba Dm.wav", bell_buoy_marimba),
    DemoLoop("Deck plates, field take.wav", deck_plates),
)


def sound_of(loop: DemoLoop) -> Audio:
    """The loop at a sensible level: peak at −3 dBFS."""
    made = loop.make()
    made *= 10 ** (-3 / 20) / np.abs(made).max()
    return Audio(np.ascontiguousarray(made, dtype=np.float32), RATE)


@dataclass(frozen=True)
class DemoNotes:
    """A MIDI loop of the demo.

    file     its name
    program  General MIDI, from 0
    notes    (beat, beats, pitch, velocity)
    """

    file: str
    tempo_bpm: float
    program: int
    notes: tuple[tuple[float, float, int, int], ...]


def _arp() -> tuple[tuple[float, float, int, int], ...]:
    chords = ((62, 65, 69, 74), (58, 62, 65, 70), (60, 65, 69, 72), (57, 61, 64, 69))
    order = (0, 1, 2, 3, 2, 1, 3, 2)
    return tuple(
        (2 * bar + i / 4, 0.22, chords[bar][step], 96 if i % 4 == 0 else 74)
        for bar in range(4)
        for i, step in enumerate(order)
    )


def _pulse() -> tuple[tuple[float, float, int, int], ...]:
    roots = (38, 38, 41, 36)
    beats = ((0, 0.7), (0.75, 0.2), (1.5, 0.4), (2, 0.7), (2.75, 0.2), (3.5, 0.4))
    return tuple(
        (4 * bar + at, length, root + (12 if at == 3.5 else 0), 100 if at == 0 else 80)
        for bar, root in enumerate(roots)
        for at, length in beats
    )


NOTES = (
    DemoNotes("Tide-table arp.mid", 100.0, 24, _arp()),
    DemoNotes("Night ferry pulse.mid", 120.0, 38, _pulse()),
)


def midi_of(loop: DemoNotes) -> bytes:
    """The file's bytes, format 0."""
    import io

    import mido

    file, track = mido.MidiFile(type=0, ticks_per_beat=480), mido.MidiTrack()
    file.tracks.append(track)
    name = loop.file.removesuffix(".mid")
    track.append(mido.MetaMessage("track_name", name=name))
    track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(loop.tempo_bpm)))
    track.append(mido.Message("program_change", program=loop.program))
    events = sorted(
        (round(480 * at), is_on, pitch, velocity)
        for start, length, pitch, velocity in loop.notes
        for at, is_on in ((start, 1), (start + length, 0))
    )
    last = 0
    for tick, is_on, pitch, velocity in events:
        track.append(
            mido.Message("note_on", note=pitch, velocity=velocity * is_on, time=tick - last)
        )
        last = tick
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()
