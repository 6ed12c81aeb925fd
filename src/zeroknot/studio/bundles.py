"""How does a project travel? One zip: the document, what is known of its loops, their recordings.

Layout: project.json, loops.json, audio/<sha256>. Recordings are stored as they came and checked
against their names when they come in.
"""

import json
import math
import re
import zipfile
from dataclasses import asdict
from functools import cache
from pathlib import Path
from typing import BinaryIO

from pydantic import TypeAdapter

from zeroknot.core.audio import HIGHEST_RATE, LOWEST_RATE
from zeroknot.core.errors import FormatError
from zeroknot.core.formats.archive import opened_archive, parts_of
from zeroknot.core.harmony.key import Key, KeyNameError
from zeroknot.core.loop import NO_KEY, Loop
from zeroknot.document.coherent import coherent
from zeroknot.document.stored import tree_text, tree_value
from zeroknot.store.audio_store import AudioStore, sha256_of
from zeroknot.store.codec import newest_recipe
from zeroknot.store.loops import LoopStore
from zeroknot.studio.projects import Projects

# What may go wrong in texts that are not what they were.
DAMAGE = (
    KeyError, ValueError, TypeError, AttributeError, IndexError, OverflowError, RecursionError,
    KeyNameError,
)  # fmt: skip
SHA = re.compile(r"[0-9a-f]{64}")
LARGEST_TEXT = 64 * 1024 * 1024
LARGEST_AUDIO = 3 * 10**9


class Bundles:
    def __init__(self, projects: Projects, loops: LoopStore, store: AudioStore):
        self._projects, self._loops, self._store = projects, loops, store

    def write(self, project: str, target: BinaryIO) -> None:
        """The project as it is now, with the audio of every loop it uses, into an open file."""
        tree = self._projects.state(project).project
        loops = self._loops.named(tree.loops() | tree.prints())
        with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as bundle:
            bundle.writestr("project.json", tree_text(tree, indent=1))
            bundle.writestr("loops.json", json.dumps([asdict(v) for v in loops.values()], indent=1))
            for sha in sorted(loops):
                bundle.write(self._store.path(sha), f"audio/{sha}", zipfile.ZIP_STORED)

    def read(self, file: BinaryIO) -> str:
        """Bring a bundle in as a new project; returns its id. Nothing is kept of a bad one.

        Everything is read and checked before anything is written. Raises FormatError.
        """
        arrived: dict[str, Path] = {}
        try:
            with opened_archive(file) as bundle:
                tree = coherent(tree_value(_text(bundle, "project.json")))
                loops = loops_of(_text(bundle, "loops.json"))
                if tree.loops() - {loop.sha for loop in loops}:
                    raise FormatError("the project uses loops that are not in its file")
                for loop in loops:
                    if not self._loops.has(loop.sha):
                        arrived[loop.sha] = self._store.new_incoming()
                        self._take_audio(bundle, loop, arrived[loop.sha])
        except DAMAGE as error:
            _drop(arrived)
            raise FormatError(
                "this is not a project written by Zero Knot, or it is damaged; write it out again"
            ) from error
        except BaseException:
            _drop(arrived)
            raise
        for sha, incoming in arrived.items():
            self._store.keep(incoming, sha)
        for loop in loops:
            self._loops.add(loop)
        return self._projects.adopt(tree, "brought in from a file")

    def _take_audio(self, bundle: zipfile.ZipFile, loop: Loop, incoming: Path) -> None:
        info = bundle.getinfo(f"audio/{loop.sha}")
        if info.file_size > LARGEST_AUDIO:
            raise FormatError(f"a recording in the file has {info.file_size / 1e9:.1f} GB")
        with incoming.open("wb") as target:
            for part in parts_of(bundle, info):
                target.write(part)
        if sha256_of(incoming) != loop.sha:
            raise FormatError(f"the recording of {loop.name!r} is damaged in the file")


def _drop(arrived: dict[str, Path]) -> None:
    for incoming in arrived.values():
        incoming.unlink(missing_ok=True)


def _text(bundle: zipfile.ZipFile, name: str) -> str:
    if bundle.getinfo(name).file_size > LARGEST_TEXT:
        raise FormatError(f"{name} in the file is too large to be a project")
    return b"".join(parts_of(bundle, bundle.getinfo(name))).decode()


@cache
def _loops() -> TypeAdapter[list[Loop]]:
    """Made when the first bundle comes: it takes as long as reading a hundred loops."""
    return TypeAdapter(list[Loop])


def loops_of(text: str) -> list[Loop]:
    """The loops of a bundle, each of its types and a recording that could be."""
    said = json.loads(text)
    for loop in said:
        if loop.get("recipe") is not None:
            loop["recipe"] = newest_recipe(loop["recipe"])
    found = _loops().validate_python(said, strict=False)
    for loop in found:
        if not SHA.fullmatch(loop.sha) or not _is_finite(asdict(loop)):
            raise ValueError(f"{loop.sha!r} is no loop")
        is_sound = loop.frames > 0 and loop.channels in (1, 2) and loop.seconds > 0
        if not is_sound or not LOWEST_RATE <= loop.rate <= HIGHEST_RATE or not loop.name:
            raise ValueError(f"{loop.name!r} is no recording")
        for reading in (*loop.hearing.readings, *((loop.stated,) if loop.stated else ())):
            if reading.bars < 1 or reading.beats_per_bar < 1 or reading.tempo_bpm <= 0:
                raise ValueError(f"{loop.name!r} has a reading that makes no sense")
        for key in (loop.stated_key, loop.claims.key, loop.hearing.key.key):
            if key not in (None, NO_KEY):
                Key.parse(str(key))
    return found


def _is_finite(value: object) -> bool:
    if isinstance(value, dict):
        return all(_is_finite(v) for v in value.values())
    if isinstance(value, tuple | list):
        return all(_is_finite(v) for v in value)
    return not isinstance(value, float) or math.isfinite(value)
