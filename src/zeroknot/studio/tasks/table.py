"""Which task has which name? The web process asks by name, so that it loads none of this."""

from collections.abc import Callable
from typing import Any

from zeroknot.studio.tasks import (
    begun,
    files,
    handing,
    hits,
    incoming,
    kits,
    likeness,
    low_end,
    mixing,
    notes,
    partials,
    pictures,
    rendering,
    sources,
    takes,
    tones,
    warming,
)

TASKS: dict[str, Callable[..., Any]] = {
    task.__name__: task
    for task in (
        incoming.take_in,
        incoming.listen_to,
        incoming.listen_again,
        sources.source_block,
        sources.notes_of,
        sources.score_in,
        hits.hits_of,
        tones.tones_of,
        likeness.likeness_of,
        likeness.edges_of_cuts,
        likeness.zeros_at,
        likeness.vector_of,
        likeness.vector_of_plan,
        begun.begun_in,
        partials.partials_in,
        pictures.write_source_peaks,
        rendering.render_block,
        rendering.render_peaks,
        rendering.body_loudness,
        takes.loops_in_take,
        takes.edges_of_range,
        takes.seams_of_pass,
        files.crop_to_file,
        files.print_to_file,
        handing.hand_one,
        handing.hand_many,
        mixing.render_blocks,
        mixing.mix_to_file,
        notes.song_midi,
        low_end.low_end_of,
        kits.kit_to_zip,
        kits.cues_to_file,
        warming.warm_up,
    )
}
