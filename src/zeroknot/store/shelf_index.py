"""Where is the loop? The shelf in memory: columns of numbers, and a text a row for words.

50 000 rows are searched, counted by every facet and sorted in a few milliseconds; the database is
only asked for what changed since the last search (docs/decisions/0008).
"""

import json
import threading
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.formats.sets import natural
from zeroknot.core.formats.sniff import MIDI
from zeroknot.core.harmony.fit import shift_between
from zeroknot.core.listening.sound_kind import ONE_HIT, UNPITCHED
from zeroknot.store.loops import LoopStore
from zeroknot.store.name_order import NameOrder
from zeroknot.store.shelf_query import (
    HIGHEST_BPM,
    LOWEST_BPM,
    SAME_BPM,
    TEMPO_BIN_BPM,
    Facets,
    Facts,
    ProjectTime,
    Query,
    taken_apart,
)

Mask = NDArray[np.bool_]
Numbers = NDArray[np.float64]

MOST_INSERTED = 500  # more at once are sorted anew
MOST_VALUES = 60  # of a facet that are told
LAYS = (0.5, 1.0, 2.0)
NUMBERS = ("seconds", "tempo_bpm", "body_s", "pulses", "beats_per_bar", "bars", "added")
FLAGS = ("on_shelf", "favourite", "is_print", "is_hit", "is_midi", "is_unpitched")
CODED = ("kind", "sound", "key", "set_name")


@dataclass(frozen=True)
class Found:
    """total of loops that were asked for; rows of one page; facets of all"""

    total: int
    rows: tuple[Facts, ...]
    facets: Facets


class _Codes:
    """Few different texts in many rows, as whole numbers; 0 is nothing."""

    def __init__(self) -> None:
        self.of: dict[str, int] = {"": 0}
        self.names = [""]

    def code(self, text: str) -> int:
        found = self.of.get(text)
        if found is None:
            found = self.of[text] = len(self.names)
            self.names.append(text)
        return found


