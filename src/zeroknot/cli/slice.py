"""`zeroknot slice`: cut a file up; write its slices, or a new order of them."""

import json
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Annotated

import numpy as np
import typer

from zeroknot.cli.sound import laid, sound_of
from zeroknot.core.audio import Audio, Samples
from zeroknot.core.errors import ZeroKnotError
from zeroknot.core.formats.order_midi import write_order
from zeroknot.core.formats.riff import BIT_DEPTHS, FLOAT_BITS, LoopMark, wav_bytes
from zeroknot.core.listening.attack import SENSITIVITY, Attacks
from zeroknot.core.listening.attacks import all_attacks, sounding_range
from zeroknot.core.order.deal import MOST_SEED, Deal, dealt
from zeroknot.core.order.order import Order
from zeroknot.core.render.order_plan import OrderPlan, plan_order, plan_pads
from zeroknot.core.render.order_run import OrderRendering
from zeroknot.core.render.pass_file import folded
from zeroknot.core.render.plan import RenderPlan, plan_pass
from zeroknot.core.render.run import Rendering
from zeroknot.core.slicing.alike import distances
from zeroknot.core.slicing.cut import (
    MOST_PIECES,
    Cut,
    Cuts,
    by_attacks,
    by_beats,
    into_equal,
    nearest,
)
from zeroknot.core.slicing.kit import cues_of, kit_files
from zeroknot.core.slicing.onset import begins
from zeroknot.core.slicing.piece import Piece
from zeroknot.core.timeline.metre_map import Metre
from zeroknot.core.timeline.tempo_map import TempoMap
from zeroknot.core.units import frame
from zeroknot.core.warp.warp_map import WarpMap

QUARTERS = 4.0  # of a whole note
NEAR_SECONDS = 0.06


def slice_command(
    source: Annotated[Path, typer.Argument(metavar="IN")],
    out: Annotated[
        Path,
        typer.Option(
            help="KIT.sfz, a folder for a WAV a slice, a WAV (with cue points; with --deal the "
            "new order), or a MIDI file of the order"
        ),
    ],
    by: Annotated[
        str, typer.Option(help="attacks, a note value like 1/8 or 1/16t, or how many equal slices")
    ] = "attacks",
    sensitivity: Annotated[
        float, typer.Option(help="percent: how unsure an attack may be to be cut at")
    ] = 100 * SENSITIVITY,
    snap: Annotated[
        bool, typer.Option("--snap", help="cut at the attack next to each beat, where one is near")
    ] = False,
    bars: Annotated[int | None, typer.Option(help="bars that the file is")] = None,
    metre: Annotated[str, typer.Option(help="metre of those bars")] = "4/4",
    from_tempo: Annotated[float | None, typer.Option(help="BPM of the input")] = None,
    tempo: Annotated[float | None, typer.Option(help="BPM of the output; the input's else")] = None,
    deal: Annotated[
        int | None, typer.Option(help="deal a new order; the same seed, the same")
    ] = None,
    like: Annotated[bool, typer.Option("--like", help="like for like")] = False,
    fades: Annotated[float, typer.Option(help="ms of the fades at each cut")] = 4.0,
    bits: Annotated[int, typer.Option(help="of a WAV: 16, 24 or 32 (float)")] = FLOAT_BITS,
    as_json: Annotated[bool, typer.Option("--json", help="say what was done as JSON")] = False,
) -> None:
    """Cut IN up; write its slices, or a new order of them, to OUT."""
    if like and deal is None:
        raise typer.BadParameter("--like goes with --deal")
    if deal is not None and not 0 <= deal <= MOST_SEED:
        raise typer.BadParameter(f"--deal is from 0 to {MOST_SEED}")
    if bits not in BIT_DEPTHS or not 0.0 <= sensitivity <= 100.0 or not 0.0 <= fades <= 500.0:
        raise typer.BadParameter("--bits is 16, 24 or 32, --sensitivity 0 to 100, --fades 0 to 500")
    sound, meter = sound_of(source), Metre.parse(metre)
    warp = laid(sound, bars, meter, from_tempo)
    attacks = all_attacks(sound)
    starts = _starts(by, warp, attacks.at_sensitivity(sensitivity / 100.0), sound, snap)
    piece = Piece(fade_in_ms=fades / 2, fade_out_ms=fades)
    cut = Cut(starts, (piece,) * len(starts))
    bpm = tempo or warp.span * 60.0 / warp.body_seconds
    order = Order.as_cut(starts, warp)
    if deal is not None:
        apart = distances(sound, (*starts, warp.end.second)) if like else None
        order = dealt(
            order, Deal(deal, like=like), apart, meter.beats_per_bar, meter.beats_per_pulse
        )
    sliced = _Sliced(source, sound, attacks, warp, cut, order, bpm, meter)
    files = sliced.files(out, deal is not None, bits)
    for path, data in files:
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(data)
        except OSError as error:
            raise ZeroKnotError(f"{path} cannot be written: {error.strerror}") from error
    told = {
        "file": str(source),
        "slices": [{"start_s": a, "end_s": b} for a, b in _pairs(starts, warp.end.second)],
        "tempo_bpm": bpm,
        "order": [asdict(tile) for tile in order.tiles],
        "written": [str(path) for path, _ in files],
    }
    if as_json:
        print(json.dumps(told))
    else:
        print(f"{source.name}: {len(starts)} slices, {len(files)} files written")


