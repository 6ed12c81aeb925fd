"""`zeroknot fit`: lay one file along another time."""

import json
from dataclasses import replace
from pathlib import Path
from typing import Annotated

import numpy as np
import soundfile
import typer

from zeroknot.cli.sound import laid, opened, sound_of
from zeroknot.core.apart.apart import parts_of, struck_db
from zeroknot.core.audio import Audio, resampled
from zeroknot.core.errors import FormatError
from zeroknot.core.formats.groove_midi import read_groove
from zeroknot.core.formats.riff import BIT_DEPTHS, FLOAT_BITS, wav_bytes
from zeroknot.core.groove.layer import GrooveLayer
from zeroknot.core.groove.measure import measured
from zeroknot.core.harmony.fit import HEARD, SAID, shift_into
from zeroknot.core.harmony.key import Key, KeyNameError
from zeroknot.core.harmony.tones import profile_of
from zeroknot.core.listening.attack import SENSITIVITY, Attacks
from zeroknot.core.listening.attacks import all_attacks, is_silent, sounding_range
from zeroknot.core.listening.material import material_of
from zeroknot.core.listening.readings import listen
from zeroknot.core.listening.sound_heard import sound_heard
from zeroknot.core.listening.sound_kind import SoundReading
from zeroknot.core.loop import LEAST_SURE_KEY
from zeroknot.core.render.parts_run import rendering_of_pass
from zeroknot.core.render.pass_file import SEAMS, folded
from zeroknot.core.render.plan import RenderPlan, lead_and_tail, plan_pass, plan_ratio
from zeroknot.core.render.seam import LONGEST_CROSSFADE_MS
from zeroknot.core.stretch.auto import AUTO, Case, Choice, choose, why_chosen
from zeroknot.core.stretch.methods import METHODS
from zeroknot.core.stretch.settings import StretchSettings
from zeroknot.core.timeline.metre_map import Metre
from zeroknot.core.timeline.tempo_map import TempoMap
from zeroknot.core.warp.warp_map import WarpMap

NO_SOUND = SoundReading.none()
WRITTEN = {".wav": None, ".flac": "PCM_24", ".aiff": "PCM_24", ".aif": "PCM_24", ".ogg": "VORBIS"}


