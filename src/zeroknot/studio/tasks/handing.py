"""How do loops leave: one as a file, several in a ZIP, a pack with its page?"""

import zipfile
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from zeroknot.core.audio import Audio
from zeroknot.core.formats.handed import ENDINGS, HandOver, encoded
from zeroknot.core.formats.pack_page import pack_page
from zeroknot.core.formats.riff import Cue, LoopMark
from zeroknot.studio.handed import Handed
from zeroknot.studio.tasks.kits import WRITTEN_AT
from zeroknot.studio.tasks.sources import decoded, midi_of, sounded_midi

PAGE = "index.html"


def hand_one(folder: Path, one: Handed, how: HandOver, file: Path) -> float:
    """A file of it; returns by how many dB its level was changed."""
    data, changed_db = _data(folder, one, how)
    file.write_bytes(data)
    return changed_db


def hand_many(
    folder: Path, every: Sequence[Handed], how: HandOver, title: str | None, file: Path
) -> float:
    """A ZIP of them, with a page where it has a title; the largest change of a level in dB."""
    most, shown = 0.0, []
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as packed:
        for one in every:
            data, changed_db = _data(folder, one, how)
            most = max(most, changed_db, key=abs)
            name = f"{one.stem}.{ENDINGS[how.format]}"
            packed.writestr(zipfile.ZipInfo(name, WRITTEN_AT), data)
            if title is not None and one.recipe:
                packed.writestr(zipfile.ZipInfo(f"{one.stem}.json", WRITTEN_AT), one.recipe)
            if one.page:
                shown.append(replace(one.page, file=name))
        if title is not None:
            packed.writestr(zipfile.ZipInfo(PAGE, WRITTEN_AT), pack_page(title, shown))
    return most


def _data(folder: Path, one: Handed, how: HandOver) -> tuple[bytes, float]:
    if midi_of(folder, one.sha) is not None:
        sound = sounded_midi(folder, one.sha, one.rate, one.voice)
    else:
        sound = decoded(folder, one.sha)
    mark = _mark(sound, one.body)
    cues = [
        Cue(round(second * sound.rate), label)
        for second, label in one.cuts
        if 0 <= second < sound.seconds
    ]
    return encoded(sound, how, mark, one.tags, cues)


def _mark(sound: Audio, body: tuple[float, float] | None) -> LoopMark | None:
    if body is None:
        return None
    start = max(0, round(body[0] * sound.rate))
    end = min(sound.frames, round(body[1] * sound.rate))
    return LoopMark(start, end) if end > start + 1 else None
