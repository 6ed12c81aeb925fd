"""Are cuts where hits begin, and are pieces that sound alike taken for one another?

Hits are rendered alone, by fluidsynth with two free soundfonts, and put together here: so the
onset of each is known to the sample (the first that is above −40 dB of the hit's own peak), and so
is what each piece is. Two bars of sixteenths, some left out, up to 8 ms early or late, velocities
50 to 120.

Cuts by attacks: hits with a cut near (25 ms), cuts with no hit near, and of those matched the share
from 5 ms before to 1 ms after the onset. Like for like: busy kits of eight classes, cut at their
onsets; how often the nearest, and the third nearest, piece is of the same class.
"""

import subprocess
import tempfile
from pathlib import Path

import mido
import numpy as np
import soundfile

from zeroknot.core.audio import Audio
from zeroknot.core.listening.attack import SENSITIVITY
from zeroknot.core.listening.attacks import all_attacks, sounding_range
from zeroknot.core.slicing.alike import distances
from zeroknot.core.slicing.cut import by_attacks
from zeroknot.core.slicing.onset import begins
from zeroknot.core.warp.warp_map import WarpMap

RATE = 44_100
SOUNDFONTS = ("/usr/share/sounds/sf2/FluidR3_GM.sf2", "/usr/share/sounds/sf2/TimGM6mb.sf2")
APART_SECONDS = 3.0
KITS = (0, 8, 16, 25)
# Eight classes of a busy kit, as General MIDI names their notes.
CLASSES = {
    "kick": (35, 36), "snare": (38, 40), "clap": (39,), "closed hat": (42, 44),
    "open hat": (46,), "tom": (45, 47, 48), "ride": (51, 59), "rim": (37,),
}  # fmt: skip
PERCUSSION = (60, 61, 62, 63, 64, 65, 66, 69, 70, 73, 75, 76, 77)
MATERIALS = {
    "drums": (9, KITS, tuple(n for notes in CLASSES.values() for n in notes)),
    "percussion": (9, (0,), PERCUSSION),
    "guitar": (0, (24, 25, 27), tuple(range(43, 70))),
    "keys": (0, (0, 4, 5), tuple(range(40, 76))),
}
VELOCITIES = (52, 68, 84, 100, 116)
NEAR, EARLY, LATE = 0.025, 0.005, 0.001
LOOPS = 24

Bank = dict[tuple[int, int], np.ndarray]


def rendered(soundfont: str, channel: int, program: int, notes: tuple[int, ...]) -> Bank:
    """Every note at every velocity, alone: float64 [frames], mono, from its note-on."""
    asked = [(n, v) for n in notes for v in VELOCITIES]
    file = mido.MidiFile(type=0, ticks_per_beat=1000)  # 120 BPM: a tick is half a millisecond
    track = mido.MidiTrack()
    track.append(mido.Message("program_change", channel=channel, program=program, time=0))
    for number in (91, 93):  # neither room nor chorus
        track.append(mido.Message("control_change", channel=channel, control=number, value=0))
    held = 200 if channel == 9 else 900
    gap = round(APART_SECONDS * 2000)
    for i, (note, velocity) in enumerate(asked):
        wait = gap if i == 0 else gap - held
        track.append(
            mido.Message("note_on", channel=channel, note=note, velocity=velocity, time=wait)
        )
        track.append(mido.Message("note_off", channel=channel, note=note, time=held))
    file.tracks.append(track)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "bank.mid"
        file.save(path)
        out = path.with_suffix(".wav")
        subprocess.run(
            ["fluidsynth", "-ni", "-R", "0", "-C", "0", "-g", "0.5", "-r", str(RATE),
             "-F", str(out),
             "-O", "float", soundfont, str(path)],
            check=True, capture_output=True,
        )  # fmt: skip
        sound, _ = soundfile.read(out)
    mono = sound.mean(axis=1)
    size = round((APART_SECONDS - 0.05) * RATE)
    bank = {}
    for i, key in enumerate(asked):
        first = round((i + 1) * APART_SECONDS * RATE)
        part = mono[first : first + size]
        if np.abs(part).max() > 1e-3:
            bank[key] = part
    return bank


def onset_of(hit: np.ndarray) -> int:
    """The first sample above −40 dB of its peak."""
    return int(np.argmax(np.abs(hit) > 0.01 * np.abs(hit).max()))


def loop_of(
    bank: Bank, rng: np.random.Generator, channel: int
) -> tuple[Audio, list[tuple[float, int]]]:
    """A loop of two bars, and (onset in seconds, note) of each hit."""
    bpm = rng.uniform(80, 140)
    step = 60 / bpm / 4
    out = np.zeros(round(32 * step * RATE))
    truth = []
    notes = sorted({n for n, _ in bank})
    used = rng.choice(notes, size=min(len(notes), 8), replace=False)
    for i in range(32):
        if i and rng.random() > 0.6:
            continue
        count = 1 if rng.random() < 0.85 else 2
        at = i * step + (rng.uniform(-0.008, 0.008) if i else 0.002)
        for note in rng.choice(used, size=count, replace=False):
            velocity = int(rng.choice(VELOCITIES))
            if (note, velocity) not in bank:
                continue
            hit = bank[int(note), velocity]
            if channel != 9:  # held until about the next: not every string rings for ever
                length = round(step * rng.integers(1, 5) * RATE)
                hit = hit[: length + 2000] * np.minimum(
                    1, np.maximum(0, (length + 2000 - np.arange(hit[: length + 2000].size)) / 2000)
                )
            first = round(at * RATE)
            part = out[first : first + hit.size]
            part += hit[: part.size]
            truth.append(((first + onset_of(hit)) / RATE, int(note)))
    out *= 0.7 / np.abs(out).max()
    return Audio(out[None].astype(np.float32), RATE), sorted(truth)


