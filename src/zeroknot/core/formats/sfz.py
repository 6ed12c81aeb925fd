"""A kit as an SFZ file: which key plays which sample.

Source: the opcodes of the SFZ format as it was first published (version 1): sample, key,
pitch_keycenter, loop_mode, group, off_by, in header <region>.
"""

from collections.abc import Sequence

from zeroknot.core.formats.order_midi import first_note
from zeroknot.core.slicing.piece import Piece


def write_sfz(samples: Sequence[str | None], pieces: Sequence[Piece]) -> str:
    """The text of a kit: a slice plays through, or while its key is held; a choke group is one.

    samples  file of each slice, beside the kit's; None for one that is silent
    """
    low = first_note(len(samples))
    lines = []
    for key, (name, piece) in enumerate(zip(samples, pieces, strict=True), low):
        if name is None:
            continue
        mode = "no_loop" if piece.held else "one_shot"
        group = f" group={piece.choke} off_by={piece.choke}" if piece.choke else ""
        lines.append(
            f"<region> sample={name} key={key} pitch_keycenter={key} loop_mode={mode}{group}"
        )
    return "\n".join(lines) + "\n"
