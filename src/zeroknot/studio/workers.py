"""What runs in worker processes: listening to a file, rendering a block, measuring.

Values and content hashes go in and come out, so that another executor can do the same work.
Caches here live as long as the worker.
"""

import os
import shutil
import zipfile
import zlib
from dataclasses import replace
from functools import lru_cache
from pathlib import Path
from typing import Any, BinaryIO

import numpy as np

from zeroknot.core.audio import Audio, resampled
from zeroknot.core.errors import FormatError, ZeroKnotError
from zeroknot.core.formats.archive import Member, is_archive, members, parts_of
from zeroknot.core.formats.audio_file import LONGEST_SECONDS, read_audio
from zeroknot.core.formats.loop_file import read_loop_file
from zeroknot.core.formats.midi import MidiLoop, read_midi
from zeroknot.core.formats.riff import FLOAT_BITS, LoopMark, wav_bytes
from zeroknot.core.formats.sniff import MIDI, sniff
from zeroknot.core.listening.attack import Attacks
from zeroknot.core.listening.attacks import VERSION as ATTACKS_VERSION
from zeroknot.core.listening.attacks import all_attacks
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.midi_reading import hear_midi, midi_claims, rung_out_second
from zeroknot.core.listening.picture import COARSE, picture_of
from zeroknot.core.listening.reading import Claims
from zeroknot.core.listening.readings import listen
from zeroknot.core.listening.seams import (
    FoundLoop,
    TakePicture,
    at_zero_crossing,
    loops_in,
    seam_of,
)
from zeroknot.core.mixing.loudness import loudness
from zeroknot.core.overview import PEAK_BINS, TILE_BINS, peaks
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.render.kept_pieces import KeptPieces
from zeroknot.core.render.notes_run import NotesRendering
from zeroknot.core.render.plan import BLOCK_FRAMES, RenderPlan, plan_as_written, plan_ratio
from zeroknot.core.render.run import Rendering
from zeroknot.core.render.seam import Seam, crossfaded_end, seam_between
from zeroknot.core.stretch.methods import METHODS
from zeroknot.core.stretch.settings import Settings
from zeroknot.core.synth.sounding import sounded
from zeroknot.core.synth.voices import VOICES
from zeroknot.core.units import frame
from zeroknot.store.audio_store import AudioStore, block_path, peaks_path, sha256_of, write_whole
from zeroknot.studio.executors import THREADS_VARIABLE
from zeroknot.studio.listened import Listened, Unpacked

# Recordings and renderings kept open: a song asks for blocks of all its tracks in turn, and each
# costs milliseconds to open. Recordings are mapped, pieces are bounded elsewhere: little is held.
KEPT_OPEN = 96
CONVERSION = 2  # raised where another sample would come out of changing a rate
PICTURE_VERSION = 1  # of a take's picture in the cache
MIDI_RATE = 44_100  # at which a MIDI loop is drawn and measured
MEASURED_SECONDS = 60.0  # of a body; a take of half an hour need not be rendered to be matched


def warm_up() -> None:
    """Compile or load every kernel before somebody waits for it."""
    noise = np.random.default_rng(0).standard_normal((2, 8192)).astype(np.float32) * 0.1
    for channels in (noise, noise[:1]):
        sound = Audio(np.ascontiguousarray(channels), 44_100)
        attacks = all_attacks(sound)
        for method in METHODS:
            plan = plan_ratio(
                source="", rate=sound.rate, source_frames=sound.frames, duration_ratio=1.1,
                method=method, settings=Settings(semitones=1.0, formants=1.0),
            )  # fmt: skip
            Rendering(sound, attacks, plan).whole()
    loudness(np.tile(noise, 3), 44_100)
    for voice in VOICES:
        sounded(voice, 60, 100, 4410, 44_100)


def warm_up_listening() -> None:
    """Compile what listening needs: once after installing, the results are kept."""
    noise = np.random.default_rng(0).standard_normal((1, 88_200)).astype(np.float32) * 0.1
    noise *= np.arange(88_200, 0, -1) % 22_050 / 22_050
    listen(Audio(noise, 44_100))


def take_in(
    folder: Path, file: Path, names: tuple[str, ...], is_ours: bool, most_bytes: int
) -> Listened:
    """Read one file on its way in: a loop, or an archive of some.

    is_ours     it lies in the incoming folder; another is copied there first
    most_bytes  of an archive's files together
    """
    try:
        with file.open("rb") as opened:
            if is_archive(opened):
                return _unpacked(folder, opened, most_bytes)
        if is_ours:
            return listen_to(folder, file, names)
        copy = AudioStore(folder).new_incoming()
        shutil.copyfile(file, copy)
    except ZeroKnotError as error:
        return Listened(refusal=str(error))
    except OSError as error:
        return Listened(refusal=f"the file cannot be read: {error.strerror or error}")
    listened = listen_to(folder, copy, names)
    if listened.refusal is not None:
        copy.unlink(missing_ok=True)
        return listened
    return replace(listened, copy=copy)


