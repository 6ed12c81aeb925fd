"""What comes back from taking a file in?"""

from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.reading import Claims


@dataclass(frozen=True)
class Unpacked:
    """A file out of an archive: where it lies now, or why it stays inside."""

    name: str
    path: Path | None
    refusal: str = ""


@dataclass(frozen=True)
class Listened:
    """What listening to one incoming file gave, or the sentence that refuses it.

    likeness  float32, as `core.listening.likeness` packs it; None where it was not measured
    copy      our own copy of a file that lies elsewhere; None where it is ours already
    unpacked  the files of an archive; None where it is none
    """

    refusal: str | None
    sha: str = ""
    file_kind: str = ""
    rate: int = 0
    channels: int = 0
    frames: int = 0
    claims: Claims | None = None
    hearing: Hearing = field(default_factory=lambda: Hearing(sounding=(0.0, 0.0)))
    warnings: tuple[str, ...] = ()
    likeness: NDArray[np.float32] | None = None
    copy: Path | None = None
    unpacked: tuple[Unpacked, ...] | None = None
