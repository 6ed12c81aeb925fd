"""What was done to a loop, in sentences? And what to one that was not done to another?

Conventions
-----------
- A step names the view that it is changed in, what was done there, and how, in a few words.
- Numbers are those of the interface: slices, pads and beats count from 1.
"""

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields
from typing import Literal

from zeroknot.core.order.order import SAME_BEATS, Order, Tile
from zeroknot.core.slicing.piece import Piece
from zeroknot.core.slicing.shape import UNSHAPED, Shape
from zeroknot.core.stretch.auto import AUTO
from zeroknot.core.stretch.methods import METHODS
from zeroknot.document.strand import AS_CUT, Strand

View = Literal["fit", "groove", "key", "slices", "arrange"]
MOST_NAMED = 4  # slices or places that are told one by one
BEATS_PER_BAR = 4.0
ABOUT_BEATS = 0.06
TITLES = {"fit": "Fit", "groove": "Groove", "key": "Key", "cut": "Cut", "order": "Order",
          "deal": "Deal", "slices": "Slices", "notes": "Notes", "print": "Print",
          "song": "Song"}  # fmt: skip


@dataclass(frozen=True)
class Step:
    """part  what it is about: one part of a strand, told at most once"""

    view: View
    part: str
    said: str

    @property
    def title(self) -> str:
        return TITLES[self.part]


def steps_of_song(song: Sequence[Mapping[str, str]]) -> tuple[Step, ...]:
    """What sounded in a stretch of the song.

    song  each strand's track, name and what was done to it, as a print's recipe keeps it
    """
    return tuple(
        Step("arrange", "song", f"{one['track']}: {one['name']}, {one['said']}".rstrip(", "))
        for one in song
    )


def steps(strand: Strand) -> tuple[Step, ...]:
    """Everything that makes it other than its loop as it came, in the order of the work."""
    found = [Step("fit", "fit", _fitted(strand))]
    if strand.groove:
        laid = strand.groove
        name = laid.groove.name if laid.groove else "the song's groove"
        accents = f", accents {_percent(laid.accents)}" if laid.accents else ""
        found.append(Step("groove", "groove", f"{name}, timing {_percent(laid.timing)}{accents}"))
    if said := _keyed(strand):
        found.append(Step("key", "key", said))
    if strand.notes is not None:
        found.append(Step("slices", "notes", f"{_count(len(strand.notes), 'note')} written"))
    if strand.cut is None:
        return tuple(found)
    own = len(strand.cut.pieces)
    borrowed = Counter(b.name or "another loop" for b in strand.cut.borrowed)
    more = "".join(f", {_count(n, 'slice')} of {name}" for name, n in borrowed.items())
    found.append(Step("slices", "cut", f"{_count(own, 'slice')}{more}"))
    if changed := _pieces(strand.cut.all_pieces):
        found.append(Step("slices", "slices", changed))
    if strand.order:
        dealt = next((d for d in reversed(strand.dealt) if d.order == strand.order), None)
        if dealt:
            held = sorted({i + 1 for i in dealt.deal.held})
            stay = f", {' '.join(map(str, held))} stay" if held else ""
            like = ", like for like" if dealt.deal.like else ""
            found.append(Step("slices", "deal", f"seed {dealt.deal.seed}{like}{stay}"))
        found.append(Step("slices", "order", ordered(strand.order)))
    return tuple(found)


def in_short(strand: Strand) -> str:
    """What was done to it beyond being fitted, in one line."""
    fitted, *more = steps(strand)
    return "; ".join(step.said for step in more) or fitted.said


def unlike(one: Strand, other: Strand) -> tuple[str, ...]:
    """What is otherwise in the other, in sentences; none where both sound the same."""
    ours = {step.part: step.said for step in steps(one)}
    theirs = {step.part: step.said for step in steps(other)}
    said = []
    for part in dict.fromkeys([*ours, *theirs]):
        a, b = ours.get(part), theirs.get(part)
        if a == b:
            continue
        title = TITLES[part]
        if a is None:
            said.append(f"{title}: {b}, where there was none.")
        elif b is None:
            said.append(f"{title}: none, instead of {a}.")
        else:
            said.append(f"{title}: {b} instead of {a}.")
    if one.order and other.order and one.order != other.order:
        said.append(_moved(one.order, other.order))
    return tuple(said)


def ordered(order: Order) -> str:
    """An order's tiles in a few words."""
    tiles = [t for t in order.tiles if not t.muted]
    parts = [f"{_count(len(tiles), 'tile')} over {order.beats:g} beats"]
    for noun, named in (
        ("roll", [t for t in tiles if t.hits > 1]),
        ("backwards", [t for t in tiles if t.reverse]),
        ("shifted", [t for t in tiles if t.semitones or t.climb]),
    ):
        if named:
            parts.append(f"{noun} {_places(named)}")
    return ", ".join(parts)


