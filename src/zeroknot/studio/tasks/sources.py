"""How does a worker get at a recording, its notes and its attacks?"""

import os
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import numpy as np

from zeroknot.core.apart.apart import hits_of, tones_of
from zeroknot.core.apart.parts import APART_VERSION, Parts
from zeroknot.core.audio import Audio, Samples, resampled
from zeroknot.core.errors import FormatError
from zeroknot.core.formats.audio_file import read_audio
from zeroknot.core.formats.midi import MidiLoop, read_midi
from zeroknot.core.formats.sniff import MIDI, sniff
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.attacks import VERSION as ATTACKS_VERSION
from zeroknot.core.listening.attacks import all_attacks
from zeroknot.core.listening.midi_reading import rung_out_second
from zeroknot.core.notes.written import Score, score_of
from zeroknot.core.render.blocks import BLOCK_FRAMES
from zeroknot.core.render.notes_run import NotesRendering
from zeroknot.core.render.plan import plan_as_written
from zeroknot.core.stretch.settings import StretchSettings
from zeroknot.store.audio_store import AudioStore, write_whole
from zeroknot.store.cache import note_use

# Recordings and renderings kept open: a song asks for blocks of all its tracks in turn, and each
# costs milliseconds to open. Recordings are mapped, pieces are bounded elsewhere: little is held.
KEPT_OPEN = 96
CONVERSION = 2  # raised where another sample would come out of changing a rate
MIDI_RATE = 44_100  # at which a MIDI loop is drawn and measured


@lru_cache(maxsize=KEPT_OPEN)
def source_at(folder: Path, sha: str, rate: int) -> Audio:
    """A recording at a rate, converted once and then mapped from the cache."""

    def made() -> Audio:
        if midi_of(folder, sha) is not None:
            return sounded_midi(folder, sha, rate, None)
        return resampled(decoded(folder, sha), rate)

    return Audio(_mapped(folder, sha, f"{rate}-{CONVERSION}", lambda: made().samples), rate)


@lru_cache(maxsize=KEPT_OPEN)
def part_at(folder: Path, sha: str, rate: int, part: Parts) -> Audio:
    """A recording, its tones or its hits at a rate: told apart once, then mapped from the cache."""
    sound = source_at(folder, sha, rate)
    if part == "whole":
        return sound

    def made() -> Samples:
        if part == "tones":
            return tones_of(sound)
        return hits_of(sound, part_at(folder, sha, rate, "tones")).samples

    return Audio(_mapped(folder, sha, f"{rate}-{CONVERSION}-{part}-{APART_VERSION}", made), rate)


def _mapped(folder: Path, sha: str, name: str, made: Callable[[], Samples]) -> Samples:
    """Samples of a recording's kind, made once: mapped from the cache, float32 [channels, n]."""
    place = AudioStore(folder).cache / "sources" / sha[:2] / f"{sha}-{name}.npy"
    if not place.exists():
        samples = made()
        place.parent.mkdir(parents=True, exist_ok=True)
        beside = place.with_name(f".{place.name}.{os.getpid()}.npy")
        try:
            _write(beside, samples)
            os.replace(beside, place)
        except BaseException:
            beside.unlink(missing_ok=True)
            raise
    note_use(place)
    return np.asarray(np.load(place, mmap_mode="r"))


def _write(place: Path, samples: Samples) -> None:
    """As `np.save`, which does not say why where a disk is full."""
    samples = np.ascontiguousarray(samples)
    header = np.lib.format.header_data_from_array_1_0(samples)
    with place.open("wb") as file:
        np.lib.format.write_array_header_1_0(file, header)
        file.write(samples.data.cast("B"))


def source_block(folder: Path, sha: str, rate: int, index: int) -> bytes:
    """Block of a recording at a rate: float32 planar, channels one after another."""
    sound = source_at(folder, sha, rate)
    return np.ascontiguousarray(
        sound.samples[:, index * BLOCK_FRAMES : (index + 1) * BLOCK_FRAMES]
    ).tobytes()


def decoded(folder: Path, sha: str) -> Audio:
    if midi_of(folder, sha):
        return sounded_midi(folder, sha, MIDI_RATE, None)
    with AudioStore(folder).path(sha).open("rb") as file:
        return read_audio(file)[1]


@lru_cache(maxsize=32)
def midi_of(folder: Path, sha: str) -> MidiLoop | None:
    """The notes of a MIDI loop; None where it is a recording."""
    with AudioStore(folder).path(sha).open("rb") as file:
        return read_midi(file) if sniff(file) == MIDI else None


def notes_of(folder: Path, sha: str) -> list[tuple[float, float, int]]:
    """A MIDI loop's notes as (start, end, pitch), seconds."""
    midi = midi_of(folder, sha)
    notes = [n for part in midi.parts for n in part.notes] if midi else []
    return sorted((n.start, n.end, n.pitch) for n in notes)


def score_in(folder: Path, sha: str) -> Score:
    """What a MIDI loop has written."""
    midi = midi_of(folder, sha)
    if midi is None:
        raise FormatError("this loop is a recording, not MIDI")
    return score_of(midi)


def sounded_midi(folder: Path, sha: str, rate: int, voice: str | None) -> Audio:
    """A MIDI loop at its own tempo.

    voice  that plays what has a pitch; None for the parts' own
    """
    midi = midi_of(folder, sha)
    if midi is None:
        raise FormatError("this loop is a recording, not MIDI")
    return as_written(midi, rate, rung_out_second(midi, voice), voice)


def as_written(loop: MidiLoop, rate: int, seconds: float, voice: str | None) -> Audio:
    plan = plan_as_written("", rate, seconds, StretchSettings(voice=voice))
    return Audio(NotesRendering(loop, plan).whole(), rate)


def attacks_of(folder: Path, sha: str) -> Attacks:
    """Attacks of a recording at its own rate, so that every rate is cut at the same moments."""
    store = AudioStore(folder)
    place = _attacks_path(store, sha)
    if not place.exists():
        found = all_attacks(decoded(folder, sha))
        table = np.stack([found.seconds, found.strengths, found.sureness], axis=1)
        write_attacks(store, sha, table)
    table = np.frombuffer(place.read_bytes()).reshape(-1, 3)
    return Attacks(table[:, 0], table[:, 1], table[:, 2])


def write_attacks(store: AudioStore, sha: str, attacks: object) -> None:
    write_whole(_attacks_path(store, sha), np.asarray(attacks, np.float64).tobytes())


def _attacks_path(store: AudioStore, sha: str) -> Path:
    return store.cache / "attacks" / sha[:2] / f"{sha}-{ATTACKS_VERSION}"
