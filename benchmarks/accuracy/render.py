"""How do composed loops become recordings with known truth?

Conventions
-----------
- Loops are rendered in batches, one MIDI file a batch, by fluidsynth with a free soundfont
  (Debian: fluid-soundfont-gm, timgm6mb-soundfont, musescore-general-soundfont-small and others), or
  without any recording by `voices`.
- A world is what a loop is played by. Those of APART are never learnt from.
- An attack is where a sound reaches a tenth of the peak of its first 60 ms; how long that is after
  the note's start is measured for every sound, played alone.
"""

import json
import subprocess
import tempfile
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import mido
import numpy as np
import soundfile

from benchmarks.accuracy.compose import PROGRAMS, Note, Rng
from benchmarks.accuracy.voices import hit, voice_of

RATE = 44_100
TICKS_PER_BEAT = 9_600
TICKS_PER_SECOND = 2 * TICKS_PER_BEAT  # at the file's 120 BPM
SOUNDS = Path("/usr/share/sounds")
FONTS = {
    "fluid": SOUNDS / "sf2/FluidR3_GM.sf2", "tim": SOUNDS / "sf2/TimGM6mb.sf2",
    "muse": SOUNDS / "sf3/MuseScore_General_Lite.sf3", "mono": SOUNDS / "sf3/FluidR3Mono_GM.sf3",
    "pearl": SOUNDS / "sf2/Black_Pearl_4_LV2.sf2",
    "bank": SOUNDS / "sf2/sf_GMbank.sf2", "opl": SOUNDS / "sf2/OPL-3_FM_128M.sf2",
    "zeppelin": SOUNDS / "sf2/Red_Zeppelin_4_LV2.sf2",
}  # fmt: skip
SOUNDFONTS = ("fluid", "tim", "muse")  # what the other benchmarks are played by
MADE = "made"  # the world of `voices`
DRUMS_ONLY = ("pearl", "zeppelin")
APART = ("bank", "opl", "zeppelin")
LEARNT = ("fluid", "tim", "muse", "mono", "pearl", MADE, MADE)
ROOM_BEFORE, ROOM_AFTER = 0.4, 3.0  # seconds of a batch round every loop
KITS = (0, 0, 0, 8, 16, 24, 25, 32, 40)
CHANNELS = {role: i for i, role in enumerate(PROGRAMS)} | {"drums": 9}


@dataclass(frozen=True)
class Timed:
    """A note in seconds from the loop's first downbeat."""

    start: float
    end: float
    note: Note


@dataclass(frozen=True)
class Score:
    """What one loop asks the synthesizer to play.

    before  seconds of pickup
    after   seconds of the pass; what rings on is recorded, too
    """

    notes: tuple[Timed, ...]
    programs: dict[str, int]
    before: float
    after: float
    cents: float = 0.0


@dataclass
class Band:
    """A world, and how late each of its sounds is heard."""

    world: str
    cache: Path
    late: dict[str, float] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._file = self.cache / f"late-{self.world}.json"
        if self._file.exists():
            self.late = json.loads(self._file.read_text())

    def record(self, scores: Sequence[Score], reverb: bool) -> list[np.ndarray]:
        """Each loop from its pickup on to ROOM_AFTER past its end: float64 [frames, 2]."""
        at, starts = 0.2, []
        for score in scores:
            starts.append(at + ROOM_BEFORE + score.before)
            at = starts[-1] + score.after + ROOM_AFTER
        events = [
            e
            for score, start in zip(scores, starts, strict=True)
            for e in _events(score, start, self.world in DRUMS_ONLY)
        ]
        sound = synthesized(FONTS[self.world], events, reverb)
        found = []
        for score, start in zip(scores, starts, strict=True):
            first = round((start - score.before) * RATE)
            last = round((start + score.after + ROOM_AFTER) * RATE)
            part = sound[first:last]
            found.append(np.pad(part, ((0, last - first - part.shape[0]), (0, 0))))
        return found

    def learn_lateness(self, keys: Iterable[str]) -> None:
        """Play every sound alone that is not known yet, and measure its attack."""
        missing = sorted(set(keys) - set(self.late))
        if not missing:
            return
        scores = []
        for key in missing:
            role, program, pitch = key.split(":")
            note = Note(0, 0.5, role, int(pitch), 100)
            scores.append(Score((Timed(0.0, 0.5, note),), {role: int(program)}, 0.0, 0.0))
        for key, sound in zip(missing, self.record(scores, reverb=False), strict=True):
            size = np.abs(sound).max(axis=1)[: int(0.12 * RATE)]
            peak = size[: int(0.06 * RATE)].max()
            self.late[key] = float(np.argmax(size > 0.1 * peak)) / RATE if peak > 0 else 0.0
        self._file.write_text(json.dumps(self.late))

    def late_of(self, note: Note, programs: dict[str, int]) -> float:
        """Seconds from the note's start to its attack."""
        return self.late[self.key_of(note, programs)]

    @staticmethod
    def key_of(note: Note, programs: dict[str, int]) -> str:
        pitch = note.pitch if note.role == "drums" else note.pitch // 6 * 6 + 3
        return f"{note.role}:{programs[note.role]}:{pitch}"


