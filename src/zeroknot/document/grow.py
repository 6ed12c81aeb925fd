"""What else could a loop become? Seeded variations of how it is treated, from close to far.

Conventions
-----------
- Python's own generator, drawn from by `random()` alone: the same seed grows the same anywhere.
- `far` is 0…1: how many things change, and each how much.
- What is grown says in a few words what is other in it.
"""

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from random import Random
from typing import Any, Literal, get_args

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.digest import digest_of
from zeroknot.core.errors import EditError, ZeroKnotError
from zeroknot.core.order.deal import MOST_SEED, Deal, dealt
from zeroknot.core.order.order import SAME_BEATS, Order, Tile
from zeroknot.core.slicing.cut import Cuts
from zeroknot.core.stretch.methods import METHODS
from zeroknot.document.quick import cut_evenly, shifted, times
from zeroknot.document.slices import Dealt
from zeroknot.document.steps import place_said
from zeroknot.document.strand import Strand

Change = Literal[
    "order", "levels", "pitch", "reverse", "rolls", "filter", "method", "groove", "speed", "key",
    "register",
]  # fmt: skip
CHANGES: tuple[Change, ...] = get_args(Change)
MOST_AT_ONCE = 4  # things that change in what goes as far as can be
TRIES = 64  # for one that is like none before
CUT_BEATS = 0.5
CLOSE_SHIFTS, FAR_SHIFTS = (-5, 5, 7, -7), (-12, 12, 3, -3, 4, -4)
ROLL_HITS = (2, 3, 4, 6)
SWINGS = (0.54, 0.58, 0.62, 0.66)  # share of two steps that the first takes
LOWEST_HZ, HIGHEST_HZ = 180.0, 9000.0
REGISTER_HZ = {"low": 250.0, "high": 3500.0}
# Not musical: what a strand is called, and which of its rounds and deals are kept.
NAMES = {"id", "name", "yarn", "dealt", "rounds", "printed", "reading"}
Distances = NDArray[np.float64]


@dataclass(frozen=True)
class Bed:
    """What variations grow from, beside the strand.

    attacks    seconds of the recording at which it may be cut
    distances  how unlike two of its pieces sound; None where nobody listened
    is_tuned   has it notes, so that a shift of all of it makes a difference of key?
    bar, pulse  beats
    """

    attacks: Cuts = ()
    distances: Distances | None = None
    is_tuned: bool = True
    bar: float = 4.0
    pulse: float = 1.0


def grown(
    strand: Strand, may: Collection[Change], far: float, seed: int, bed: Bed
) -> tuple[Strand, str]:
    """One variation, and what is other in it.

    may    what may change
    far    0 close … 1 far
    """
    random = Random(seed)
    known = _allowed(may, bed)
    most = 1 + round(far * (MOST_AT_ONCE - 1))
    chosen: list[Change] = []
    for _ in range(1 + int(random.random() * most)):
        left = [c for c in known if c not in chosen]
        if left:
            chosen.append(left[int(random.random() * len(left))])
    said = []
    for change in CHANGES:  # in one order, so that what is drawn does not hang on what is chosen
        own = Random(int(random.random() * MOST_SEED))
        if change in chosen:
            strand, words = GROWS[change](strand, far, own, bed)
            said.append(words)
    return strand, ", ".join(w for w in said if w)


def several(
    strand: Strand, may: Collection[Change], far: float, seed: int, count: int, bed: Bed,
    known: Collection[str] = (),
) -> list[tuple[int, Strand, str]]:  # fmt: skip
    """So many variations: seed, strand and words of each; none like another, none like known ones.

    known  `sound_of` of what is there already
    """
    _allowed(may, bed)
    seen = {sound_of(strand), *known}
    random = Random(seed)
    found: list[tuple[int, Strand, str]] = []
    for _ in range(count * TRIES):
        if len(found) == count:
            break
        own = int(random.random() * MOST_SEED)
        try:
            new, said = grown(strand, may, far, own, bed)
        except ZeroKnotError:
            continue
        mark = sound_of(new)
        if mark in seen or not said:
            continue
        seen.add(mark)
        found.append((own, new, said))
    return found


def _allowed(may: Collection[Change], bed: Bed) -> list[Change]:
    found = [c for c in CHANGES if c in may and (c != "key" or bed.is_tuned)]
    if not found:
        raise EditError("nothing of it may change: allow something")
    return found


def sound_of(strand: Strand) -> str:
    """Strands that sound the same have the same; names and what was dealt before have no say."""
    return digest_of(strand.model_dump(mode="json", exclude=NAMES))


# ---- what may change


