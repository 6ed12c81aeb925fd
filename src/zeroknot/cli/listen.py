"""`zeroknot listen`: what is heard in files."""

import json
import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from zeroknot.core.errors import ZeroKnotError
from zeroknot.core.formats.loop_file import LoopFile, read_loop_file
from zeroknot.core.listening.readings import Heard, listen


def listen_command(
    files: Annotated[list[Path], typer.Argument(help="audio files")],
    as_json: Annotated[bool, typer.Option("--json", help="one JSON list")] = False,
) -> None:
    """Say what tempo, length, downbeat and attacks files seem to have, and how sure that is."""
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
            read = read_loop_file(opened, (file.stem, file.resolve().parent.name))
    except OSError as error:
        return {"file": str(file), "error": f"cannot be opened: {error.strerror}"}
    except ZeroKnotError as error:
        return {"file": str(file), "error": str(error)}
    return {"file": str(file), **_heard_json(read, listen(read.sound, read.claims))}


def _heard_json(read: LoopFile, heard: Heard) -> dict[str, Any]:
    best, claims = heard.best, read.claims
    return {
        "kind": "audio",
        "sound": None,
        "duration_s": read.sound.seconds,
        "tempo_bpm": best.tempo_bpm if best else None,
        "tempo_confidence": best.confidence if best else 0.0,
        "beats_per_bar": best.beats_per_bar if best else None,
        "bars": best.bars if best else None,
        "downbeat_s": best.downbeat_s if best else None,
        "end_s": best.end_s if best else None,
        "beats_s": list(heard.beats()),
        "onsets_s": heard.attacks.seconds.tolist(),
        "key": None,
        "key_confidence": 0.0,
        "tuning_cents": None,
        "claims": {
            "tempo_bpm": claims.tempo_bpm,
            "bars": claims.bars,
            "key": claims.key,
            "loop_start_s": claims.loop_start_s,
            "loop_end_s": claims.loop_end_s,
            "title": claims.title,
            "sources": list(claims.sources),
        },
        "readings": [
            {
                "bars": r.bars,
                "beats_per_bar": r.beats_per_bar,
                "tempo_bpm": r.tempo_bpm,
                "downbeat_s": r.downbeat_s,
                "end_s": r.end_s,
                "confidence": r.confidence,
                "reason": r.reason,
            }
            for r in heard.readings
        ],
        "warnings": [*read.warnings, *heard.warnings],
    }


def _print(entry: dict[str, Any]) -> None:
    print(f"{entry['file']}: {entry['duration_s']:.3f} s, {len(entry['onsets_s'])} attacks")
    for reading in entry["readings"]:
        print(
            f"  {reading['confidence']:4.0%}  {reading['bars']} x {reading['beats_per_bar']} beats"
            f" at {reading['tempo_bpm']:.2f} BPM from {reading['downbeat_s']:.3f} s"
            f" to {reading['end_s']:.3f} s ({reading['reason']})"
        )
    for warning in entry["warnings"]:
        print(f"  {warning}")