def _fitted(strand: Strand) -> str:
    method = METHODS[strand.method].name if strand.method in METHODS else "method by itself"
    if strand.method == AUTO:
        method = "method by itself"
    parts = [f"{strand.span:g} beats", method]
    if strand.settings.frozen_at is not None:
        parts.append(f"held at {_percent(strand.settings.frozen_at)}")
    if strand.straighten:
        parts.append("straightened")
    elif strand.by_hand or len(strand.knots) > 2:
        parts.append(_count(len(strand.knots), "knot"))
    if not strand.follows:
        parts.append("in its own time")
    if strand.parts in ("tones", "hits"):
        parts.append(f"{strand.parts} alone")
    elif strand.parts == "apart":
        parts.append("tones and hits apart")
    if strand.gain_db:
        parts.append(f"{strand.gain_db:+g} dB")
    return ", ".join(parts)


def _keyed(strand: Strand) -> str:
    parts = []
    if strand.shift:
        parts.append(f"{strand.shift:+g} st")
    if strand.cents:
        parts.append(f"{strand.cents:+g} cents")
    if strand.in_key:
        parts.append("follows the song's key")
    return ", ".join(parts)


def _pieces(pieces: Sequence[Piece]) -> str:
    """What is done to slices; those that are treated alike are told together."""
    treated: dict[str, list[int]] = {}
    for i, piece in enumerate(pieces):
        if piece != AS_CUT and (said := _treated(piece)):
            treated.setdefault(said, []).append(i + 1)
    parts = []
    for said, numbers in treated.items():
        if len(numbers) == len(pieces) > 1:
            who = "all"
        elif len(numbers) <= MOST_NAMED:
            who = " ".join(map(str, numbers))
        else:
            who = f"{len(numbers)} slices"
        parts.append(f"{who}: {said}")
    return "; ".join(parts)


def _treated(piece: Piece) -> str:
    parts = []
    if piece.muted:
        parts.append("muted")
    if piece.gain_db:
        parts.append(f"{piece.gain_db:+g} dB")
    if piece.pan:
        parts.append(f"{abs(100 * piece.pan):.0f} {'left' if piece.pan < 0 else 'right'}")
    if piece.sway:
        parts.append("swaying")
    if piece.semitones:
        parts.append(f"{piece.semitones:+g} st")
    if piece.reverse:
        parts.append("backwards")
    if piece.length != AS_CUT.length:
        parts.append("as recorded" if piece.length == "left" else "filling its tile")
    if piece.method:
        parts.append(METHODS[piece.method].name)
    parts += _shaped(piece.shape)
    return ", ".join(parts)


def _shaped(shape: Shape) -> list[str]:
    heard = shape.heard
    if heard is None:
        return []
    parts = []
    if heard.filter != "off":
        way = {"low": "below", "high": "above", "band": "around"}[heard.filter]
        parts.append(f"{way} {heard.cutoff_hz:.0f} Hz")
    if heard.drive_db:
        parts.append(f"driven {heard.drive_db:g} dB")
    if heard.bend:
        parts.append(f"bent {heard.bend:+g} st")
    levels = ("attack_ms", "decay_ms", "sustain", "release_ms")
    if any(getattr(heard, n) != getattr(UNSHAPED, n) for n in levels):
        parts.append("own envelope")
    return parts


def _moved(one: Order, other: Order) -> str:
    """How many tiles play something else at the same place, and how many places are new."""
    theirs = {round(t.beat, 3): t for t in other.tiles if not t.muted}
    ours = {round(t.beat, 3): t for t in one.tiles if not t.muted}
    both = ours.keys() & theirs.keys()
    changed = [theirs[b] for b in sorted(both) if not _plays_alike(ours[b], theirs[b])]
    fresh = [theirs[b] for b in sorted(theirs.keys() - ours.keys())]
    gone = len(ours.keys() - theirs.keys())
    parts = []
    if changed:
        parts.append(f"another slice or sound {_places(changed)}")
    if fresh:
        parts.append(f"new {_places(fresh)}")
    if gone:
        parts.append(f"{gone} fewer" if not fresh else f"{gone} gone")
    return f"Tiles: {', '.join(parts) or 'lengths alone'}."


def _plays_alike(a: Tile, b: Tile) -> bool:
    return all(getattr(a, f.name) == getattr(b, f.name) for f in fields(Tile) if f.name not in LAID)


LAID = ("beat", "beats")


def _places(tiles: Sequence[Tile]) -> str:
    """Where they lie, as bar and beat, or how many there are."""
    if len(tiles) > MOST_NAMED:
        return f"on {len(tiles)} tiles"
    return "on " + " ".join(place_said(t.beat) for t in tiles)


def place_said(beat: float, bar: float = BEATS_PER_BAR) -> str:
    """Bar and beat, to the sixteenth where it lies on one about."""
    near = round(beat * 4) / 4
    beat = near if abs(near - beat) < ABOUT_BEATS else beat
    which, within = divmod(beat + SAME_BEATS, bar)
    return f"{int(which) + 1}.{round(within + 1, 2):g}"


def _percent(share: float) -> str:
    return f"{100 * share:.0f} %"


def _count(number: int, noun: str) -> str:
    return f"{number} {noun}{'' if number == 1 else 's'}"
