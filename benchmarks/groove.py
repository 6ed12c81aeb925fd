"""How exactly is a groove taken, and laid? On loops rendered with known timing and level.

`python -m benchmarks.groove FOLDER [COUNT]`

Loops of drums, percussion, guitar and keys are composed straight, moved by a groove drawn from a
seed, and rendered by fluidsynth with three soundfonts. Taken back are the offset and the accent of
every step; the sound's own constant lateness is taken off per register. What a hit's level is, is
measured on that hit rendered alone.
"""

import os
import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np

from benchmarks.accuracy.compose import Note, Spec, compose
from benchmarks.accuracy.render import RATE, SOUNDFONTS, Band, Score, Timed, pick_programs
from benchmarks.quality.measures import Truth, score
from zeroknot.core.audio import Audio
from zeroknot.core.groove.groove import REACH, Groove, Step, swing, swing_ratio
from zeroknot.core.groove.hit import REGISTERS, at_sensitivity
from zeroknot.core.groove.layer import GrooveLayer
from zeroknot.core.groove.measure import measured
from zeroknot.core.groove.take import grids_of, played_of, taken
from zeroknot.core.listening.attack import SENSITIVITY, Attacks
from zeroknot.core.listening.attacks import all_attacks
from zeroknot.core.render.plan import plan_pass
from zeroknot.core.render.run import Rendering
from zeroknot.core.timeline.tempo_map import TempoMap
from zeroknot.core.warp.warp_map import WarpMap

BEATS, PER_BEAT = 16.0, 4
CONTENTS = (("drums",), ("percussion",), ("guitar",), ("keys",))
PROGRAMS = {"guitar": (24, 25, 26, 27), "keys": (0, 2, 4, 5)}
SPREAD, MOST_DB = 0.06, 6.0  # of a sixteenth; of an accent
SHUFFLE, STRENGTH, FASTER = 62.0, 0.95, 1.1
PAD = 0.06  # seconds before a hit that is rendered alone
Event = tuple[float, ...]


@dataclass(frozen=True)
class Loop:
    """sound  from the downbeat on, float32 [2, frames]
    offsets, accents  of the sixteen steps of a bar, as played: share of a step, dB of velocity
    levels  by step of the pass: register and level of what is struck there, rendered alone
    starts  seconds at which notes begin
    """

    content: str
    font: str
    tempo: float
    sound: Audio
    offsets: np.ndarray
    levels: dict[int, tuple[str, float]]
    starts: tuple[float, ...]

    @property
    def per_beat(self) -> int:
        """The coarsest grid that everything struck lies on."""
        return 2 if all(step % 2 == 0 for step in self.levels) else PER_BEAT


