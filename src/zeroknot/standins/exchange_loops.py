"""Which loops does the practice exchange offer? Made up, made by code, the same every time."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import numpy as np

from zeroknot.core.audio import Audio, resampled
from zeroknot.core.formats.riff import WavTags, wav_bytes
from zeroknot.core.units import hertz_of_note
from zeroknot.demo import voices
from zeroknot.demo.loops import Stereo, Tape

PREVIEW_RATE = 22_050
ADA, BO, CASS = "Ada Quill", "Bo Marl", "Cass Ivory"
LICENCE = "CC0-1.0"


@dataclass(frozen=True)
class Offer:
    """One loop that can be had."""

    id: str
    name: str
    maker: str
    tags: tuple[str, ...]
    tempo_bpm: float
    bars: int
    key: str | None
    make: Callable[[float, int, np.random.Generator], Stereo]

    licence: str = LICENCE

    @property
    def seconds(self) -> float:
        return self.bars * 240.0 / self.tempo_bpm

    @property
    def file_name(self) -> str:
        return f"{self.name} {self.tempo_bpm:g}bpm.wav"


def _break(tempo: float, bars: int, rng: np.random.Generator) -> Stereo:
    beat, tape = 60 / tempo, Tape(bars * 240 / tempo)
    for bar in range(bars):
        for b in (0, 1.75, 2.5) if bar % 2 == 0 else (0, 0.75, 2.25):
            tape.lay((4 * bar + b) * beat, voices.kick(0.8))
        for b in (1, 3):
            tape.lay((4 * bar + b) * beat, voices.snare(0.5, rng), 0.1)
        for i in range(8):
            level = 0.2 if i % 2 == 0 else 0.12
            tape.lay((4 * bar + i / 2) * beat, voices.hat(level, rng), 0.3)
    return tape.wrapped()


def _shaker(tempo: float, bars: int, rng: np.random.Generator) -> Stereo:
    beat, tape = 60 / tempo, Tape(bars * 240 / tempo)
    for i in range(16 * bars):
        level = (0.6, 0.2, 0.34, 0.24)[i % 4]
        tape.lay(i * beat / 4, voices.shaker(level, rng, 0.1), 0.2 if i % 2 else -0.2)
    return tape.wrapped()


def _horn(tempo: float, bars: int, rng: np.random.Generator) -> Stereo:
    beat, tape = 60 / tempo, Tape(bars * 240 / tempo)
    for bar in range(bars):
        root = 33 + (0, 3, -4, -2)[bar % 4]
        for at, length, step in ((0, 1.4, 0), (1.5, 0.4, 0), (2.5, 0.9, 7), (3.5, 0.4, 5)):
            tone = voices.foghorn(hertz_of_note(root + step), length * beat, 0.33)
            tape.lay((4 * bar + at) * beat, tone)
    return tape.wrapped()


def _tines(tempo: float, bars: int, rng: np.random.Generator) -> Stereo:
    beat, tape = 60 / tempo, Tape(bars * 240 / tempo)
    for bar in range(bars):
        root = 57 + (0, 5, -4, -2)[bar % 4]
        for i, step in enumerate((0, 3, 7, 10)):
            for b, length in ((0, 1.3), (2.5, 0.8)):
                tone = voices.tine(hertz_of_note(root + step), length * beat, 0.11)
                tape.lay((4 * bar + b) * beat + 0.005 * i, tone, -0.4 + 0.25 * i)
    return tape.wrapped()


def _bars(tempo: float, bars: int, rng: np.random.Generator) -> Stereo:
    beat, tape = 60 / tempo, Tape(bars * 240 / tempo)
    scale = (0, 3, 5, 7, 10, 12)
    for i in range(8 * bars):
        if rng.random() < 0.75:
            step = scale[int(rng.integers(len(scale)))]
            level = 0.34 if i % 4 == 0 else 0.2
            tape.lay(i * beat / 2, voices.buoy_bar(hertz_of_note(64 + step), level))
    return tape.wrapped()


OFFERS: dict[str, Offer] = {
    offer.id: offer
    for offer in (
        Offer("ex-001", "Slipway break", ADA, ("drums", "dusty"), 92.0, 2, None, _break),
        Offer("ex-002", "Slipway break, fast", ADA, ("drums",), 126.0, 4, None, _break),
        Offer("ex-003", "Net-mender shaker", ADA, ("percussion",), 108.0, 1, None, _shaker),
        Offer("ex-004", "Harbour-mouth horn", BO, ("bass", "low"), 98.0, 4, "A minor", _horn),
        Offer("ex-005", "Ferry-deck horn", BO, ("bass",), 120.0, 2, "A minor", _horn),
        Offer("ex-006", "Wheelhouse tines", CASS, ("keys", "warm"), 88.0, 4, "A minor", _tines),
        Offer("ex-007", "Chart-table tines", CASS, ("keys",), 104.0, 2, "A minor", _tines),
        Offer("ex-008", "Buoy chime", CASS, ("mallets", "high"), 112.0, 2, "E minor", _bars),
        Offer("ex-009", "Fog-bell chime", BO, ("mallets", "slow"), 76.0, 4, "E minor", _bars),
    )
}  # fmt: skip


@cache
def sound_of(id_: str) -> Audio:
    """The loop itself, peak at −3 dBFS."""
    offer = OFFERS[id_]
    rng = np.random.default_rng(int(id_.removeprefix("ex-")))
    made = offer.make(offer.tempo_bpm, offer.bars, rng)
    made *= 10 ** (-3 / 20) / np.abs(made).max()
    return Audio(np.ascontiguousarray(made, dtype=np.float32), voices.RATE)


@cache
def file_of(id_: str) -> bytes:
    """As it is handed out: 24-bit WAV with its tags."""
    offer = OFFERS[id_]
    tags = WavTags(title=offer.name, tempo_bpm=offer.tempo_bpm, key=None)
    return wav_bytes(sound_of(id_), 24, None, tags)


@cache
def preview_of(id_: str) -> bytes:
    """To be heard before: half the rate, both channels in one, 16 bit."""
    sound = sound_of(id_)
    mono = sound.samples.mean(axis=0, keepdims=True)
    return wav_bytes(resampled(Audio(np.ascontiguousarray(mono), sound.rate), PREVIEW_RATE), 16)
