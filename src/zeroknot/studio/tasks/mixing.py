"""How does a stretch of the song become a file to finish with? In pieces: memory stays small."""

from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from zeroknot.core.audio import Samples
from zeroknot.core.formats.mix_file import MixFile, MixHow
from zeroknot.core.mixing.limiter import Limiter
from zeroknot.core.mixing.meters import Loudness, Meter, TruePeak
from zeroknot.core.render.any_plan import AnyPlan
from zeroknot.core.render.blocks import BLOCK_FRAMES
from zeroknot.core.render.desk_plan import DeskPlan
from zeroknot.core.render.in_blocks import InBlocks
from zeroknot.core.units import db_of_gain, gain_of_db
from zeroknot.studio.tasks.rendering import RENDERERS, render_block

PIECE_FRAMES = 8 * BLOCK_FRAMES
MOST_LOWERED_BY_LIMITER_DB = 12.0


@dataclass(frozen=True)
class Mixed:
    """What a mix came to.

    frames    of the file
    gain_db   by which all of it was changed
    integrated, range_lu, true_peak_db  as it was written; −120 for silence
    over_db   by how much it would have peaked over full scale
    lowered_db  at most by the limiter
    """

    frames: int
    gain_db: float
    integrated: float
    range_lu: float
    true_peak_db: float
    over_db: float
    lowered_db: float


def render_blocks(folder: Path, plan: AnyPlan, indices: tuple[int, ...]) -> None:
    """Lay some blocks into the cache."""
    for index in indices:
        render_block(folder, plan, index)


def mix_to_file(
    folder: Path, plan: DeskPlan, gain: float, how: MixHow, title: str, file: Path, beside: Path
) -> Mixed:
    """A stretch of the song through its desk, as loud as is asked, as a file.

    gain    linear, of all of it
    beside  where the mix may lie meanwhile; gone afterwards
    """
    song = RENDERERS[plan.kind](folder, plan)  # from its beginning on
    pieces = _ahead(song, plan.frames, gain)
    if how.lufs is None:  # as loud as it is: it is known at once
        return _written(pieces, plan, how, 0.0, title, file)
    before = Meter(plan.rate, plan.channels)
    try:
        with beside.open("wb") as raw:
            for piece in pieces:
                before.feed(piece)
                raw.write(np.ascontiguousarray(piece.T).tobytes())
        gain_db = _wanted(before.read, how)
        mixed = np.memmap(beside, np.float32, "r", shape=(plan.frames, plan.channels))
        kept = (
            np.ascontiguousarray(mixed[first : first + PIECE_FRAMES].T)
            for first in range(0, plan.frames, PIECE_FRAMES)
        )
        return _written(kept, plan, how, gain_db, title, file)
    finally:
        beside.unlink(missing_ok=True)


def _ahead(song: InBlocks, frames: int, gain: float) -> Iterator[Samples]:
    """Its pieces; the next one is made while one is used."""

    def made(first: int) -> Samples:
        return song.frames(first, min(PIECE_FRAMES, frames - first)) * np.float32(gain)

    firsts = range(0, frames, PIECE_FRAMES)
    with ThreadPoolExecutor(1) as maker:
        coming = maker.submit(made, 0)
        for following in [*firsts[1:], None]:
            piece = coming.result()
            if following is not None:
                coming = maker.submit(made, following)
            yield piece


def _wanted(told: Loudness, how: MixHow) -> float:
    """dB by which all of it is changed."""
    if how.lufs is None or not np.isfinite(told.integrated):
        return 0.0
    gain_db = how.lufs - told.integrated
    if how.ceiling_db is None:
        return gain_db
    # A limiter that takes more than that away is heard as one: then it stays softer.
    most = how.ceiling_db + MOST_LOWERED_BY_LIMITER_DB - told.true_peak_db
    return min(gain_db, most)


def _written(
    pieces: Iterable[Samples], plan: DeskPlan, how: MixHow, gain_db: float, title: str, file: Path
) -> Mixed:
    rate, channels, gain = plan.rate, plan.channels, np.float32(gain_of_db(gain_db))
    limiter = Limiter(rate, channels, how.ceiling_db) if how.ceiling_db is not None else None
    before, after = TruePeak(channels), Meter(rate, channels)
    skipped = limiter.lead if limiter else 0
    with MixFile(file, how, rate, channels, title) as out:
        for whole in pieces:
            piece = whole * gain
            before.feed(piece)
            if limiter:
                piece = limiter.feed(piece)
            cut = min(skipped, piece.shape[1])
            skipped -= cut
            after.feed(piece[:, cut:])
            out.write(piece[:, cut:])
        if limiter:
            rest = limiter.rest[:, skipped:]
            after.feed(rest)
            out.write(rest)
    heard = after.read
    return Mixed(
        frames=plan.frames,
        gain_db=gain_db,
        integrated=_finite(heard.integrated),
        range_lu=heard.range_lu,
        true_peak_db=_finite(heard.true_peak_db),
        over_db=max(0.0, db_of_gain(before.read)),
        lowered_db=-db_of_gain(limiter.least) if limiter else 0.0,
    )


def _finite(db: float) -> float:
    return db if np.isfinite(db) else -120.0