class ShelfIndex:
    def __init__(self, loops: LoopStore):
        self._loops = loops
        self._lock = threading.RLock()
        self._stamp = 0
        self._places: dict[str, int] = {}
        self._rows: list[Facts] = []
        self._shas: list[str] = []
        self._texts: list[str] = []
        self._numbers = {name: np.zeros(0) for name in NUMBERS}
        self._flags = {name: np.zeros(0, np.bool_) for name in FLAGS}
        self._coded = {name: np.zeros(0, np.int32) for name in CODED}
        self._codes = {name: _Codes() for name in CODED}
        self._tags: dict[str, Mask] = {}
        self._by_name = NameOrder()

    def find(
        self, query: Query, time: ProjectTime | None = None, first: int = 0, count: int = 100
    ) -> Found:
        """One page of what is asked for, and how much there is of everything."""
        with self._lock:
            self._catch_up()
            masks = self._masks(query, time)
            everything = _all(masks.values(), len(self._rows))
            order = self._sorted(everything, query, time)
            rows = tuple(self._rows[i] for i in order[first : first + count])
            return Found(int(order.size), rows, self._facets(masks, everything, query, time))

    def among(self, query: Query, time: ProjectTime | None = None) -> frozenset[str]:
        """All that is asked for, in no order: that is quicker."""
        with self._lock:
            self._catch_up()
            everything = _all(self._masks(query, time).values(), len(self._rows))
            return frozenset([self._shas[i] for i in np.flatnonzero(everything).tolist()])

    def shas(self, query: Query, time: ProjectTime | None = None) -> tuple[str, ...]:
        """All that is asked for, in order."""
        with self._lock:
            self._catch_up()
            everything = _all(self._masks(query, time).values(), len(self._rows))
            order = self._sorted(everything, query, time)
            return tuple([self._shas[i] for i in order.tolist()])

    # ---- keeping up

    def _catch_up(self) -> None:
        changed = self._loops.facts_since(self._stamp)
        if not changed:
            return
        is_bulk = len(changed) > MOST_INSERTED
        self._make_room(len(changed))
        for row in changed:
            place = self._places.get(row.sha)
            if place is None:
                place = self._places[row.sha] = len(self._rows)
                self._rows.append(row)
                self._shas.append(row.sha)
                self._texts.append("")
                if not is_bulk:
                    self._by_name.put(row.name, place)
            else:
                if self._rows[place].name != row.name and not is_bulk:
                    self._by_name.take(self._rows[place].name, place)
                    self._by_name.put(row.name, place)
                for tag in _tags(self._rows[place]):
                    self._tags[tag][place] = False
                self._rows[place] = row
            self._set(place, row)
        if is_bulk:
            self._by_name.sort(row.name for row in self._rows)
        self._stamp = changed[-1].stamp

    def _make_room(self, more: int) -> None:
        size = self._numbers["seconds"].size
        wanted = len(self._rows) + more
        if wanted <= size:
            return
        room = max(wanted, 2 * size) - size
        for columns in (self._numbers, self._flags, self._coded, self._tags):
            for name, column in columns.items():
                columns[name] = np.concatenate([column, np.zeros(room, column.dtype)])

    def _set(self, place: int, row: Facts) -> None:
        number, flag, code = self._numbers, self._flags, self._coded
        number["seconds"][place] = row.seconds
        number["tempo_bpm"][place] = row.tempo_bpm or np.nan
        number["body_s"][place] = row.body_s or np.nan
        number["beats_per_bar"][place] = row.beats_per_bar or 0
        number["bars"][place] = row.bars or 0
        number["pulses"][place] = (row.bars or 0) * (row.beats_per_bar or 0)
        number["added"][place] = datetime.fromisoformat(row.added_at).timestamp()
        flag["on_shelf"][place] = row.on_shelf
        flag["favourite"][place] = row.favourite
        flag["is_print"][place] = row.is_print
        flag["is_hit"][place] = row.sound == ONE_HIT
        flag["is_midi"][place] = row.file_kind == MIDI
        flag["is_unpitched"][place] = row.sound in UNPITCHED
        kind = MIDI if row.file_kind == MIDI else "audio"
        for name, text in (
            ("kind", kind), ("sound", row.sound), ("key", row.key), ("set_name", row.set_name),
        ):  # fmt: skip
            code[name][place] = self._codes[name].code(text or "")
        for tag in _tags(row):
            if tag not in self._tags:
                self._tags[tag] = np.zeros(number["seconds"].size, np.bool_)
            self._tags[tag][place] = True
        said = (row.name, row.set_name, row.sound or "", row.key or "", kind, row.file_kind)
        self._texts[place] = "\n".join((*said, *_tags(row))).casefold()

    # ---- asking

    def _number(self, name: str) -> Numbers:
        return self._numbers[name][: len(self._rows)]

    def _flag(self, name: str) -> Mask:
        return self._flags[name][: len(self._rows)]

    def _any_of(self, column: str, names: frozenset[str]) -> Mask:
        codes = [self._codes[column].of.get(name, -1) for name in names]
        return np.isin(self._coded[column][: len(self._rows)], codes)

    def _masks(self, query: Query, time: ProjectTime | None) -> dict[str, Mask]:
        """Who answers each part of the question; a part that is not asked has no mask."""
        size = len(self._rows)
        on_shelf = self._flag("on_shelf")
        masks = {"on_shelf": ~on_shelf if query.taken_off else on_shelf}
        asked = taken_apart(query.words)
        if asked.words:
            masks["words"] = self._with_words(asked.words)
        if asked.bpm is not None:
            tempo = self._number("tempo_bpm")
            masks["bpm"] = (tempo >= asked.bpm[0]) & (tempo <= asked.bpm[1])
        if asked.bare is not None:
            # Beside words a number may be a tempo as well as part of a name.
            text, bpm = asked.bare
            is_tempo = np.abs(self._number("tempo_bpm") - bpm) <= SAME_BPM
            masks["bare"] = is_tempo | self._with_words((text,))
        if asked.bars is not None:
            masks["asked_bars"] = self._number("bars") == asked.bars
        if asked.key is not None:
            masks["key"] = self._any_of("key", frozenset({asked.key}))
        for part, column, names in (
            ("kinds", "kind", query.kinds), ("sounds", "sound", query.sounds),
            ("keys", "key", query.keys), ("sets", "set_name", query.sets),
        ):  # fmt: skip
            if names:
                masks[part] = self._any_of(column, names)
        if query.bars:
            masks["bars"] = np.isin(self._number("bars"), list(query.bars))
        if query.tags:
            masks["tags"] = np.zeros(size, np.bool_)
            for tag in query.tags & self._tags.keys():
                masks["tags"] |= self._tags[tag][:size]
        if query.hits != "all":
            masks["hits"] = self._flag("is_hit") == (query.hits == "hits")
        if query.tempo:
            tempo = self._number("tempo_bpm")
            masks["tempo"] = (tempo >= query.tempo[0]) & (tempo <= query.tempo[1])
        if query.favourite:
            masks["favourite"] = self._flag("favourite")
        if query.printed:
            masks["printed"] = self._flag("is_print")
        fits = self._fits(query, time)
        if fits is not None:
            masks["fits"] = fits
        if query.among is not None:
            masks["among"] = np.zeros(size, np.bool_)
            masks["among"][self._places_of(query.among)] = True
        return masks

    def _places_of(self, shas: tuple[str, ...]) -> list[int]:
        return [self._places[sha] for sha in shas if sha in self._places]

    def _with_words(self, words: tuple[str, ...]) -> Mask:
        """Rows whose text has every word; the longest word first, the rest only where it is."""
        first, *rest = sorted(words, key=len, reverse=True)
        found = np.flatnonzero([first in text for text in self._texts])
        for word in rest:
            found = found[[word in self._texts[i] for i in found.tolist()]]
        mask = np.zeros(len(self._rows), np.bool_)
        mask[found] = True
        return mask

    def _fits(self, query: Query, time: ProjectTime | None) -> Mask | None:
        if time is None or (query.stretch_within is None and query.shift_within is None):
            return None
        fits = np.ones(len(self._rows), np.bool_)
        if query.stretch_within is not None:
            with np.errstate(invalid="ignore"):
                change = 100.0 * np.abs(np.exp2(self._least_change(time)) - 1.0)
                fits &= change <= query.stretch_within
            # Notes are moved without harm, one hits not at all.
            fits |= self._flag("is_midi") | self._flag("is_hit")
        if query.shift_within is not None and time.key is not None:
            names = self._codes["key"].names
            shifts = np.asarray(
                [np.inf if not n else abs(shift_between(n, time.key)) for n in names]
            )
            near = shifts[self._coded["key"][: len(self._rows)]] <= query.shift_within
            fits &= near | self._flag("is_unpitched")
        return fits

    def _ratios(self, time: ProjectTime) -> Numbers:
        """Output / input duration of each loop laid on its own bars; nan where nobody can tell."""
        same = self._number("beats_per_bar") == time.pulses_per_bar
        beats = self._number("pulses") * np.where(same, time.beats_per_pulse, 1.0)
        with np.errstate(invalid="ignore", divide="ignore"):
            return np.asarray(beats * 60.0 / time.bpm / self._number("body_s"))

    def _least_change(self, time: ProjectTime) -> Numbers:
        """Octaves of tempo, the nearest of half, once and double; nan where nobody can tell."""
        with np.errstate(invalid="ignore", divide="ignore"):
            octaves = np.log2(self._ratios(time))
            ways = np.abs(np.stack([octaves + np.log2(lay) for lay in LAYS]))
        return np.asarray(ways.min(axis=0))

    def _sorted(self, mask: Mask, query: Query, time: ProjectTime | None) -> NDArray[np.intp]:
        """Places in the order that is asked for; what has no value comes last either way."""
        if query.sort == "added":
            found = np.flatnonzero(mask)
            added = self._number("added")[found]
            return found[np.argsort(added if query.descending else -added, kind="stable")]
        by_name = self._by_name.places
        found = by_name[mask[by_name]]
        if query.sort == "name":
            return found[::-1] if query.descending else found
        values = self._values(query, time)[found]
        # What has no value sorts last by itself; turned round, it must not come first.
        values = -values if query.descending else values
        return found[np.argsort(values, kind="stable")]

    def _values(self, query: Query, time: ProjectTime | None) -> Numbers:
        sort = query.sort
        if sort == "near":
            ranks = np.full(len(self._rows), np.nan)
            places = self._places_of(query.among or ())
            ranks[places] = np.arange(len(places))
            return ranks
        if sort == "length":
            return self._number("seconds")
        if sort == "tempo":
            return self._number("tempo_bpm")
        if sort == "favourite":
            return -self._flag("favourite").astype(np.float64)
        if sort == "change" and time is not None:
            return self._least_change(time)
        column = {"key": "key", "kind": "kind", "sound": "sound", "set": "set_name"}.get(sort)
        if column is None:
            return np.zeros(len(self._rows))
        names = self._codes[column].names
        by_name = sorted(range(len(names)), key=lambda i: natural(names[i]))
        rank = np.empty(len(names))
        rank[by_name] = np.arange(len(names))
        rank[0] = np.nan
        return np.asarray(rank[self._coded[column][: len(self._rows)]])

    # ---- counting

    def _facets(
        self, masks: dict[str, Mask], everything: Mask, query: Query, time: ProjectTime | None
    ) -> Facets:
        size = len(self._rows)

        def others(part: str) -> Mask:
            if part not in masks:
                return everything
            return _all((m for name, m in masks.items() if name != part), size)

        hits = others("hits")
        return Facets(
            kinds=self._counted("kind", others("kinds")),
            sounds=self._counted("sound", others("sounds")),
            keys=self._counted("key", others("keys")),
            sets=self._counted("set_name", others("sets")),
            bars=self._bars(others("bars")),
            tags=self._counted_tags(others("tags")),
            hits={
                "loops": int((hits & ~self._flag("is_hit")).sum()),
                "hits": int((hits & self._flag("is_hit")).sum()),
            },
            favourite=int((others("favourite") & self._flag("favourite")).sum()),
            printed=int((others("printed") & self._flag("is_print")).sum()),
            taken_off=int((others("on_shelf") & ~self._flag("on_shelf")).sum()),
            fits=int(everything.sum()) if "fits" in masks else 0,
            tempo=self._histogram(others("tempo")),
        )

    def _counted(self, column: str, mask: Mask) -> dict[str, int]:
        names = self._codes[column].names
        counts = np.bincount(self._coded[column][: mask.size][mask], minlength=len(names))
        return _most({names[i]: int(counts[i]) for i in np.flatnonzero(counts) if i})

    def _bars(self, mask: Mask) -> dict[int, int]:
        bars, counts = np.unique(self._number("bars")[mask].astype(int), return_counts=True)
        return {int(b): int(c) for b, c in zip(bars, counts, strict=True) if b}

    def _counted_tags(self, mask: Mask) -> dict[str, int]:
        counted = {
            tag: int(np.count_nonzero(column[: mask.size] & mask))
            for tag, column in self._tags.items()
        }
        return _most({tag: count for tag, count in counted.items() if count})

    def _histogram(self, mask: Mask) -> tuple[int, ...]:
        edges = np.arange(LOWEST_BPM, HIGHEST_BPM + 1, TEMPO_BIN_BPM)
        tempo = self._number("tempo_bpm")[mask]
        return tuple(np.histogram(tempo[~np.isnan(tempo)], edges)[0].tolist())


def _all(masks: Iterable[Mask], size: int) -> Mask:
    out = np.ones(size, np.bool_)
    for mask in masks:
        out &= mask
    return out


def _tags(row: Facts) -> tuple[str, ...]:
    return tuple(json.loads(row.tags)) if row.tags != "[]" else ()


def _most(counts: dict[str, int]) -> dict[str, int]:
    """The largest, at most MOST_VALUES, largest first."""
    ranked = sorted(counts.items(), key=lambda c: (-c[1], c[0].casefold()))
    return dict(ranked[:MOST_VALUES])