def rendered(
    seed: int, cache: Path, swung: float | None = None, straight: bool = False,
    begun: Callable[[float], float] | None = None,
) -> Loop:  # fmt: skip
    """One loop.

    swung  percent of sixteenths' swing and nothing else
    begun  the beat at which what begins at a second of it is to begin; it is FASTER than it was
    """
    is_pure = swung is not None
    rng = np.random.default_rng([seed, 77])
    (content,) = CONTENTS[seed % len(CONTENTS)]
    role = {"guitar": "chords", "keys": "chords"}.get(content, content)
    tempo = float(rng.uniform(80, 130))
    spec = Spec(
        content=(role,), metre="4/4", feel="rock" if content != "drums" else "funk", bars=4,
        tempo=tempo, key=(int(rng.integers(12)), bool(rng.integers(2))), sparse=False, pickup=0.0,
        seed=seed,
    )  # fmt: skip
    notes = [n for n in compose(spec, rng) if 0 <= n.at < BEATS]
    steps = 4 * PER_BEAT
    # Half are swung; all are a little off besides, as people play.
    swung = float(rng.uniform(52, 64)) if swung is None and rng.random() < 0.5 else swung
    offsets = np.clip(rng.normal(0.0, SPREAD, steps), -2 * SPREAD, 2 * SPREAD)
    offsets[0] = 0.0
    if straight or is_pure:
        offsets = np.zeros(steps)
    if swung is not None and not straight:
        offsets = offsets + np.where(np.arange(steps) % 2, swung / 50.0 - 1.0, 0.0)
    accents = rng.uniform(-MOST_DB, MOST_DB, steps)
    own_second = second = 60.0 / tempo
    if begun:
        tempo *= FASTER
        second = 60.0 / tempo
    timed: list[Timed] = []
    struck: dict[int, list[Note]] = {}
    programs = pick_programs({"drums" if role == "percussion" else role}, rng)
    if content in PROGRAMS:
        programs = {role: int(rng.choice(PROGRAMS[content]))}
    for note in notes:
        step = round(note.at * PER_BEAT)
        if abs(note.at * PER_BEAT - step) > 1e-3:
            continue
        note = replace(note, role="drums" if note.role == "percussion" else note.role)
        velocity = int(np.clip(72 * 10 ** (accents[step % steps] / 40), 20, 127))
        note = replace(note, velocity=velocity)
        beat = (step + offsets[step % steps]) / PER_BEAT
        at = (begun(beat * own_second) if begun else beat) * second
        timed.append(Timed(at, at + note.length * second, note))
        struck.setdefault(step, []).append(note)
    timed = _one_at_a_time(timed)
    font = SOUNDFONTS[seed // len(CONTENTS) % len(SOUNDFONTS)]
    alone = {tuple(sorted((n.role, n.pitch, n.velocity) for n in ns)): ns for ns in struck.values()}
    scores = [Score(tuple(timed), programs, 0.0, BEATS * second)]
    for group in alone.values():
        scores.append(Score(tuple(Timed(PAD, PAD + 0.25, n) for n in group), programs, 0.0, 0.3))
    sounds = Band(font, cache).record(scores, reverb=False)
    heard = {key: _alone(s) for key, s in zip(alone, sounds[1:], strict=True)}
    levels = {
        step: heard[tuple(sorted((n.role, n.pitch, n.velocity) for n in ns))]
        for step, ns in struck.items()
    }
    frames = round(BEATS * second * RATE)
    sound = np.ascontiguousarray(sounds[0][:frames].T.astype(np.float32))
    starts = tuple(sorted({t.start for t in timed}))
    return Loop(content, Path(font).stem, tempo, Audio(sound, RATE), offsets, levels, starts)


def _one_at_a_time(timed: list[Timed]) -> list[Timed]:
    """A note ends where the same is struck again: else its end would end that one."""
    found = []
    for t in timed:
        n = t.note
        same = [o.start for o in timed if o.note.pitch == n.pitch and o.note.role == n.role]
        again = min((s for s in same if s > t.start + 1e-6), default=t.end + 1.0)
        found.append(replace(t, end=min(t.end, max(t.start + 0.02, again - 0.002))))
    return found


def _alone(sound: np.ndarray) -> tuple[str, float]:
    """Register and level of one hit that nothing sounds beside."""
    audio = Audio(np.ascontiguousarray(sound[: int(0.4 * RATE)].T.astype(np.float32)), RATE)
    size = np.abs(audio.samples).max(axis=0)
    start = float(np.argmax(size > 0.1 * max(size.max(), 1e-9))) / RATE
    at = np.asarray([start])
    (hit,) = measured(audio, Attacks(at, np.ones(1), np.ones(1)))
    return hit.register, hit.level_db


def read_back(task: tuple[int, Path]) -> dict:
    """Errors of one loop's groove: ms by register, dB, whether the grid was right."""
    loop = rendered(*task)
    warp = WarpMap.between(0.0, loop.sound.seconds, BEATS)
    hits = at_sensitivity(measured(loop.sound, all_attacks(loop.sound)), SENSITIVITY)
    played = played_of(hits, warp, 0.0, BEATS)
    step_ms = 60_000.0 / loop.tempo / PER_BEAT
    made = taken(played, PER_BEAT, BEATS, 4.0)
    errors, decibels = [], []
    for register in made.registers:
        row = made.of(register)
        known = [
            (step.offset - loop.offsets[i]) * step_ms for i, step in enumerate(row) if step.hits
        ]
        errors += list(np.asarray(known) - np.median(known))
    truth: dict[str, list[tuple[int, float]]] = {r: [] for r in REGISTERS}
    for step, (register, level) in loop.levels.items():
        truth[register].append((step, level))
    for register, levels in truth.items():
        row = made.of(register)  # type: ignore[arg-type]
        if not row or len(levels) < 3:
            continue
        mean = np.mean([level for _, level in levels])
        for i, step in enumerate(row):
            wanted = [level - mean for number, level in levels if number % 16 == i]
            if wanted and step.hits:
                decibels.append(step.accent_db - float(np.mean(wanted)))
    return {
        "content": loop.content, "font": loop.font, "ms": errors, "db": decibels,
        "grid": grids_of(played)[0].per_beat == loop.per_beat,
        "said": (loop.per_beat, grids_of(played)[0].per_beat),
    }  # fmt: skip


def laid(task: tuple[int, Path]) -> dict:
    """A straight loop on a shuffle of 62 %, wholly: how far its hits are from where they belong."""
    seed, cache = task
    loop = rendered(seed, cache, straight=True)
    warp = WarpMap.between(0.0, loop.sound.seconds, BEATS)
    attacks = all_attacks(loop.sound)
    layer = GrooveLayer(measured(loop.sound, attacks), swing(SHUFFLE, PER_BEAT), timing=STRENGTH)
    tempo = TempoMap.steady(loop.tempo)
    moved = layer.over(warp)
    plan = plan_pass(
        source="x", rate=RATE, warp=moved, tempo_map=tempo, start_beat=0.0, lead_from=0.0,
        tail_to=loop.sound.seconds, method="strike",
    )  # fmt: skip
    out = Audio(Rendering(loop.sound, attacks, plan).whole()[:, : plan.body_frames], RATE)
    found = all_attacks(out).at_sensitivity(SENSITIVITY).seconds
    wanted = np.asarray([m.after for m in layer.moves(warp) if m.target is not None])
    wanted = wanted[1:] * 60.0 / loop.tempo
    if not found.size or not wanted.size:
        return {"content": loop.content, "ms": []}
    errors = [1000.0 * (found[np.abs(found - w).argmin()] - w) for w in wanted]
    errors = [e for e in errors if abs(e) < 40.0]
    return {"content": loop.content, "ms": errors, "missed": len(wanted) - len(errors)}


def kept_sharp(task: tuple[int, Path]) -> dict:
    """Quality scores of a loop that Strike plays faster: straight, and on a shuffle at 95 %.

    Each against the same notes begun where they are laid.
    """
    seed, cache = task
    loop = rendered(seed, cache, swung=50.0)
    warp, attacks = WarpMap.between(0.0, loop.sound.seconds, BEATS), all_attacks(loop.sound)
    layer = GrooveLayer(measured(loop.sound, attacks), swing(SHUFFLE, PER_BEAT), timing=STRENGTH)
    scores = []
    for laid_by in (warp, layer.over(warp)):
        truth = rendered(seed, cache, swung=50.0, begun=partial(_begun, laid_by, attacks, loop))
        plan = plan_pass(
            source="x", rate=RATE, warp=laid_by, tempo_map=TempoMap.steady(truth.tempo),
            start_beat=0.0, lead_from=0.0, tail_to=loop.sound.seconds, method="strike",
        )  # fmt: skip
        made = Rendering(loop.sound, attacks, plan).whole()[:, : plan.body_frames].T
        found = Truth(truth.sound.samples.T, truth.starts).against(made)
        # The first note of what was played cannot begin before the loop, as a hit of ours may.
        scores.append(score(found | {"seam_db": float("nan")}))
    return {"content": loop.content, "scores": scores}


def _begun(laid: WarpMap, attacks: Attacks, loop: Loop, second: float) -> float:
    """The beat at which a note begins so that what is heard of it begins where it is laid.

    An instrument speaks a moment after its note, and that moment is not stretched.
    """
    heard = attacks.seconds[(attacks.seconds > second - 0.005) & (attacks.seconds < second + 0.06)]
    speaks = float(heard[0]) if heard.size else second
    late = (speaks - second) * loop.tempo * FASTER / 60.0
    return max(0.0, laid.beat_of_second(speaks) - late)


def swing_read(task: tuple[int, Path, float]) -> tuple[float, float] | None:
    """A loop swung by a known ratio, and the ratio read from it; None where it has no offbeats."""
    seed, cache, ratio = task
    loop = rendered(seed, cache, swung=100.0 * ratio / (1.0 + ratio))
    if loop.per_beat != PER_BEAT:
        return None
    warp = WarpMap.between(0.0, loop.sound.seconds, BEATS)
    hits = at_sensitivity(measured(loop.sound, all_attacks(loop.sound)), SENSITIVITY)
    made = taken(played_of(hits, warp, 0.0, BEATS), PER_BEAT, BEATS, 1.0)
    return ratio, swing_ratio(_filled(made))


def _filled(groove: Groove) -> Groove:
    """Both kinds of step by all that was heard of either."""
    sides = []
    for side in (0, 1):
        known = [s for s in groove.steps[side::2] if s.hits]
        weight = sum(s.hits for s in known)
        offset = sum(s.offset * s.hits for s in known) / weight if weight else 0.0
        sides.append(Step(offset))
    return Groove("", groove.per_beat, tuple(sides))


def percentiles(values: list[float]) -> str:
    size = np.abs(np.asarray(values)) if values else np.zeros(1)
    return f"{np.median(size):6.2f} {np.percentile(size, 95):6.2f}"


def main() -> None:
    cache = Path(sys.argv[1])
    cache.mkdir(parents=True, exist_ok=True)
    count = int(sys.argv[2]) if len(sys.argv) > 2 else 96
    assert REACH == 0.4
    with ProcessPoolExecutor(max(1, (os.cpu_count() or 2) - 0)) as pool:
        backs = list(pool.map(read_back, [(seed, cache) for seed in range(count)]))
        puts = list(pool.map(laid, [(seed, cache) for seed in range(count // 2)]))
        sharp = list(pool.map(kept_sharp, [(seed, cache) for seed in range(count // 2)]))
        ratios = (1.0, 1.4, 1.8, 2.2, 2.8, 3.5)
        swings = list(
            pool.map(swing_read, [(4 * i, cache, ratios[i % 6]) for i in range(count // 4)])
        )
    print("taken from           offset ms median 95%   accent dB median 95%   grid right")
    for name in [*(c for (c,) in CONTENTS), "all"]:
        some = [b for b in backs if name in (b["content"], "all")]
        ms, db = ([v for b in some for v in b[key]] for key in ("ms", "db"))
        right = np.mean([b["grid"] for b in some])
        print(f"{name:20} {percentiles(ms)}          {percentiles(db)}         {100 * right:.0f} %")
    print("grids taken for others:", sorted(b["said"] for b in backs if not b["grid"]))
    print("quality of Strike a tenth faster: straight, on the shuffle at 95 %")
    for name in [*(c for (c,) in CONTENTS), "all"]:
        both = [k["scores"] for k in sharp if name in (k["content"], "all")]
        print(f"{name:20} {np.mean(both, axis=0).round(1)}")
    print("laid at 95 % on a shuffle of 62 %: ms from where 95 % is, median 95%, not found again")
    for name in [*(c for (c,) in CONTENTS), "all"]:
        some = [p for p in puts if name in (p["content"], "all")]
        missed = sum(p.get("missed", 0) for p in some)
        print(f"{name:20} {percentiles([v for p in some for v in p['ms']])}  {missed}")
    off = [abs(pair[1] - pair[0]) for pair in swings if pair]
    print(f"swing ratio: median {np.median(off):.3f}, worst {max(off):.3f} of {len(off)}")


if __name__ == "__main__":
    main()