def _unpacked(folder: Path, file: BinaryIO, most_bytes: int) -> Listened:
    store, found = AudioStore(folder), []
    try:
        with zipfile.ZipFile(file) as archive:
            for member in members(archive, most_bytes):
                if member.refusal:
                    found.append(Unpacked(member.name, None, member.refusal))
                else:
                    found.append(_taken_out(store, archive, member))
    except (zipfile.BadZipFile, EOFError, NotImplementedError) as error:
        raise FormatError("the archive is damaged or cut off; pack it again") from error
    return Listened(refusal=None, unpacked=tuple(found))


def _taken_out(store: AudioStore, archive: zipfile.ZipFile, member: Member) -> Unpacked:
    path = store.new_incoming()
    try:
        with archive.open(member.info) as source, path.open("wb") as target:
            for part in parts_of(source, member.info.file_size):
                target.write(part)
    except FormatError as error:
        path.unlink(missing_ok=True)
        return Unpacked(member.name, None, str(error))
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError):
        path.unlink(missing_ok=True)
        return Unpacked(member.name, None, "it is damaged in the archive")
    with path.open("rb") as taken:
        is_nested = is_archive(taken)
    if is_nested:  # one that holds itself would never end
        path.unlink()
        return Unpacked(
            member.name, None, "it is an archive in an archive; unpack it, then bring it"
        )
    return Unpacked(member.name, path)


def listen_to(folder: Path, file: Path, names: tuple[str, ...]) -> Listened:
    """Read one incoming file. Never raises for a bad file: the refusal says why."""
    try:
        with file.open("rb") as opened:
            if sniff(opened) == MIDI:
                return _listened_midi(folder, file, read_midi(opened), names)
            read = read_loop_file(opened, names)
    except ZeroKnotError as error:
        return Listened(refusal=str(error))
    except MemoryError:
        return Listened(refusal="the file is too large for this machine's memory")
    sha = sha256_of(file)
    sound = read.sound
    hearing = _measured(listen(sound, read.claims), sound)
    store = AudioStore(folder)
    _write_peaks(folder, sha, sound)
    _write_attacks(store, sha, hearing.attacks)
    return Listened(
        refusal=None,
        sha=sha,
        file_kind=read.kind,
        rate=sound.rate,
        channels=sound.channels,
        frames=sound.frames,
        claims=read.claims,
        hearing=hearing,
        warnings=(*read.warnings, *hearing.warnings),
    )


def _listened_midi(folder: Path, file: Path, loop: MidiLoop, names: tuple[str, ...]) -> Listened:
    if not loop.parts:
        return Listened(refusal="the MIDI file holds no notes")
    claims = midi_claims(loop, names)
    hearing = hear_midi(loop, claims)
    seconds = hearing.sounding[1]
    if seconds > LONGEST_SECONDS:
        return Listened(
            refusal=f"the MIDI file lasts {seconds / 60:.0f} minutes; up to "
            f"{LONGEST_SECONDS // 60} can be brought in"
        )
    sha = sha256_of(file)
    sound = _as_written(loop, MIDI_RATE, seconds, claims.voice)
    _write_peaks(folder, sha, sound)
    return Listened(
        refusal=None,
        sha=sha,
        file_kind=MIDI,
        rate=sound.rate,
        channels=sound.channels,
        frames=sound.frames,
        claims=claims,
        hearing=_measured(hearing, sound),
    )


def _measured(hearing: Hearing, sound: Audio) -> Hearing:
    """With the loudness of what sounds, of a long take's beginning."""
    first, last = (round(s * sound.rate) for s in hearing.sounding)
    heard = sound.samples[:, first : min(last, first + round(MEASURED_SECONDS * sound.rate))]
    level = loudness(heard, sound.rate) if heard.shape[1] else None
    is_told = level is not None and np.isfinite(level)
    return replace(hearing, loudness_db=level if is_told else None)


def listen_again(folder: Path, sha: str, claims: Claims) -> Hearing:
    """What today's listening makes out of a recording that is on the shelf already."""
    midi = _midi(folder, sha)
    if midi:
        return _measured(
            hear_midi(midi, claims), sounded_midi(folder, sha, MIDI_RATE, claims.voice)
        )
    sound = _decoded(folder, sha)
    hearing = _measured(listen(sound, claims), sound)
    _write_attacks(AudioStore(folder), sha, hearing.attacks)
    return hearing


