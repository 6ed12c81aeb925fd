"""What is compiled or loaded before somebody waits for it?"""

import numpy as np

from zeroknot.core.apart.apart import tones_of
from zeroknot.core.audio import Audio, Samples
from zeroknot.core.listening.attacks import all_attacks
from zeroknot.core.listening.chroma import spectral_peaks
from zeroknot.core.listening.pitches import held_notes
from zeroknot.core.listening.readings import listen_closely
from zeroknot.core.mixing.desk.desk_run import DeskRun, MasterRun
from zeroknot.core.mixing.desk.strip import Desk, Strip
from zeroknot.core.mixing.filters import filtered
from zeroknot.core.mixing.loudness import loudness
from zeroknot.core.render.plan import plan_ratio
from zeroknot.core.render.run import Rendering
from zeroknot.core.stretch.methods import METHODS
from zeroknot.core.stretch.settings import StretchSettings
from zeroknot.core.stretch.sinc import read_at
from zeroknot.core.synth.sounding import sounded
from zeroknot.core.synth.voices import VOICES


def warm_up() -> None:
    """Compile or load every kernel before somebody waits for it."""
    noise = np.random.default_rng(0).standard_normal((2, 8192)).astype(np.float32) * 0.1
    for channels in (noise, noise[:1]):
        sound = Audio(np.ascontiguousarray(channels), 44_100)
        attacks = all_attacks(sound)
        for method in METHODS:
            plan = plan_ratio(
                source="", rate=sound.rate, source_frames=sound.frames, duration_ratio=1.1,
                method=method, settings=StretchSettings(formants=1.0), semitones=1.0,
            )  # fmt: skip
            Rendering(sound, attacks, plan).whole()
    loudness(np.tile(noise, 3), 44_100)
    filtered(noise, "low", np.full(noise.shape[1], 900.0), 0.0, 44_100)
    for voice in VOICES:
        sounded(voice, 60, 100, 4410, 44_100)


def _through_a_desk(noise: Samples) -> None:
    """All that a song may go through, standing still and moving."""
    values = (
        ("bell1_db", 3.0), ("drive_db", 1.0), ("echo_db", -12.0), ("low_cut_hz", 80.0),
        ("ratio", 3.0), ("room_db", -12.0),
    )  # fmt: skip
    lanes = (("high_cut_hz", ((0, 12.0), (8_000, 13.0))), ("level_db", ((0, 0.0), (8_000, -6.0))))
    desk = Desk((Strip("one", values, lanes),), master=Strip("master", values[:1]), ceiling_db=-1.0)
    sums = DeskRun(desk, 44_100, threads=1).run({"one": noise}, 0, noise.shape[1])
    MasterRun(desk, 44_100).run(sums.all, 0)


def warm_up_seldom() -> None:
    """Compile what is needed seldom: once after installing, the results are kept."""
    noise = np.random.default_rng(0).standard_normal((1, 88_200)).astype(np.float32) * 0.1
    noise *= np.arange(88_200, 0, -1) % 22_050 / 22_050
    sound = Audio(noise, 44_100)
    listen_closely(sound)
    held_notes(spectral_peaks(sound), 0.0)  # noise is not asked for its key
    tones_of(sound)
    _through_a_desk(noise)
    _trembling_and_bent()


def _trembling_and_bent() -> None:
    """A tone that trembles and dies away, longer, and a sound read ever faster."""
    seconds = np.arange(88_200) / 44_100
    swell = (1.0 + 0.2 * np.sin(2 * np.pi * 5.0 * seconds)) * np.exp(-0.8 * seconds)
    tone = (0.2 * swell * np.sin(2 * np.pi * 220.0 * seconds)).astype(np.float32)[None]
    sound = Audio(tone, 44_100)
    plan = plan_ratio(
        source="", rate=sound.rate, source_frames=sound.frames, duration_ratio=1.5, method="weave"
    )
    Rendering(sound, all_attacks(sound), plan).whole()
    positions = np.arange(400.0) ** 1.01
    read_at(tone, positions, np.gradient(positions))