class Made(Band):
    """What is made without any recording: it is heard at once, but for pads."""

    def record(self, scores: Sequence[Score], reverb: bool) -> list[np.ndarray]:
        return [_made(score) for score in scores]

    def learn_lateness(self, keys: Iterable[str]) -> None:
        pass

    def late_of(self, note: Note, programs: dict[str, int]) -> float:
        return 0.0


def band_of(world: str, cache: Path) -> Band:
    """Who plays in a world."""
    return Made(world, cache) if world == MADE else Band(world, cache)


def _made(score: Score) -> np.ndarray:
    first, last = round(-score.before * RATE), round((score.after + ROOM_AFTER) * RATE)
    out = np.zeros((last - first, 2))
    rng = np.random.default_rng(sum(score.programs.values()))
    parts = {
        role: (voice_of(role, np.random.default_rng(seed)) if role != "drums" else None)
        for role, seed in score.programs.items()
    }
    sides = {role: rng.uniform(0.3, 0.7) for role in parts}
    loud = {role: 10 ** (rng.uniform(-9, 0) / 20) for role in parts}
    for timed in score.notes:
        note, voice = timed.note, parts[timed.note.role]
        if voice is None:
            sound = hit(note, score.programs["drums"], rng)
        else:
            hertz = 440 * 2 ** ((note.pitch - 69 + score.cents / 100) / 12)
            sound = voice(hertz, timed.end - timed.start, rng)
            sound = sound / (np.abs(sound).max() + 1e-9) * 0.5
        at = max(0, round(timed.start * RATE) - first)
        sound = sound[: out.shape[0] - at] * (note.velocity / 127) ** 2 * loud[note.role]
        side = sides[note.role]
        out[at : at + sound.size] += sound[:, None] * (np.sqrt(1 - side), np.sqrt(side))
    return out


def _events(score: Score, start: float, is_kit: bool) -> list[tuple[float, int, Any]]:
    """is_kit: the font's only sound is a kit, and no percussion to the synthesizer"""
    events: list[tuple[float, int, Any]] = []
    channels = {**CHANNELS, "drums": 0} if is_kit else CHANNELS
    early = start - score.before - 0.3
    bend = round(score.cents / 200 * 8192)
    for role, program in score.programs.items():
        channel = channels[role]
        program = 0 if is_kit else program
        events.append((early, 0, mido.Message("program_change", channel=channel, program=program)))
        if channel != 9 and not is_kit:
            for control, value in ((101, 0), (100, 0), (6, 2), (38, 0)):
                events.append(
                    (
                        early,
                        0,
                        mido.Message(
                            "control_change", channel=channel, control=control, value=value
                        ),
                    )
                )
            events.append((early, 1, mido.Message("pitchwheel", channel=channel, pitch=bend)))
    for timed in score.notes:
        n = timed.note
        message = {"channel": channels[n.role], "note": n.pitch}
        on = mido.Message("note_on", velocity=n.velocity, **message)
        events.append((start + timed.start, 3, on))
        off = mido.Message("note_on", velocity=0, **message)
        events.append((start + max(timed.end, timed.start + 0.02), 2, off))
    return events


def synthesized(soundfont: Path, events: list[tuple[float, int, Any]], reverb: bool) -> np.ndarray:
    file, track = mido.MidiFile(ticks_per_beat=TICKS_PER_BEAT), mido.MidiTrack()
    file.tracks.append(track)
    last = 0
    for second, _, message in sorted(events, key=lambda e: (round(e[0] * TICKS_PER_SECOND), e[1])):
        tick = round(second * TICKS_PER_SECOND)
        track.append(message.copy(time=tick - last))
        last = tick
    with tempfile.TemporaryDirectory() as folder:
        midi, wav = Path(folder) / "a.mid", Path(folder) / "a.wav"
        file.save(midi)
        subprocess.run(
            ["fluidsynth", "-ni", "-q", "-g", "0.4", "-r", str(RATE), "-R", "1" if reverb else "0",
             "-C", "0", "-o", "synth.polyphony=256", "-T", "wav", "-O", "float", "-F", wav,
             soundfont, midi],
            check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        sound, rate = soundfile.read(wav, always_2d=True)
    assert rate == RATE
    return sound


def drifting(tempo: float, drift: float, pulses: float) -> Callable[[float], float]:
    """Pulses to seconds; the tempo goes from 1 − drift to 1 + drift, its mean `tempo`."""
    if not drift:
        return lambda pulse: pulse * 60 / tempo

    def raw(pulse: float) -> float:
        return float(np.log1p(2 * drift * pulse / pulses / (1 - drift)) / (2 * drift))

    scale = pulses * 60 / tempo / raw(pulses)
    start = 60 / tempo / (1 - drift)
    return lambda pulse: raw(pulse) * scale if pulse > 0 else pulse * start


def swung(position: float, swing: float, unit: float) -> float:
    """A position in pulses under swing (0.5 straight, 0.667 triplets) of pairs `unit` long."""
    whole, part = divmod(position / unit + 1e-9, 1.0)
    part -= 1e-9
    part = part * 2 * swing if part <= 0.5 else swing + (part - 0.5) * 2 * (1 - swing)
    return float((whole + part) * unit)


def pick_programs(roles: Iterable[str], rng: Rng, world: str = "") -> dict[str, int]:
    if world == MADE:
        return {role: int(rng.integers(2**31)) for role in roles}
    return {role: int(rng.choice(KITS if role == "drums" else PROGRAMS[role])) for role in roles}
