"""Which notes does a pass over a MIDI loop play, and when?"""

from collections.abc import Callable
from dataclasses import replace

from zeroknot.core.formats.midi import MidiLoop
from zeroknot.core.render.any_plan import PassPlan
from zeroknot.core.render.notes_run import NotesRendering
from zeroknot.core.render.order_plan import OrderPlan
from zeroknot.core.render.plan import RenderPlan
from zeroknot.core.render.reverse import ReversePlan
from zeroknot.core.synth.note import PlayedNote

ReadMidi = Callable[[str], MidiLoop | None]


def notes_of(plan: PassPlan, read: ReadMidi) -> list[PlayedNote]:
    """Every note by where it begins, in frames from the one; none of what is a recording.

    Of a new order each voice plays the notes that begin in its stretch; backwards a note begins
    where it ended.

    read  the notes of a MIDI loop by its SHA-256; None where it is a recording
    """
    if isinstance(plan, ReversePlan):
        turned = notes_of(plan.turned, read)
        found = [replace(n, at=plan.body_frames - n.at - n.frames) for n in turned]
    elif isinstance(plan, OrderPlan):
        found = _of_order(plan, read)
    else:
        found = _of_pass(plan, read)
    return sorted(found, key=lambda n: (n.at, n.pitch))


def _of_pass(plan: RenderPlan, read: ReadMidi) -> list[PlayedNote]:
    midi = read(plan.source) if plan.kind == "notes" else None
    return [] if midi is None else NotesRendering(midi, plan).notes


def _of_order(plan: OrderPlan, read: ReadMidi) -> list[PlayedNote]:
    sources = [_of_pass(source, read) for source in plan.sources]
    found = []
    for voice in plan.voices:
        for note in sources[voice.source]:
            inside = note.at - voice.start
            if not 0 <= inside < voice.frames:
                continue
            frames = min(note.frames, voice.frames - inside)
            at = voice.at + (voice.frames - inside - frames if voice.reverse else inside)
            velocity = round(note.velocity * 10.0 ** (voice.gain_db / 40.0))
            found.append(replace(note, at=at, frames=frames, velocity=min(127, max(1, velocity))))
    return found