def _pairs(starts: Cuts, end: float) -> list[tuple[float, float]]:
    return list(zip(starts, (*starts[1:], end), strict=True))


def _starts(by: str, warp: WarpMap, attacks: Attacks, sound: Audio, snap: bool) -> Cuts:
    if by == "attacks":
        begun = begins(sound, attacks.seconds).tolist()
        sure = list(zip(begun, attacks.sureness.tolist(), strict=True))
        return by_attacks(sure, warp, sounding_range(sound)[0])
    if by.isdecimal():
        if not 1 <= int(by) <= MOST_PIECES:
            raise typer.BadParameter(f"a loop is cut into 1 to {MOST_PIECES} slices")
        starts = into_equal(warp, int(by))
    else:
        starts = by_beats(warp, _beats(by))
    return (
        nearest(starts, begins(sound, attacks.seconds).tolist(), NEAR_SECONDS) if snap else starts
    )


def _beats(by: str) -> float:
    """Quarter notes of a note value like 1/8, or 1/8t for a triplet."""
    value = by.removesuffix("t")
    one, _, parts = value.partition("/")
    if one != "1" or not parts.isdecimal() or int(parts) not in (1, 2, 4, 8, 16, 32, 64):
        raise typer.BadParameter(
            "--by is attacks, a note value from 1/1 to 1/64 (1/8t: triplets) or a number of slices"
        )
    return QUARTERS / int(parts) * (2 / 3 if by.endswith("t") else 1.0)


@dataclass(frozen=True)
class _Sliced:
    """A file cut up, with the order of its slices and the tempo they are laid at."""

    source: Path
    sound: Audio
    attacks: Attacks
    warp: WarpMap
    cut: Cut
    order: Order
    bpm: float
    metre: Metre

    def files(self, out: Path, is_dealt: bool, bits: int) -> list[tuple[Path, bytes]]:
        """What is written, and where."""
        ending = out.suffix.lower()
        if ending in (".mid", ".midi"):
            written = self.metre.numerator, self.metre.denominator
            return [(out, write_order(self.order, self.cut.on_pads, self.bpm, written))]
        if ending == ".wav":
            return [(out, self._in_order(bits) if is_dealt else self._with_cues(bits))]
        if ending not in (".sfz", ""):
            raise typer.BadParameter("--out is a .sfz, .wav or .mid file, or a folder")
        plan, pads = plan_pads(self._base, self.cut, self._frame_of, self.sound.channels)
        name = out.stem if ending else self.source.stem
        found = list(kit_files(self._rendered(plan), plan.rate, pads, self.cut.pieces, name))
        if ending:
            return [(out.parent / path, data) for path, data in found]
        return [(out / Path(path).name, data) for path, data in found[1:]]

    def _with_cues(self, bits: int) -> bytes:
        cues = cues_of(self.cut.starts, self.cut.pieces, self.sound)
        return wav_bytes(self.sound, bits, cues=cues)

    def _in_order(self, bits: int) -> bytes:
        plan = plan_order(
            base=self._base, cut=self.cut, order=self.order, channels=self.sound.channels,
            frame_of=self._frame_of,
        )  # fmt: skip
        body = folded(plan, self._rendered(plan), "wrap", False)
        made = Audio(np.ascontiguousarray(body, np.float32), plan.rate)
        return wav_bytes(made, bits, LoopMark(0, made.frames))

    def _frame_of(self, beat: float) -> int:
        return frame(beat * 60.0 / self.bpm * self.sound.rate)

    def _rendered(self, plan: OrderPlan) -> Samples:
        sources = [Rendering(self.sound, self.attacks, s) for s in plan.sources]
        return OrderRendering(plan, sources).whole()

    @property
    def _base(self) -> RenderPlan:
        return plan_pass(
            source="", rate=self.sound.rate, warp=self.warp, start_beat=0.0, method="strike",
            tempo_map=TempoMap.steady(self.bpm), lead_from=self.warp.zero.second,
            tail_to=self.warp.end.second,
        )  # fmt: skip
