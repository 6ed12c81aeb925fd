"""`zeroknot groove`: take the groove of a file, and write it as a MIDI file."""

import json
from pathlib import Path
from typing import Annotated

import typer

from zeroknot.core.errors import FormatError, ZeroKnotError
from zeroknot.core.formats.audio_file import read_audio
from zeroknot.core.formats.groove_midi import write_groove
from zeroknot.core.formats.midi import read_midi
from zeroknot.core.formats.sniff import MIDI, sniff
from zeroknot.core.groove.groove import GRIDS, MOST_BEATS, Groove, swing_ratio
from zeroknot.core.groove.hit import REGISTERS, Hit, at_sensitivity
from zeroknot.core.groove.measure import measured
from zeroknot.core.groove.notes import struck_notes
from zeroknot.core.groove.take import fits, grids_of, played_of, taken
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.listening.attacks import all_attacks
from zeroknot.core.timeline.metre_map import Metre
from zeroknot.core.warp.warp_map import WarpMap

GRID_NAMES = {name.replace(" ", "-"): per_beat for per_beat, name in GRIDS.items()}


def groove(
    source: Annotated[Path, typer.Argument(metavar="FILE")],
    bars: Annotated[int, typer.Option(help="bars that the file is, from its start on")],
    grid: Annotated[
        str | None, typer.Option(help="the likeliest if not given; " + ", ".join(GRID_NAMES))
    ] = None,
    fold: Annotated[int, typer.Option(help="bars it is folded to; 0 keeps it whole")] = 0,
    metre: Annotated[str, typer.Option(help="metre of the bars")] = "4/4",
    sensitivity: Annotated[
        float, typer.Option(help="percent: how unsure a hit may be to count")
    ] = 100 * SENSITIVITY,
    out: Annotated[Path | None, typer.Option(help="a MIDI file to write it to")] = None,
    as_json: Annotated[bool, typer.Option("--json", help="its steps as JSON")] = False,
) -> None:
    """Take the groove of FILE: how early, late, loud and soft each step is played."""
    if grid is not None and grid not in GRID_NAMES:
        raise typer.BadParameter(f"--grid is one of {', '.join(GRID_NAMES)}")
    per_bar = Metre.parse(metre).beats_per_bar
    if not 1 <= bars <= MOST_BEATS / per_bar or fold < 0 or (fold and bars % fold):
        raise typer.BadParameter(
            f"--bars is 1 to {int(MOST_BEATS / per_bar)}, and a whole number of times --fold"
        )
    if not 0.0 <= sensitivity <= 100.0:
        raise typer.BadParameter("--sensitivity is 0 to 100")
    hits, seconds = _hits(source)
    beats = bars * per_bar
    warp = WarpMap.between(0.0, seconds, beats)
    played = played_of(at_sensitivity(hits, sensitivity / 100.0), warp, 0.0, beats)
    grids = grids_of(played)
    whole = fold * per_bar or beats
    likely = next((g.per_beat for g in grids if fits(g.per_beat, whole)), 4)
    per_beat = GRID_NAMES[grid] if grid else likely
    made = taken(played, per_beat, beats, fold * per_bar, name=source.stem, origin=source.name)
    if out is not None:
        try:
            out.write_bytes(write_groove(made, per_bar))
        except OSError as error:
            raise ZeroKnotError(f"{out} cannot be written: {error.strerror}") from error
    off = next(e for e in grids if e.per_beat == per_beat).error_beats
    bpm = beats * 60.0 / seconds
    if as_json:
        print(json.dumps(_told(made, off * 60_000.0 / bpm)))
        return
    print(
        f"{made.name}: {GRIDS[per_beat]}, {len(made.played)} hits, off by "
        f"{off * 60_000.0 / bpm:.1f} ms; swing ratio {swing_ratio(made):.2f}"
    )
    for number, step in enumerate(made.steps):
        if step.hits:
            ms = step.offset / per_beat * 60_000.0 / bpm
            print(f"{number + 1:4}  {ms:+7.1f} ms  {step.accent_db:+5.1f} dB  {step.hits} hits")


def _hits(source: Path) -> tuple[tuple[Hit, ...], float]:
    """Hits of a file, and how long it is in seconds."""
    try:
        file = source.open("rb")
    except OSError as error:
        raise FormatError(f"{source} cannot be opened: {error.strerror}") from error
    with file:
        if sniff(file) == MIDI:
            loop = read_midi(file)
            return struck_notes(loop), loop.seconds
        sound = read_audio(file)[1]
    return measured(sound, all_attacks(sound)), sound.seconds


def _told(groove: Groove, error_ms: float) -> dict[str, object]:
    return {
        "name": groove.name,
        "grid": GRIDS[groove.per_beat],
        "per_beat": groove.per_beat,
        "beats": groove.beats,
        "error_ms": error_ms,
        "swing_ratio": swing_ratio(groove),
        "steps": [
            {"offset": s.offset, "accent_db": s.accent_db, "spread": s.spread, "hits": s.hits}
            for s in groove.steps
        ],
        "registers": {
            register: [
                {"offset": s.offset, "accent_db": s.accent_db, "hits": s.hits}
                for s in groove.of(register)
            ]
            for register in REGISTERS
            if groove.of(register)
        },
    }
