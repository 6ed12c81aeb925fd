"""Cuts recorded songs for their keys: python -m benchmarks.accuracy.song_keys FOLDER FILE...

A song is taken whose key essentia and madmom agree on (`beside --songs`), whatever they say of its
tempo: so there are more of them than of those that `songs` can cut at their bars. A cut is as long
as loops are and lies within what the two have heard. Worlds are named as `songs` names them, so
that what is kept apart there is kept apart here.
"""

import zlib
from pathlib import Path

import numpy as np
import soundfile

from benchmarks.accuracy.beside import SONG_SECONDS, heard_from
from benchmarks.accuracy.chain import RATE, through
from benchmarks.accuracy.loops import Truth
from benchmarks.accuracy.modules import arguments, make_from_pieces
from benchmarks.accuracy.songs import agreed_key, sound_of_song, told_by_both, world_of

SECONDS = (1.6, 12.0)
BEAT_SECONDS = 0.5  # what an echo in the chain goes by
QUIET = 0.003


def loops_of(file: Path, count: int, seed: int, folder: Path, number: int) -> list[Truth]:
    """Cut `count` pieces out of a recording, as files of that folder from a number on."""
    told = told_by_both(file)
    key = agreed_key(*told) if told else None
    if key is None:
        return []
    sound = sound_of_song(file)
    first = int(heard_from(sound.shape[0] / RATE) * RATE)
    last = min(sound.shape[0], first + int(SONG_SECONDS * RATE))
    rng = np.random.default_rng([seed, zlib.crc32(str(file).encode())])
    truths: list[Truth] = []
    for _ in range(3 * count):
        seconds = float(np.exp(rng.uniform(*np.log(SECONDS))))
        length = round(seconds * RATE)
        if len(truths) == count or length > last - first:
            break
        at = int(rng.integers(first, last - length + 1))
        cut = sound[at : at + length].astype(np.float64)
        if np.sqrt(np.square(cut).mean()) < QUIET:
            continue
        cut = through(cut, rng, BEAT_SECONDS, most=2)
        cut = cut / (np.abs(cut).max() + 1e-9) * 0.9
        name = f"{number + len(truths):05d}.flac"
        soundfile.write(folder / name, cut, RATE, subtype="PCM_16")
        truths.append(
            Truth(
                file=name, world=world_of(file), condition="key", content="rows",
                sound="mixed", metre="4/4", feel="rows", bars=1, beats_per_bar=4, tempo_bpm=0.0,
                downbeat_s=0.0, end_s=seconds, duration_s=seconds, beats_s=(), onsets_s=None,
                key=key, cents=0.0, drift=0.0, pickup=0.0,
            )
        )  # fmt: skip
    return truths


if __name__ == "__main__":
    make_from_pieces(arguments(__doc__).parse_args(), loops_of)