def source_block(folder: Path, sha: str, rate: int, index: int) -> bytes:
    """Block of a recording at a rate: float32 planar, channels one after another."""
    sound = _source(folder, sha, rate)
    return np.ascontiguousarray(
        sound.samples[:, index * BLOCK_FRAMES : (index + 1) * BLOCK_FRAMES]
    ).tobytes()


def render_block(folder: Path, plan: RenderPlan, index: int) -> None:
    """Render one block and lay it into the cache; done already, it is left alone."""
    place = block_path(folder, plan.digest, index)
    if not place.exists():
        write_whole(place, np.ascontiguousarray(_rendering(folder, plan).block(index)).tobytes())


def render_whole(folder: Path, plan: RenderPlan) -> Any:
    """Lead, body and tail of a plan: float32 [channels, plan.frames]."""
    return _rendering(folder, plan).whole()


def render_peaks(
    folder: Path, plan: RenderPlan, frames_per_bin: int, tile: int | None = None
) -> bytes:
    """Peaks of a whole render, or of one tile of it: float32 [bins, 2] as bytes."""
    name = f"peaks-{frames_per_bin}" + ("" if tile is None else f"-{tile}")
    place = block_path(folder, plan.digest, 0).with_name(name)
    if not place.exists():
        first, frames = 0, plan.frames
        if tile is not None:
            first = tile * TILE_BINS * frames_per_bin
            frames = max(0, min(plan.frames - first, TILE_BINS * frames_per_bin))
        if not frames:
            return b""
        sound = Audio(_rendering(folder, plan).frames(first, frames), plan.rate)
        write_whole(place, peaks(sound, frames_per_bin).tobytes())
    return place.read_bytes()


def body_loudness(folder: Path, plan: RenderPlan) -> tuple[float, float]:
    """Loudness in dB of the body (a long one's beginning) as recorded and as fitted."""
    sound = _source(folder, plan.source, plan.rate)
    frames = min(plan.body_frames, round(MEASURED_SECONDS * plan.rate))
    stop = float(plan.time_map.source_of(np.asarray([float(frames)]))[0])
    zero, end = (round(s * plan.rate) for s in (plan.zero_second, stop))
    recorded = sound.samples[:, max(0, zero) : max(1, min(end, sound.frames))]
    fitted = _rendering(folder, plan).frames(plan.lead_frames, frames)
    return loudness(recorded, plan.rate), loudness(fitted, plan.rate)


def write_source_peaks(folder: Path, sha: str) -> None:
    """Peaks of a recording at its own rate, into the cache."""
    _write_peaks(folder, sha, _decoded(folder, sha))


def _write_peaks(folder: Path, sha: str, sound: Audio) -> None:
    for frames_per_bin in PEAK_BINS:
        place = peaks_path(folder, sha, frames_per_bin)
        write_whole(place, peaks(sound, frames_per_bin).tobytes())


def loops_in_take(
    folder: Path, sha: str, pulses: tuple[float, ...], first_bar: int, per_bar: int
) -> tuple[FoundLoop, ...]:
    """Loops that a take holds, best first."""
    picture = _take_picture(folder, sha)
    return loops_in(picture, _attacks(folder, sha), np.asarray(pulses), first_bar, per_bar)


def edges_of_range(
    folder: Path, sha: str, rate: int, start_s: float, end_s: float
) -> tuple[tuple[float, float], float]:
    """Both edges at the nearest rise through zero, and how the seam sounds."""
    sound = _source(folder, sha, rate)
    crossing = at_zero_crossing(sound, start_s), at_zero_crossing(sound, end_s)
    return crossing, seam_of(_take_picture(folder, sha), start_s, end_s)


def seams_of_pass(
    folder: Path, sha: str, rate: int, start_s: float, end_s: float, tail_to: float,
    crossfade_s: float,
) -> tuple[Seam, Seam]:  # fmt: skip
    """The seam as recorded, and as it is crossfaded.

    tail_to  second to which it rings on past its end
    """
    sound = _source(folder, sha, rate)
    start, end = frame(start_s * rate), frame(end_s * rate)
    recorded = seam_between(sound.samples, start, end, rate, frame(tail_to * rate) - end)
    if not crossfade_s:
        return recorded, recorded
    ending = crossfaded_end(sound.samples, start, end, frame(crossfade_s * rate))
    heard = seam_between(sound.samples, start, end, rate, ending=ending)
    return recorded, heard


def crop_to_file(
    folder: Path, sha: str, rate: int, start_s: float, end_s: float, file: Path
) -> int:
    """A stretch of a recording, sample for sample, as a WAV of floats; returns its frames."""
    sound = _source(folder, sha, rate)
    first, last = frame(start_s * rate), min(sound.frames, frame(end_s * rate))
    part = Audio(np.ascontiguousarray(sound.samples[:, first:last]), rate)
    file.write_bytes(wav_bytes(part, FLOAT_BITS, LoopMark(0, part.frames)))
    return part.frames