def merged(onsets: list[float]) -> list[float]:
    """Hits that begin within 20 ms are one to cut at: the first."""
    kept: list[float] = []
    for onset in onsets:
        if not kept or onset - kept[-1] > 0.02:
            kept.append(onset)
    return kept


def cuts_judged(seed: int) -> None:
    """Print how well each material is cut."""
    print(f"{'':12} hits cut   false   in time   median")
    for name, (channel, programs, notes) in MATERIALS.items():
        rng = np.random.default_rng(seed)
        found = missed = false = 0
        offs: list[float] = []
        for soundfont in SOUNDFONTS:
            banks = [rendered(soundfont, channel, p, notes) for p in programs]
            for _ in range(LOOPS // 2):
                sound, truth = loop_of(banks[rng.integers(len(banks))], rng, channel)
                onsets = merged([t for t, _ in truth])
                warp = WarpMap.between(0.0, sound.seconds, 8.0)
                attacks = all_attacks(sound).at_sensitivity(SENSITIVITY)
                begun = begins(sound, attacks.seconds).tolist()
                sure = list(zip(begun, attacks.sureness.tolist(), strict=True))
                cuts = np.asarray(by_attacks(sure, warp, sounding_range(sound)[0])[1:])
                inside = [t for t in onsets if t > 0.02]
                near = [cuts[np.argmin(np.abs(cuts - t))] - t if cuts.size else 9.0 for t in inside]
                hit = [off for off in near if abs(off) < NEAR]
                found += len(hit)
                missed += len(near) - len(hit)
                offs += hit
                false += sum(np.min(np.abs(np.asarray(onsets) - c)) > NEAR for c in cuts)
        off = np.asarray(offs)
        in_time = np.mean((off >= -EARLY) & (off <= LATE))
        print(
            f"{name:12} {found / (found + missed):8.3f} {false / max(1, found + false):7.3f} "
            f"{in_time:9.3f} {1000 * np.median(off):+8.2f} ms   late {np.mean(off > LATE):.3f}"
        )


def likeness_judged(seed: int) -> None:
    """Print how often the nearest pieces are of the same class."""
    class_of = {note: name for name, notes in CLASSES.items() for note in notes}
    rng = np.random.default_rng(seed)
    right = {1: 0, 2: 0, 3: 0}
    count, chance = 0, []
    for soundfont in SOUNDFONTS:
        banks = [rendered(soundfont, 9, kit, MATERIALS["drums"][2]) for kit in KITS]
        for _ in range(LOOPS):
            bank = banks[rng.integers(len(banks))]
            chosen = [int(rng.choice([n for n in notes if any(k[0] == n for k in bank)]))
                      for notes in CLASSES.values()]  # fmt: skip
            sound, edges, kinds = _busy(bank, chosen, rng)
            table = distances(sound, edges)
            np.fill_diagonal(table, np.inf)
            names = [class_of[n] for n in kinds]
            for i, row in enumerate(table):
                if names.count(names[i]) < 4:
                    continue
                order = np.argsort(row)
                count += 1
                chance.append((names.count(names[i]) - 1) / (len(names) - 1))
                for k in right:
                    right[k] += names[order[k - 1]] == names[i]
    told = ", ".join(f"{k}.: {right[k] / count:.3f}" for k in right)
    print(f"like for like  {told}  (chance {np.mean(chance):.3f}, {count} pieces)")


def _busy(
    bank: Bank, notes: list[int], rng: np.random.Generator
) -> tuple[Audio, tuple[float, ...], list[int]]:
    """Four bars with a hit on every sixteenth; the hits overlap."""
    step = round(60 / rng.uniform(85, 125) / 4 * RATE)
    out = np.zeros(64 * step)
    kinds = [int(n) for n in rng.choice(notes, size=64)]
    for i, note in enumerate(kinds):
        velocity = int(rng.choice([v for v in VELOCITIES if (note, v) in bank]))
        hit = bank[note, velocity]
        part = out[i * step : i * step + hit.size]
        part += hit[: part.size]
    edges = tuple(np.arange(65) * step / RATE)
    out *= 0.7 / np.abs(out).max()
    return Audio(out[None].astype(np.float32), RATE), edges, kinds


def main(seed: int = 7) -> None:
    """Print both."""
    cuts_judged(seed)
    likeness_judged(seed)


if __name__ == "__main__":
    main()
