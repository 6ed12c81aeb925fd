"""A new order as a MIDI file, and the other way round.

Conventions
-----------
- One note a pad from C (36) up, in the order of the pads; where there are more than 92 slices,
  from as far below as they need. A roll is as many notes as it strikes.
- Ticks are exact at 960 a quarter note; a velocity is 100 at 0 dB, by 40 dB a decade.
"""

import io
import math
from collections.abc import Sequence
from typing import BinaryIO

import mido

from zeroknot.core.errors import FormatError
from zeroknot.core.formats.midi import DRUM_CHANNEL, read_midi
from zeroknot.core.notes.written import Laid, LaidNote
from zeroknot.core.order.order import LEAST_BEATS, MOST_BEATS, MOST_TILES, Order, Tile
from zeroknot.core.slicing.piece import LOUDEST_DB

TICKS = 960  # a quarter note
FIRST_NOTE = 36
MOST_NOTES = 128
USUAL_VELOCITY = 100


def first_note(pieces: int) -> int:
    """The note of the first of so many slices. Raises FormatError where MIDI has too few."""
    if pieces > MOST_NOTES:
        raise FormatError(f"MIDI has {MOST_NOTES} notes, and these are {pieces} slices")
    return min(FIRST_NOTE, MOST_NOTES - pieces)


def write_order(
    order: Order, pads: Sequence[int], bpm: float, pulses: tuple[int, int] = (4, 4)
) -> bytes:
    """A MIDI file of format 0 that plays the order once.

    pads    which slice lies on each pad
    pulses  the metre as it is written: 4, 4 is 4/4
    """
    low = first_note(len(pads))
    pad_of = {piece: pad for pad, piece in enumerate(pads)}
    events: list[tuple[int, int, mido.Message]] = []
    for tile in order.tiles:
        for hit in range(0 if tile.muted else tile.hits):
            start, stop = (
                round((tile.beat + tile.beats * k / tile.hits) * TICKS) for k in (hit, hit + 1)
            )
            velocity = USUAL_VELOCITY * 10.0 ** (tile.level_of(hit) / 40.0)
            velocity = min(127, max(1, round(velocity)))
            for piece in tile.pieces:
                said = {"channel": DRUM_CHANNEL, "note": low + pad_of[piece]}
                events.append((start, 1, mido.Message("note_on", velocity=velocity, **said)))
                events.append((max(start + 1, stop), 0, mido.Message("note_off", **said)))
    end = max([round(order.beats * TICKS), *(at for at, _, _ in events)])
    track = mido.MidiTrack()
    track.append(mido.MetaMessage("set_tempo", tempo=mido.bpm2tempo(bpm), time=0))
    numerator, denominator = pulses
    track.append(
        mido.MetaMessage("time_signature", numerator=numerator, denominator=denominator, time=0)
    )
    now = 0
    for at, _, message in sorted(events, key=lambda event: event[:2]):
        track.append(message.copy(time=at - now))
        now = at
    track.append(mido.MetaMessage("end_of_track", time=end - now))
    file = mido.MidiFile(type=0, ticks_per_beat=TICKS)
    file.tracks.append(track)
    out = io.BytesIO()
    file.save(file=out)
    return out.getvalue()


def read_order(file: BinaryIO, pads: Sequence[int], beats_per_bar: float = 4.0) -> Order:
    """The order that the notes of a MIDI file play, as long as whole bars.

    pads  which slice lies on each pad; a note that is none of theirs is left out
    Raises FormatError where none is left.
    """
    loop = read_midi(file)
    notes = []
    for note in (n for part in loop.parts for n in part.notes):
        beat, end = (_quarter(loop.tempos, second) for second in (note.start, note.end))
        notes.append(LaidNote(beat, end - beat, note.pitch, note.velocity))
    tiles = _tiles(notes, pads, MOST_BEATS)
    last = max(t.beat + min(t.beats, LEAST_BEATS) for t in tiles)
    bars = max(1, math.ceil(last / beats_per_bar - 1e-6))
    return Order.of(min(bars * beats_per_bar, MOST_BEATS), tiles)


def order_of_notes(notes: Laid, pads: Sequence[int], beats: float) -> Order:
    """The order that notes of a loop play, as long as it is.

    pads   which slice lies on each pad; a note that is none of theirs is left out
    beats  of the loop
    Raises FormatError where none is left.
    """
    return Order.of(beats, _tiles(notes, pads, beats))


def _tiles(notes: Sequence[LaidNote], pads: Sequence[int], until: float) -> list[Tile]:
    low = first_note(len(pads))
    tiles: list[Tile] = []
    for note in sorted(notes, key=lambda n: (n.beat, -n.velocity)):
        pad = note.pitch - low
        if not 0 <= pad < len(pads) or not -LEAST_BEATS < note.beat < until:
            continue
        beat = max(0.0, round(note.beat, 6))
        if tiles and beat - tiles[-1].beat < LEAST_BEATS:
            tiles[-1] = tiles[-1].with_also(pads[pad])
            continue
        gain = round(min(LOUDEST_DB, 40.0 * math.log10(max(1, note.velocity) / USUAL_VELOCITY)), 2)
        beats = min(max(note.beats, LEAST_BEATS), MOST_BEATS)
        tiles.append(Tile(beat, beats, pads[pad], gain_db=gain))
    if not tiles:
        last = low + len(pads) - 1
        raise FormatError(f"none of its notes is from {low} to {last}, where the slices lie")
    if len(tiles) > MOST_TILES:
        raise FormatError(f"an order has at most {MOST_TILES} tiles")
    return tiles


def _quarter(tempos: tuple[tuple[float, float, float], ...], second: float) -> float:
    quarter, since, bpm = [t for t in tempos if t[1] <= second + 1e-9][-1]
    return quarter + (second - since) * bpm / 60.0
