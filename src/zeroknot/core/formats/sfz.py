"""A kit as an SFZ file: which key plays which sample.

Source: the opcodes of the SFZ format as it was first published (version 1): sample, key,
pitch_keycenter, loop_mode, group, off_by, in headers <global> and <region>.
"""

from collections.abc import Sequence

from zeroknot.core.formats.order_midi import first_note


def write_sfz(samples: Sequence[str | None], rings: bool = True) -> str:
    """The text of a kit.

    samples  file of each slice, beside the kit's; None for one that is silent
    rings    each plays through; else it stops when its key is let go
    """
    low = first_note(len(samples))
    mode = "one_shot" if rings else "no_loop"
    lines = [f"<global> loop_mode={mode}"]
    lines += [
        f"<region> sample={name} key={low + i} pitch_keycenter={low + i}"
        for i, name in enumerate(samples)
        if name is not None
    ]
    return "\n".join(lines) + "\n"