@lru_cache(maxsize=4)
def _take_picture(folder: Path, sha: str) -> TakePicture:
    """What a take looks like from afar, made once and kept."""
    place = AudioStore(folder).cache / "takes" / sha[:2] / f"{sha}-{PICTURE_VERSION}"
    if not place.exists():
        picture = picture_of(_decoded(folder, sha))
        head = np.asarray([COARSE * picture.hop_seconds, picture.colours.shape[1]], np.float32)
        write_whole(place, head.tobytes() + picture.colours.tobytes())
    table = np.frombuffer(place.read_bytes(), np.float32)
    return TakePicture(table[2:].reshape(-1, int(table[1])), float(table[0]))


def _attacks_path(store: AudioStore, sha: str) -> Path:
    return store.cache / "attacks" / sha[:2] / f"{sha}-{ATTACKS_VERSION}"


def _write_attacks(store: AudioStore, sha: str, attacks: object) -> None:
    write_whole(_attacks_path(store, sha), np.asarray(attacks, np.float64).tobytes())


def _attacks(folder: Path, sha: str) -> Attacks:
    """Attacks of a recording at its own rate, so that every rate is cut at the same moments."""
    store = AudioStore(folder)
    place = _attacks_path(store, sha)
    if not place.exists():
        found = all_attacks(_decoded(folder, sha))
        table = np.stack([found.seconds, found.strengths, found.sureness], axis=1)
        _write_attacks(store, sha, table)
    table = np.frombuffer(place.read_bytes()).reshape(-1, 3)
    return Attacks(table[:, 0], table[:, 1], table[:, 2])


def notes_of(folder: Path, sha: str) -> list[tuple[float, float, int]]:
    """A MIDI loop's notes as (start, end, pitch), seconds."""
    midi = _midi(folder, sha)
    notes = [n for part in midi.parts for n in part.notes] if midi else []
    return sorted((n.start, n.end, n.pitch) for n in notes)


def sounded_midi(folder: Path, sha: str, rate: int, voice: str | None) -> Audio:
    """A MIDI loop at its own tempo.

    voice  that plays what has a pitch; None for the parts' own
    """
    midi = _midi(folder, sha)
    if midi is None:
        raise FormatError("this loop is a recording, not MIDI")
    return _as_written(midi, rate, rung_out_second(midi, voice), voice)


def _as_written(loop: MidiLoop, rate: int, seconds: float, voice: str | None) -> Audio:
    plan = plan_as_written("", rate, seconds, Settings(voice=voice))
    return Audio(NotesRendering(loop, plan).whole(), rate)


@lru_cache(maxsize=32)
def _midi(folder: Path, sha: str) -> MidiLoop | None:
    """The notes of a MIDI loop; None where it is a recording."""
    with AudioStore(folder).path(sha).open("rb") as file:
        return read_midi(file) if sniff(file) == MIDI else None


def _decoded(folder: Path, sha: str) -> Audio:
    if _midi(folder, sha):
        return sounded_midi(folder, sha, MIDI_RATE, None)
    with AudioStore(folder).path(sha).open("rb") as file:
        return read_audio(file)[1]


@lru_cache(maxsize=KEPT_OPEN)
def _source(folder: Path, sha: str, rate: int) -> Audio:
    """A recording at a rate, converted once and then mapped from the cache."""
    place = AudioStore(folder).cache / "sources" / sha[:2] / f"{sha}-{rate}-{CONVERSION}.npy"
    if not place.exists():
        is_midi = _midi(folder, sha) is not None
        sound = (
            sounded_midi(folder, sha, rate, None)
            if is_midi
            else resampled(_decoded(folder, sha), rate)
        )
        place.parent.mkdir(parents=True, exist_ok=True)
        beside = place.with_name(f".{place.name}.{os.getpid()}.npy")
        np.save(beside, sound.samples)
        os.replace(beside, place)
    return Audio(np.load(place, mmap_mode="r"), rate)


@lru_cache(maxsize=KEPT_OPEN)
def _rendering(folder: Path, plan: RenderPlan) -> InBlocks:
    midi = _midi(folder, plan.source)
    if midi:
        return NotesRendering(midi, plan)
    threads = int(os.environ.get(THREADS_VARIABLE, "2"))
    sound = _source(folder, plan.source, plan.rate)
    return Rendering(sound, _attacks(folder, plan.source), plan, threads, _kept_pieces())


@lru_cache(maxsize=1)
def _kept_pieces() -> KeptPieces:
    """What plans that differ by a knot have in common."""
    return KeptPieces()
