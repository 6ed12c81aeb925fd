"""`zeroknot listen`: what is heard in files."""

import json
import sys
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any, BinaryIO

import typer

from zeroknot.core.errors import ZeroKnotError
from zeroknot.core.formats.loop_file import LoopFile, read_loop_file
from zeroknot.core.formats.midi import read_midi
from zeroknot.core.formats.sniff import MIDI, sniff
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.midi_reading import hear_midi, midi_claims
from zeroknot.core.listening.reading import Claims
from zeroknot.core.listening.readings import listen


def listen_command(
    files: Annotated[list[Path], typer.Argument(help="audio or MIDI files")],
    as_json: Annotated[bool, typer.Option("--json", help="one JSON list")] = False,
) -> None:
    """Say what tempo, length, downbeat, attacks and key files have, and how sure that is."""
    entries = [_entry(file) for file in files]
    if as_json:
        print(json.dumps(entries))
    failed = False
    for entry in entries:
        if "error" in entry:
            print(f"zeroknot: {entry['file']}: {entry['error']}", file=sys.stderr)
            failed = True
        elif not as_json:
            _print(entry)
    if failed:
        raise typer.Exit(1)


def _entry(file: Path) -> dict[str, Any]:
    try:
        with file.open("rb") as opened:
            return {"file": str(file), **_heard(file, opened)}
    except OSError as error:
        return {"file": str(file), "error": f"cannot be opened: {error.strerror}"}
    except ZeroKnotError as error:
        return {"file": str(file), "error": str(error)}


def _heard(file: Path, opened: BinaryIO) -> dict[str, Any]:
    names = (file.stem, file.resolve().parent.name)
    if sniff(opened) == MIDI:
        loop = read_midi(opened)
        claims = midi_claims(loop, names)
        hearing = hear_midi(loop, claims)
        return {"kind": "midi", **_json(loop.seconds, hearing, claims, ())}
    read: LoopFile = read_loop_file(opened, names)
    hearing = listen(read.sound, read.claims)
    return {"kind": "audio", **_json(read.sound.seconds, hearing, read.claims, read.warnings)}


def _json(
    seconds: float, hearing: Hearing, claims: Claims, warnings: tuple[str, ...]
) -> dict[str, Any]:
    best = hearing.best
    return {
        "sound": hearing.sound.kind,
        "duration_s": seconds,
        "tempo_bpm": best.tempo_bpm if best else None,
        "tempo_confidence": best.confidence if best else 0.0,
        "beats_per_bar": best.beats_per_bar if best else None,
        "bars": best.bars if best else None,
        "downbeat_s": best.downbeat_s if best else None,
        "end_s": best.end_s if best else None,
        "beats_s": list(hearing.beats),
        "onsets_s": list(hearing.attack_seconds()),
        "key": hearing.key.key,
        "key_confidence": hearing.key.confidence,
        "tuning_cents": hearing.key.cents,
        "claims": asdict(claims),
        "readings": [asdict(r) for r in hearing.readings],
        "warnings": [*warnings, *hearing.warnings],
    }


def _print(entry: dict[str, Any]) -> None:
    about = [f"{entry['duration_s']:.3f} s", f"{len(entry['onsets_s'])} attacks"]
    if entry["sound"]:
        about.append(entry["sound"])
    if entry["key"]:
        about.append(f"{entry['key']} ({entry['key_confidence']:.0%})")
    print(f"{entry['file']}: {', '.join(about)}")
    for reading in entry["readings"]:
        print(
            f"  {reading['confidence']:4.0%}  {reading['bars']} x {reading['beats_per_bar']} beats"
            f" at {reading['tempo_bpm']:.2f} BPM from {reading['downbeat_s']:.3f} s"
            f" to {reading['end_s']:.3f} s ({reading['reason']})"
        )
    for warning in entry["warnings"]:
        print(f"  {warning}")
