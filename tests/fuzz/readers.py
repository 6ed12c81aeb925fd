"""Everything that reads what somebody else wrote: any bytes give a value or a sentence, soon."""

import io
import zipfile
from collections.abc import Callable
from contextlib import suppress

from pydantic import ValidationError

from tests.sounds import rendered
from zeroknot.core.audio import Audio
from zeroknot.core.errors import FormatError, ZeroKnotError
from zeroknot.core.formats.archive import is_archive, members, opened_archive, parts_of
from zeroknot.core.formats.groove_midi import read_groove, write_groove
from zeroknot.core.formats.loop_file import read_loop_file
from zeroknot.core.formats.midi import read_midi
from zeroknot.core.formats.midi_tempo import read_time, write_time
from zeroknot.core.formats.riff import LoopMark, WavTags, wav_bytes
from zeroknot.core.groove.groove import swing
from zeroknot.core.timeline.metre_map import MetreMap
from zeroknot.core.timeline.tempo_map import TempoMap, TempoPoint
from zeroknot.document.coherent import coherent
from zeroknot.document.stored import tree_value
from zeroknot.studio.bundles import DAMAGE, loops_of

MOST_UNPACKED = 10_000_000


def sound(data: bytes) -> None:
    read_loop_file(io.BytesIO(data), ("loop 96bpm Dm", "pack"))


def midi(data: bytes) -> None:
    read_midi(io.BytesIO(data))


def tempo(data: bytes) -> None:
    read_time(io.BytesIO(data))


def groove(data: bytes) -> None:
    read_groove(io.BytesIO(data))


def archive(data: bytes) -> None:
    file = io.BytesIO(data)
    if not is_archive(file):
        return
    with opened_archive(file) as opened:
        for member in members(opened, MOST_UNPACKED):
            if member.refusal is None:
                with suppress(FormatError):
                    for _ in parts_of(opened, member.info):
                        pass


def project(data: bytes) -> None:
    """A project's file: its tree, and after a zero byte its loops."""
    tree, _, loops = data.partition(b"\0")
    try:
        coherent(tree_value(tree))
        loops_of(loops.decode())
    except DAMAGE:
        pass  # becomes one sentence where such files are opened
    except ValidationError:
        pass


def read(reader: Callable[[bytes], None], data: bytes) -> None:
    """What may come of any bytes: nothing, or a sentence."""
    try:
        reader(data)
    except ZeroKnotError as error:
        if not str(error):
            raise AssertionError("a failure without a sentence") from error


def _wav() -> list[bytes]:
    short = rendered("drums_103").samples[:, :600]
    stereo, mono = Audio(short, 44_100), Audio(short[:1], 22_050)
    loops = (LoopMark(0, 500),)
    tags = WavTags(title="A", tempo_bpm=103.0, key="Dm")
    ended = wav_bytes(stereo, 16)
    at = ended.index(b"data") + 4
    return [
        wav_bytes(stereo, 16), wav_bytes(mono, 24), wav_bytes(mono, 32),
        wav_bytes(stereo, 16, loop=loops[0], tags=tags),
        ended[:4] + bytes(4) + ended[8:at] + bytes(4) + ended[at + 4 :],
    ]  # fmt: skip


def _written(kind: str, subtype: str | None = None) -> bytes:
    import soundfile

    out = io.BytesIO()
    samples = rendered("drums_103").samples[:, :3000].T
    soundfile.write(out, samples, 44_100, format=kind, subtype=subtype)
    return out.getvalue()


def _midi() -> list[bytes]:
    import mido

    found = []
    for kind in (0, 1):
        file = mido.MidiFile(type=kind)
        track = mido.MidiTrack()
        file.tracks.append(track)
        track.append(mido.MetaMessage("set_tempo", tempo=500_000))
        track.append(mido.MetaMessage("time_signature", numerator=4, denominator=4))
        track.append(mido.MetaMessage("key_signature", key="Dm"))
        track.append(mido.Message("program_change", program=33, channel=0))
        for pitch in (36, 38, 42):
            track.append(mido.Message("note_on", note=pitch, velocity=90, time=0, channel=9))
            track.append(mido.Message("note_off", note=pitch, time=240, channel=9))
        track.append(mido.Message("control_change", control=64, value=127))
        track.append(mido.Message("note_on", note=60, velocity=90))
        track.append(mido.Message("note_off", note=60, time=480))
        out = io.BytesIO()
        file.save(file=out)
        found.append(out.getvalue())
    return found


def _tempo() -> list[bytes]:
    curve = TempoMap((TempoPoint(0.0, 90.0, "ramp", 0.5), TempoPoint(16.0, 120.0)))
    return [
        write_time(TempoMap.steady(97.0), MetreMap(), 16.0),
        write_time(curve, MetreMap(), 32.0),
    ]


def _archive() -> list[bytes]:
    found = []
    for how in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED):
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", how) as opened:
            opened.writestr("pack/loop 96.wav", _wav()[1][:200])
            opened.writestr("__MACOSX/._x", "x")
            opened.writestr("../out.mid", b"MThd")
        found.append(out.getvalue())
    return found


def _project() -> list[bytes]:
    from tests.fuzz.projects import written

    return [written()]


# By what is read: the reader, and honest files to begin with.
READERS: dict[str, tuple[Callable[[bytes], None], Callable[[], list[bytes]]]] = {
    "wav": (sound, _wav),
    "aiff": (sound, lambda: [_written("AIFF", "PCM_16"), _written("AIFF", "PCM_24")]),
    "packed": (sound, lambda: [_written("FLAC"), _written("OGG"), _written("MP3")]),
    "midi": (midi, _midi),
    "groove": (groove, lambda: [write_groove(swing(62.0, n)) for n in (2, 3, 4)]),
    "tempo": (tempo, _tempo),
    "zip": (archive, _archive),
    "project": (project, _project),
}
