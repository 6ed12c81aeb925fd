"""How does a project travel? One zip: the document, what is known of its loops, their recordings.

Layout: project.json, loops.json, audio/<sha256>. Recordings are stored as they came and checked
against their names when they come in.
"""

import json
import zipfile
from dataclasses import asdict
from typing import BinaryIO

from pydantic import ValidationError

from zeroknot.core.errors import FormatError
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.reading import Claims, Reading
from zeroknot.core.loop import Loop
from zeroknot.document.project import Project
from zeroknot.store.audio_store import COPY_BYTES, AudioStore, sha256_of
from zeroknot.store.loops import LoopStore
from zeroknot.studio.projects import Projects

LARGEST_TEXT = 64 * 1024 * 1024
LARGEST_AUDIO = 3 * 10**9


class Bundles:
    def __init__(self, projects: Projects, loops: LoopStore, store: AudioStore):
        self._projects, self._loops, self._store = projects, loops, store

    def write(self, project: str, target: BinaryIO) -> None:
        """The project as it is now, with the audio of every loop it uses, into an open file."""
        tree = self._projects.state(project).project
        loops = self._loops.named(tree.loops())
        with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as bundle:
            bundle.writestr("project.json", tree.model_dump_json(indent=1))
            bundle.writestr("loops.json", json.dumps([asdict(v) for v in loops.values()], indent=1))
            for sha in sorted(loops):
                bundle.write(self._store.path(sha), f"audio/{sha}", zipfile.ZIP_STORED)

    def read(self, file: BinaryIO) -> str:
        """Bring a bundle in as a new project; returns its id. Nothing is kept of a bad one."""
        try:
            with zipfile.ZipFile(file) as bundle:
                tree = Project.model_validate_json(_text(bundle, "project.json"))
                loops = [_loop(entry) for entry in json.loads(_text(bundle, "loops.json"))]
                missing = tree.loops() - {loop.sha for loop in loops}
                if missing:
                    raise FormatError("the project uses loops that are not in its file")
                for loop in loops:
                    self._take_audio(bundle, loop)
        except (zipfile.BadZipFile, KeyError, ValueError, TypeError, ValidationError) as error:
            raise FormatError(
                "this is not a project written by Zero Knot, or it is damaged; write it out again"
            ) from error
        for loop in loops:
            self._loops.add(loop)
        return self._projects.adopt(tree, "brought in from a file")

    def _take_audio(self, bundle: zipfile.ZipFile, loop: Loop) -> None:
        if self._loops.has(loop.sha):
            return
        info = bundle.getinfo(f"audio/{loop.sha}")
        if info.file_size > LARGEST_AUDIO:
            raise FormatError(f"a recording in the file has {info.file_size / 1e9:.1f} GB")
        incoming = self._store.new_incoming()
        with bundle.open(info) as source, incoming.open("wb") as target:
            left = info.file_size
            while left > 0 and (part := source.read(min(COPY_BYTES, left))):
                target.write(part)
                left -= len(part)
        if sha256_of(incoming) != loop.sha:
            incoming.unlink()
            raise FormatError(f"the recording of {loop.name!r} is damaged in the file")
        self._store.keep(incoming, loop.sha)


def _text(bundle: zipfile.ZipFile, name: str) -> str:
    if bundle.getinfo(name).file_size > LARGEST_TEXT:
        raise FormatError(f"{name} in the file is too large to be a project")
    return bundle.read(name).decode()


def _loop(entry: dict[str, object]) -> Loop:
    fields = dict(entry)
    claims = dict(fields.pop("claims"))  # type: ignore[call-overload]
    claims["sources"] = tuple(claims["sources"])
    stated = fields.pop("stated")
    fields["tags"] = tuple(fields.get("tags", ()))  # type: ignore[arg-type]
    return Loop(
        claims=Claims(**claims),
        hearing=Hearing.from_json(fields.pop("hearing")),  # type: ignore[arg-type]
        warnings=tuple(fields.pop("warnings")),  # type: ignore[arg-type]
        stated=Reading(**stated) if stated else None,  # type: ignore[arg-type]
        **fields,  # type: ignore[arg-type]
    )
