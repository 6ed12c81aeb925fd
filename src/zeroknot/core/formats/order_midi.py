"""A new order as a MIDI file, and the other way round.

Conventions
-----------
- One note a slice from C (36) up; where there are more than 92 slices, from as far below as they
  need. A roll is as many notes as it strikes.
- Ticks are exact at 960 a quarter note; a velocity is 100 at 0 dB, by 40 dB a decade.
"""

import io
import math
from typing import BinaryIO

import mido

from zeroknot.core.errors import FormatError
from zeroknot.core.formats.midi import DRUM_CHANNEL, read_midi
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


def write_order(order: Order, pieces: int, bpm: float, pulses: tuple[int, int] = (4, 4)) -> bytes:
    """A MIDI file of format 0 that plays the order once.

    pieces  how many slices there are
    pulses  the metre as it is written: 4, 4 is 4/4
    """
    low = first_note(pieces)
    events: list[tuple[int, int, mido.Message]] = []
    for tile in order.tiles:
        for hit in range(0 if tile.muted else tile.hits):
            start, stop = (
                round((tile.beat + tile.beats * k / tile.hits) * TICKS) for k in (hit, hit + 1)
            )
            velocity = USUAL_VELOCITY * 10.0 ** (tile.level_of(hit) / 40.0)
            said = {"channel": DRUM_CHANNEL, "note": low + tile.piece}
            velocity = min(127, max(1, round(velocity)))
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


def read_order(file: BinaryIO, pieces: int, beats_per_bar: float = 4.0) -> Order:
    """The order that the notes of a MIDI file play, as long as whole bars.

    pieces  how many slices there are; a note that is none of theirs is left out
    Raises FormatError where none is left.
    """
    loop = read_midi(file)
    low = first_note(pieces)
    tiles = []
    for note in sorted((n for part in loop.parts for n in part.notes), key=lambda n: n.start):
        piece = note.pitch - low
        beat, end = (_quarter(loop.tempos, second) for second in (note.start, note.end))
        if not 0 <= piece < pieces or beat >= MOST_BEATS:
            continue
        gain = 40.0 * math.log10(max(1, note.velocity) / USUAL_VELOCITY)
        beats = min(max(end - beat, LEAST_BEATS), MOST_BEATS)
        tiles.append(Tile(round(beat, 6), beats, piece, gain_db=min(LOUDEST_DB, round(gain, 2))))
    if not tiles or len(tiles) > MOST_TILES:
        raise FormatError(
            f"none of its notes is from {low} to {low + pieces - 1}, where the slices lie"
            if not tiles
            else f"an order has at most {MOST_TILES} tiles"
        )
    last = max(t.beat + min(t.beats, LEAST_BEATS) for t in tiles)
    bars = max(1, math.ceil(last / beats_per_bar - 1e-6))
    return Order.of(min(bars * beats_per_bar, MOST_BEATS), tiles)


def _quarter(tempos: tuple[tuple[float, float, float], ...], second: float) -> float:
    quarter, since, bpm = [t for t in tempos if t[1] <= second + 1e-9][-1]
    return quarter + (second - since) * bpm / 60.0