def _cut(strand: Strand, bed: Bed) -> Strand:
    if strand.cut is not None:
        return strand
    return strand.changed(cut=cut_evenly(strand, CUT_BEATS, bed.attacks))


def _order_of(strand: Strand) -> Order:
    return strand.order or strand.as_cut


def _some(tiles: tuple[Tile, ...], far: float, random: Random, least: int = 1) -> list[int]:
    """Indices of some tiles that sound: more the farther."""
    sounding = [i for i, t in enumerate(tiles) if not t.muted]
    count = min(len(sounding), max(least, round(far * 0.5 * len(sounding))))
    chosen = []
    for _ in range(count):
        chosen.append(sounding.pop(int(random.random() * len(sounding))))
    return sorted(chosen)


def _with(order: Order, changes: dict[int, Tile]) -> Order:
    return Order(order.beats, tuple(changes.get(i, t) for i, t in enumerate(order.tiles)))


def _places(tiles: list[Tile], bar: float) -> str:
    if len(tiles) > 3:
        return f"{len(tiles)} tiles"
    return " ".join(place_said(t.beat, bar) for t in tiles)


def _dealt(strand: Strand, far: float, random: Random, bed: Bed) -> tuple[Strand, str]:
    strand = _cut(strand, bed)
    base = _order_of(strand)
    is_like = far < 0.35 and bed.distances is not None and random.random() < 0.5
    strong = tuple(
        beat for beat in _beats(bed.bar, bed.pulse) if random.random() < 0.75 * (1.0 - far)
    )
    deal = Deal(
        seed=int(random.random() * MOST_SEED), far=round(max(0.1, far), 3), like=is_like,
        strong=strong,
    )  # fmt: skip
    order = dealt(base, deal, bed.distances, bed.bar, bed.pulse)
    kept = (*strand.dealt[-11:], Dealt(deal=deal, base=base, order=order))
    stay = f", {len(strong)} beat{'' if len(strong) == 1 else 's'} a bar stay" if strong else ""
    return strand.changed(
        order=order, dealt=kept
    ), f"dealt {'like for like' if is_like else 'anew'}{stay}"


def _beats(bar: float, pulse: float) -> list[float]:
    return [i * pulse for i in range(max(1, round(bar / pulse)))]


def _levels(strand: Strand, far: float, random: Random, bed: Bed) -> tuple[Strand, str]:
    strand = _cut(strand, bed)
    order = _order_of(strand)
    chosen = _some(order.tiles, max(0.3, far), random, 2)
    changes = {}
    for i in chosen:
        by = -(3.0 + far * 9.0 * random.random()) if random.random() < 0.7 else 3.0
        changes[i] = replace(order.tiles[i], gain_db=round(order.tiles[i].gain_db + by, 1))
    return strand.changed(order=_with(order, changes)), f"levels of {len(changes)} tiles"


def _pitches(strand: Strand, far: float, random: Random, bed: Bed) -> tuple[Strand, str]:
    strand = _cut(strand, bed)
    order = _order_of(strand)
    shifts = CLOSE_SHIFTS if far < 0.5 else (*CLOSE_SHIFTS, *FAR_SHIFTS)
    by = shifts[int(random.random() * len(shifts))]
    chosen = _some(order.tiles, 0.6 * far, random)
    tiles = order.tiles
    changes = {i: replace(tiles[i], semitones=tiles[i].semitones + by) for i in chosen}
    where = _places([tiles[i] for i in chosen], bed.bar)
    return strand.changed(order=_with(order, changes)), f"{by:+d} st on {where}"


def _reversed(strand: Strand, far: float, random: Random, bed: Bed) -> tuple[Strand, str]:
    strand = _cut(strand, bed)
    order = _order_of(strand)
    chosen = _some(order.tiles, 0.7 * far, random)
    changes = {i: replace(order.tiles[i], reverse=not order.tiles[i].reverse) for i in chosen}
    where = _places([order.tiles[i] for i in chosen], bed.bar)
    return strand.changed(order=_with(order, changes)), f"backwards on {where}"


def _rolled(strand: Strand, far: float, random: Random, bed: Bed) -> tuple[Strand, str]:
    strand = _cut(strand, bed)
    order = _order_of(strand)
    # Rolls lead somewhere: the later in its bar a tile lies, the likelier.
    late = [i for i, t in enumerate(order.tiles) if not t.muted and t.beat % bed.bar >= bed.bar / 2]
    chosen: list[int] = []
    for _ in range(1 + round(2 * far)):
        left = [i for i in late if i not in chosen]
        if left:
            chosen.append(left[int(random.random() * len(left))])
    changes = {}
    for i in sorted(chosen):
        hits = ROLL_HITS[int(random.random() * (2 + 2 * far))]
        rise = 9.0 if random.random() < 0.6 else -9.0
        changes[i] = replace(order.tiles[i], hits=hits, rise_db=rise)
    if not changes:
        return strand, ""
    where = _places([order.tiles[i] for i in changes], bed.bar)
    return strand.changed(order=_with(order, changes)), f"roll on {where}"