def fit(
    source: Annotated[Path, typer.Argument(metavar="IN")],
    target: Annotated[Path, typer.Argument(metavar="OUT")],
    ratio: Annotated[float | None, typer.Option(help="output / input duration")] = None,
    tempo: Annotated[float | None, typer.Option(help="BPM of the output")] = None,
    bars: Annotated[int | None, typer.Option(help="bars the file is laid on")] = None,
    metre: Annotated[str, typer.Option(help="metre of those bars")] = "4/4",
    from_tempo: Annotated[float | None, typer.Option(help="BPM of the input")] = None,
    semitones: Annotated[float, typer.Option(help="shift, length kept")] = 0.0,
    to_key: Annotated[
        str | None, typer.Option(help="key to bring it into; on top of --semitones")
    ] = None,
    from_key: Annotated[
        str | None, typer.Option(help="its own key; as it is heard if not given")
    ] = None,
    tones_only: Annotated[
        bool, typer.Option("--tones-only", help="shift what rings; what is struck stays")
    ] = False,
    formants: Annotated[bool, typer.Option("--formants", help="hold the formants")] = False,
    method: Annotated[str, typer.Option(help="auto, " + ", ".join(METHODS))] = "auto",
    seam: Annotated[str, typer.Option(help="wrap, cut or ring")] = "wrap",
    crossfade: Annotated[
        float, typer.Option(help="ms over which the end goes over into the start")
    ] = 0.0,
    groove: Annotated[
        Path | None, typer.Option(help="MIDI file of a groove to lay over it; with --tempo")
    ] = None,
    strength: Annotated[float, typer.Option(help="percent of the groove's timing")] = 100.0,
    accents: Annotated[float, typer.Option(help="percent of its accents")] = 0.0,
    with_lead: Annotated[bool, typer.Option("--with-lead", help="keep what sounds before")] = False,
    rate: Annotated[
        int | None, typer.Option(help="Hz of the output; the input's if not given")
    ] = None,
    bits: Annotated[int, typer.Option(help="of a WAV: 16, 24 or 32 (float)")] = FLOAT_BITS,
    as_json: Annotated[bool, typer.Option("--json", help="say what was done as JSON")] = False,
) -> None:
    """Write IN, stretched and shifted, to OUT, whose format follows its ending."""
    if from_key is not None and to_key is None:
        raise typer.BadParameter("--from-key goes with --to-key")
    wanted, own = (_key(text) if text else None for text in (to_key, from_key))
    is_shifted = semitones != 0.0 or to_key is not None
    _refuse_bad_use(
        target,
        ratio,
        tempo,
        bars,
        from_tempo,
        is_shifted,
        method,
        seam,
        crossfade,
        bits,
    )
    if tones_only and not is_shifted:
        raise typer.BadParameter("--tones-only goes with --semitones or --to-key")
    if groove is not None and tempo is None:
        raise typer.BadParameter("--groove goes with --tempo: a groove lies on beats")
    if not (0.0 <= strength <= 100.0 and 0.0 <= accents <= 100.0):
        raise typer.BadParameter("--strength and --accents are 0 to 100 percent")
    sound = sound_of(source)
    if wanted:
        semitones += _shift(sound, wanted, own)
    # Attacks are heard at the file's own rate, as they are when it is brought in.
    everything = all_attacks(sound)
    attacks = everything.at_sensitivity(SENSITIVITY)
    at_rate = resampled(sound, rate or sound.rate)
    settings = StretchSettings(formants=1.0 if formants else 0.0)
    warp = None
    if tempo is not None:
        warp = laid(sound, bars, Metre.parse(metre), from_tempo)
        ratio = warp.span * 60.0 / tempo / warp.body_seconds
    ratio = 1.0 if ratio is None else ratio
    choice, why = Choice(method, settings), ""
    if method == AUTO:
        kind = sound_heard(material_of(sound), sound.seconds) if not is_silent(sound) else NO_SOUND
        density = attacks.seconds.size / sound.seconds
        struck = struck_db(sound, kind.kind) if semitones or ratio != 1.0 else None
        case = Case(kind, density, ratio, semitones, struck)
        choice, why = choose(case, settings), why_chosen(case)
    if tones_only:
        choice = replace(choice, parts="apart")
    if warp is None:
        plan = plan_ratio(
            source="", rate=at_rate.rate, source_frames=at_rate.frames, duration_ratio=ratio,
            method=choice.method, settings=choice.settings, semitones=semitones,
            parts=choice.parts,
        )  # fmt: skip
    else:
        assert tempo is not None
        layer = _layer(sound, everything, groove, strength, accents) if groove else None
        plan = _tempo_plan(
            sound, attacks, warp, tempo, at_rate.rate, choice, semitones, with_lead, layer
        )
    if crossfade:
        plan = replace(plan, crossfade_s=crossfade / 1000.0, tail_to=plan.end_second)
    rendering = rendering_of_pass(parts_of(at_rate), everything, plan)
    out = folded(plan, rendering.whole(), seam, with_lead)
    _write(target, Audio(out, at_rate.rate), bits)
    if as_json:
        print(json.dumps(_report(source, target, plan, out.shape[1], why)))


def _key(text: str) -> Key:
    try:
        return Key.parse(text)
    except KeyNameError as error:
        raise typer.BadParameter(str(error)) from error


def _shift(sound: Audio, wanted: Key, own: Key | None) -> int:
    """Semitones into a key, by the rule of `core.harmony.fit`."""
    profile = profile_of(sound)
    if not any(profile):
        raise FormatError("no notes were heard that could be brought into a key")
    leeway = SAID if own else HEARD
    if own is None and (heard := listen(sound).key).key and heard.confidence >= LEAST_SURE_KEY:
        own = Key.parse(heard.key or "")
    return shift_into(profile, wanted, own, leeway=leeway)


