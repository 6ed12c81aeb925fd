"""What is in a file on its way in?"""

import shutil
import zipfile
from dataclasses import replace
from pathlib import Path
from typing import BinaryIO

import numpy as np

from zeroknot.core.audio import Audio
from zeroknot.core.errors import FormatError, ZeroKnotError
from zeroknot.core.formats.archive import Member, is_archive, members, opened_archive, parts_of
from zeroknot.core.formats.audio_file import LONGEST_SECONDS
from zeroknot.core.formats.loop_file import read_loop_file
from zeroknot.core.formats.midi import MidiLoop, read_midi
from zeroknot.core.formats.sniff import MIDI, sniff
from zeroknot.core.listening.company import NOBODY, Company
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.liken import likeness_in
from zeroknot.core.listening.midi_reading import hear_midi, midi_claims
from zeroknot.core.listening.reading import Claims
from zeroknot.core.listening.readings import listen, listen_closely
from zeroknot.core.mixing.loudness import loudness
from zeroknot.store.audio_store import AudioStore, sha256_of
from zeroknot.store.room import NO_ROOM, is_no_room
from zeroknot.studio.listened import Listened, Unpacked
from zeroknot.studio.tasks.pictures import write_peaks
from zeroknot.studio.tasks.sources import (
    MIDI_RATE,
    as_written,
    decoded,
    midi_of,
    sounded_midi,
    write_attacks,
)

MEASURED_SECONDS = 60.0  # of what sounds: a take of half an hour need not be heard to be matched


def take_in(
    folder: Path, file: Path, names: tuple[str, ...], is_ours: bool, most_bytes: int,
    company: Company = NOBODY,
) -> Listened:  # fmt: skip
    """Read one file on its way in: a loop, or an archive of some.

    is_ours     it lies in the incoming folder; another is copied there first
    most_bytes  of an archive's files together
    company     those of its set that a person stated something of
    """
    try:
        with file.open("rb") as opened:
            if is_archive(opened):
                return _unpacked(folder, opened, most_bytes)
        if is_ours:
            return listen_to(folder, file, names, company)
        copy = AudioStore(folder).new_incoming()
        shutil.copyfile(file, copy)
    except ZeroKnotError as error:
        return Listened(refusal=str(error))
    except OSError as error:
        why = f"the file cannot be read: {error.strerror or error}"
        return Listened(refusal=NO_ROOM if is_no_room(error) else why)
    listened = listen_to(folder, copy, names, company)
    if listened.refusal is not None:
        copy.unlink(missing_ok=True)
        return listened
    return replace(listened, copy=copy)


def _unpacked(folder: Path, file: BinaryIO, most_bytes: int) -> Listened:
    store, found = AudioStore(folder), []
    with opened_archive(file) as archive:
        for member in members(archive, most_bytes):
            if member.refusal:
                found.append(Unpacked(member.name, None, member.refusal))
            else:
                found.append(_taken_out(store, archive, member))
    return Listened(refusal=None, unpacked=tuple(found))


def _taken_out(store: AudioStore, archive: zipfile.ZipFile, member: Member) -> Unpacked:
    path = store.new_incoming()
    try:
        with path.open("wb") as target:
            for part in parts_of(archive, member.info):
                target.write(part)
    except FormatError as error:
        path.unlink(missing_ok=True)
        return Unpacked(member.name, None, str(error))
    with path.open("rb") as taken:
        is_nested = is_archive(taken)
    if is_nested:  # one that holds itself would never end
        path.unlink()
        return Unpacked(
            member.name, None, "it is an archive in an archive; unpack it, then bring it"
        )
    return Unpacked(member.name, path)


def listen_to(
    folder: Path, file: Path, names: tuple[str, ...], company: Company = NOBODY
) -> Listened:
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
    heard, material = listen_closely(sound, read.claims, company)
    hearing = measured(heard, sound)
    start, end, bars = hearing.body(sound.seconds)
    peaks = material.peaks if material else None
    store = AudioStore(folder)
    write_peaks(folder, sha, sound)
    write_attacks(store, sha, hearing.attacks)
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
        likeness=likeness_in(sound, start, end, bars, peaks).packed,
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
    sound = as_written(loop, MIDI_RATE, seconds, claims.voice)
    write_peaks(folder, sha, sound)
    return Listened(
        refusal=None,
        sha=sha,
        file_kind=MIDI,
        rate=sound.rate,
        channels=sound.channels,
        frames=sound.frames,
        claims=claims,
        hearing=measured(hearing, sound),
        likeness=likeness_in(sound, *hearing.body(sound.seconds)).packed,
    )


def listen_again(folder: Path, sha: str, claims: Claims, company: Company = NOBODY) -> Hearing:
    """What today's listening makes out of a recording that is on the shelf already."""
    midi = midi_of(folder, sha)
    if midi:
        return measured(hear_midi(midi, claims), sounded_midi(folder, sha, MIDI_RATE, claims.voice))
    sound = decoded(folder, sha)
    hearing = measured(listen(sound, claims, company), sound)
    write_attacks(AudioStore(folder), sha, hearing.attacks)
    return hearing


def measured(hearing: Hearing, sound: Audio) -> Hearing:
    """With the loudness of what sounds, of a long take's beginning."""
    first, last = (round(s * sound.rate) for s in hearing.sounding)
    heard = sound.samples[:, first : min(last, first + round(MEASURED_SECONDS * sound.rate))]
    level = loudness(heard, sound.rate) if heard.shape[1] else None
    is_told = level is not None and np.isfinite(level)
    return replace(hearing, loudness_db=level if is_told else None)