def _filtered(strand: Strand, far: float, random: Random, bed: Bed) -> tuple[Strand, str]:
    kind = "low" if random.random() < 0.6 else "high"
    octaves = np.log2(HIGHEST_HZ / LOWEST_HZ) * (0.15 + 0.55 * far * random.random())
    hertz = HIGHEST_HZ * 2**-octaves if kind == "low" else LOWEST_HZ * 2**octaves
    hertz = float(round(hertz, -1))
    wave = round(far * 2.0 * random.random(), 1) if random.random() < far else 0.0
    shape = {"filter": kind, "cutoff_hz": hertz, "wave": wave, "wave_beats": bed.bar}
    way = "below" if kind == "low" else "above"
    said = f"{way} {hertz:.0f} Hz{', moving' if wave else ''}"
    return _all_shaped(strand, bed, shape), said


def _all_shaped(strand: Strand, bed: Bed, shape: dict[str, Any]) -> Strand:
    """Every piece shaped so."""
    cut = strand.cut or cut_evenly(strand, CUT_BEATS, bed.attacks)
    pieces = [replace(p, shape=replace(p.shape, **shape)) for p in cut.all_pieces]
    return strand.changed(cut=cut.with_pieces(pieces))


def _by_method(strand: Strand, far: float, random: Random, bed: Bed) -> tuple[Strand, str]:
    others = [
        k for k, m in METHODS.items() if k != strand.method and (far > 0.5 or m.family == "keep")
    ]
    key = others[int(random.random() * len(others))]
    settings = strand.settings
    if key == "scatter":
        grain = 0.04 + 0.2 * random.random()
        settings = replace(settings, grain_seconds=round(grain, 3), seed=int(1e6 * random.random()))
    said = METHODS[key].name
    said += f" {1000 * settings.grain_seconds:.0f} ms" if key == "scatter" else ""
    return strand.changed(method=key, settings=settings), said


def _swung(strand: Strand, far: float, random: Random, bed: Bed) -> tuple[Strand, str]:
    """Every second eighth, or sixteenth, later."""
    strand = _cut(strand, bed)
    order = _order_of(strand)
    step = 0.25 if random.random() < 0.5 and _lies_on(order, 0.25) else 0.5
    share = SWINGS[int(random.random() * max(1, round(far * len(SWINGS))))]
    late = (share - 0.5) * 2 * step
    moved = []
    for tile in order.tiles:
        steps = round(tile.beat / step)
        is_off = steps % 2 == 1 and abs(tile.beat - steps * step) < 0.05
        moved.append(replace(tile, beat=tile.beat + late) if is_off else tile)
    if moved == list(order.tiles):
        return strand, ""
    name = "16ths" if step == 0.25 else "8ths"
    return strand.changed(order=Order.of(order.beats, moved)), f"swung {name} {100 * share:.0f} %"


def _lies_on(order: Order, step: float) -> bool:
    return any(abs(t.beat / (2 * step) % 1 - 0.5) < SAME_BEATS for t in order.tiles)


def _at_speed(strand: Strand, far: float, random: Random, bed: Bed) -> tuple[Strand, str]:
    factor = 2.0 if random.random() < 0.5 else 0.5
    return times(strand, factor), "half speed" if factor == 2.0 else "double speed"


def _keyed(strand: Strand, far: float, random: Random, bed: Bed) -> tuple[Strand, str]:
    shifts = (5, -5, 7, -7, 12, -12) if far > 0.5 else (5, -5, 7)
    by = shifts[int(random.random() * len(shifts))]
    return shifted(strand, float(by)), f"{by:+d} st"


def _register(strand: Strand, far: float, random: Random, bed: Bed) -> tuple[Strand, str]:
    kind = "low" if random.random() < 0.5 else "high"
    shape = {"filter": kind, "cutoff_hz": REGISTER_HZ[kind], "resonance_db": 0.0}
    return _all_shaped(strand, bed, shape), f"its {kind}s alone"


Grows = Callable[[Strand, float, Random, Bed], tuple[Strand, str]]
GROWS: dict[Change, Grows] = {
    "order": _dealt, "levels": _levels, "pitch": _pitches, "reverse": _reversed, "rolls": _rolled,
    "filter": _filtered, "method": _by_method, "groove": _swung, "speed": _at_speed, "key": _keyed,
    "register": _register,
}  # fmt: skip