def _tempo_plan(
    sound: Audio, attacks: Attacks, warp: WarpMap, tempo: float, rate: int, choice: Choice,
    semitones: float, with_lead: bool, layer: GrooveLayer | None,
) -> RenderPlan:  # fmt: skip
    laid = layer.over(warp) if layer else warp
    lead_from, tail_to = lead_and_tail(
        warp, sounding_range(sound), tuple(attacks.seconds.tolist()), with_lead
    )
    return plan_pass(
        source="", rate=rate, warp=laid, tempo_map=TempoMap.steady(tempo), start_beat=0.0,
        lead_from=lead_from, tail_to=tail_to, settings=choice.settings, method=choice.method,
        semitones=semitones, gains=layer.gains(warp) if layer else (), parts=choice.parts,
    )  # fmt: skip


def _layer(
    sound: Audio, attacks: Attacks, groove: Path, strength: float, accents: float
) -> GrooveLayer:
    with opened(groove) as file:
        laid = read_groove(file, groove.stem)
    return GrooveLayer(measured(sound, attacks), laid, strength / 100.0, accents / 100.0)


def _refuse_bad_use(
    target: Path, ratio: float | None, tempo: float | None, bars: int | None,
    from_tempo: float | None, is_shifted: bool, method: str, seam: str,
    crossfade: float, bits: int,
) -> None:  # fmt: skip
    """Bad use, and what is not there yet, end with exit status 2."""
    wrong = None
    if ratio is not None and tempo is not None:
        wrong = "give either --ratio or --tempo"
    elif ratio is None and tempo is None and not is_shifted:
        wrong = "give --ratio, --tempo, --semitones or --to-key"
    elif tempo is None and (bars is not None or from_tempo is not None):
        wrong = "--bars and --from-tempo go with --tempo"
    elif bars is not None and from_tempo is not None:
        wrong = "give either --bars or --from-tempo"
    elif bars is not None and bars < 1:
        wrong = "--bars wants 1 or more"
    elif method != AUTO and method not in METHODS:
        wrong = f"there is no method {method!r}; choose auto, {', '.join(METHODS)}"
    elif seam not in SEAMS:
        wrong = f"--seam is {', '.join(SEAMS)}"
    elif not 0.0 <= crossfade <= LONGEST_CROSSFADE_MS:
        wrong = f"--crossfade is 0 to {LONGEST_CROSSFADE_MS:g} ms"
    elif bits not in BIT_DEPTHS:
        wrong = f"--bits is {', '.join(map(str, BIT_DEPTHS))}"
    elif target.suffix.lower() not in WRITTEN:
        wrong = f"{target.suffix or target.name!r} is not written here; {', '.join(WRITTEN)} are"
    if wrong:
        raise typer.BadParameter(wrong)


def _write(target: Path, sound: Audio, bits: int) -> None:
    subtype = WRITTEN[target.suffix.lower()]
    if subtype is None:
        target.write_bytes(wav_bytes(sound, bits))
        return
    if sound.peak() > 1.0:
        raise FormatError(
            f"the result peaks {20 * np.log10(sound.peak()):.1f} dB over full scale and would clip "
            f"in {target.suffix}; write a 32-bit WAV or lower the input"
        )
    soundfile.write(target, sound.samples.T, sound.rate, subtype=subtype)


def _report(
    source: Path, target: Path, plan: RenderPlan, frames: int, why: str
) -> dict[str, object]:
    return {
        "in": str(source),
        "out": str(target),
        "method": plan.method,
        "rate": plan.rate,
        "frames": frames,
        "lead_frames": plan.lead_frames,
        "body_frames": plan.body_frames,
        "tail_frames": plan.tail_frames,
        "why": why,
        "semitones": plan.semitones,
        "formants": plan.settings.formants,
        "parts": plan.parts,
        "digest": replace(plan, source="").digest,
    }
