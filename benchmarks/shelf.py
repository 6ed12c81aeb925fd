"""How fast is a large shelf? Searches among 50 000 loops, and 1 000 files brought in meanwhile.

    python -m benchmarks.shelf [--rows 50000] [--files 1000]

Searches are asked over HTTP, one after another, as the page asks them while somebody types and
clicks: rows of a page and all facets each time. Files are eight seconds long, mono and stereo, made
by seed. While they come in, the same searches and the page go on being asked, and a loop is heard.
"""

import argparse
import json
import os
import random
import subprocess
import sys
import tempfile
import threading
import time
import urllib.parse
import urllib.request
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import soundfile
from sqlalchemy import insert
from tests.server import Server

from zeroknot.core.harmony.key import NAMES
from zeroknot.core.listening.hearing import Hearing
from zeroknot.core.listening.key import KeyReading
from zeroknot.core.listening.reading import Claims, Reading
from zeroknot.core.listening.sound_kind import KINDS, ONE_HIT, SoundReading
from zeroknot.core.loop import Loop
from zeroknot.store.codec import facts_columns, loop_row
from zeroknot.store.database import opened_database
from zeroknot.store.tables import FactsRow, LoopRow

FIRST = ("dusty", "oak", "slow", "harbour", "tin", "velvet", "north", "paper", "coal", "glass")
SECOND = ("break", "line", "chords", "shaker", "choir", "pulse", "keys", "top", "sub", "arp")
TAGS = ("warm", "old", "live", "tape", "wide", "dry", "odd", "bright")
SECONDS, RATE = 8.0, 44_100
SEARCHES = 400


def made_up(number: int, chance: random.Random) -> Loop:
    """A loop as it would be heard."""
    bars, tempo = chance.choice((1, 2, 2, 4, 4, 8)), chance.uniform(60, 190)
    sound = chance.choice((*KINDS, ONE_HIT))
    seconds = bars * 240 / tempo
    key = f"{chance.choice(NAMES)} {chance.choice(('minor', 'major'))}"
    has_key = sound not in ("drums", "percussion", ONE_HIT)
    name = f"{chance.choice(FIRST)} {chance.choice(SECOND)} {number % 97} {round(tempo)}bpm"
    return Loop(
        sha=f"{number:064x}", name=name, set_name=f"pack {number // 40}",
        file_kind="wav", seconds=seconds, rate=RATE, channels=2,
        frames=round(seconds * RATE), claims=Claims(tempo_bpm=float(round(tempo))),
        hearing=Hearing(
            attacks=tuple((i * 0.1, 0.5, 0.9) for i in range(40)), sounding=(0.0, seconds),
            readings=() if sound == ONE_HIT else (
                Reading(bars, 4, tempo, 0.0, seconds, chance.random()),
            ),
            sound=SoundReading(sound, 0.9), key=KeyReading(key if has_key else None, 0.8),
        ),
        warnings=(), stated=None, recipe=None, on_shelf=True, favourite=number % 50 == 0,
        added_at=(datetime(2026, 1, 1, tzinfo=UTC) + timedelta(seconds=number)).isoformat(),
        tags=tuple(chance.sample(TAGS, chance.randrange(3))),
    )  # fmt: skip


def fill(data: Path, rows: int) -> None:
    """A data folder with so many loops on its shelf (without recordings)."""
    chance = random.Random(1)
    engine = opened_database(data / "zeroknot.sqlite")
    for start in range(0, rows, 2000):
        loops = [made_up(i, chance) for i in range(start + 1, min(start + 2000, rows) + 1)]
        with engine.begin() as connection:
            connection.execute(insert(LoopRow), [loop_row(x).model_dump() for x in loops])
            facts = [facts_columns(x, start + i + 1) for i, x in enumerate(loops)]
            connection.execute(insert(FactsRow), facts)
    engine.dispose()


def questions(project: str) -> list[str]:
    """Searches as they are typed and clicked: letter by letter, facets, orders, far pages."""
    chance, asked = random.Random(2), []
    while len(asked) < SEARCHES:
        words = f"{chance.choice(FIRST)} {chance.choice(SECOND)}"
        query: list[tuple[str, str]] = [("words", words[: chance.randrange(len(words) + 1)])]
        if chance.random() < 0.3:
            query.append(("sounds", chance.choice(KINDS)))
        if chance.random() < 0.2:
            query += [("tempo_from", "80"), ("tempo_to", "120")]
        if chance.random() < 0.2:
            query += [("stretch_within", "12"), ("shift_within", "2")]
        if chance.random() < 0.15:
            query.append(("bars", "4"))
        if chance.random() < 0.1:
            query.append(("tags", chance.choice(TAGS)))
        if chance.random() < 0.1:
            query = [("words", f"{chance.randrange(60, 190)} bpm")]
        query.append(("sort", chance.choice(("added", "name", "tempo", "key", "change", "length"))))
        query.append(("first", str(chance.choice((0, 0, 0, 60, 1200)))))
        asked.append(urllib.parse.urlencode([*query, ("count", "60"), ("project", project)]))
    return asked


def times_of(server: Server, asked: list[str], until: threading.Event | None = None) -> list[float]:
    """Seconds of each search; over and over until told to stop, where `until` is given."""
    found: list[float] = []
    while True:
        for query in asked:
            began = time.perf_counter()
            with urllib.request.urlopen(f"{server.base}/api/shelf?{query}") as answer:
                json.load(answer)
            found.append(time.perf_counter() - began)
            if until is not None:
                if until.is_set():
                    return found
                time.sleep(0.1)
        if until is None:
            return found


def make_files(folder: Path, count: int) -> None:
    """Loops of drums, lines and chords with tempos of their own, eight seconds each."""
    rng = np.random.default_rng(3)
    t = np.arange(round(SECONDS * RATE)) / RATE
    for i in range(count):
        tempo = rng.uniform(70, 160)
        since = t % (30 / tempo)
        if i % 3 == 0:
            sound = rng.standard_normal(t.size) * np.exp(-since * rng.uniform(20, 60))
        else:
            steps = rng.integers(0, 12, 64)[(t // (30 / tempo)).astype(int) % 64]
            hertz = 110 * 2 ** (steps / 12) * (1 + i % 4)
            sound = np.sin(2 * np.pi * np.cumsum(hertz) / RATE) * np.exp(-since * 6)
        sound = 0.5 * sound / np.abs(sound).max()
        stereo = np.stack([sound, np.roll(sound, 7)], axis=1) if i % 2 else sound
        place = folder / f"pack {i // 50}"
        place.mkdir(exist_ok=True)
        soundfile.write(place / f"loop {i} {round(tempo)}bpm.wav", stereo, RATE, "PCM_16")


def line(name: str, seconds: list[float]) -> str:
    middle, late, last = np.percentile(np.asarray(seconds) * 1000, (50, 95, 100))
    return f"| {name} | {len(seconds)} | {middle:.0f} | {late:.0f} | {last:.0f} |"


def table(rows: int, files: int) -> str:
    lines = ["| | n | median, ms | 95th percentile, ms | longest, ms |", "|---|---|---|---|---|"]
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        data, pack = Path(folder) / "data", Path(folder) / "files"
        pack.mkdir()
        make_files(pack, files)
        fill(data, rows)
        server = Server(data)
        try:
            project = server.post("/api/projects", name="Bench")["id"]
            began = time.perf_counter()
            server.get("/api/shelf")
            first = time.perf_counter() - began
            asked = questions(project)
            lines.append(line(f"search among {rows} loops", times_of(server, asked)))
            done, meanwhile, pages, sounds = threading.Event(), [], [], []
            began = time.perf_counter()
            watcher = threading.Thread(
                target=lambda: meanwhile.extend(times_of(server, asked, done))
            )
            visitor = threading.Thread(target=_visit, args=(server, project, done, pages, sounds))
            bringing = subprocess.Popen(
                [sys.executable, "-c", "from zeroknot.cli.start import run; run()", "bring",
                 str(pack), "--json"],
                env={**os.environ, "ZEROKNOT_DATA": str(data)},
                stdout=subprocess.PIPE, text=True,
            )  # fmt: skip
            watcher.start()
            visitor.start()
            told = json.loads(bringing.communicate()[0])
            seconds = time.perf_counter() - began
            done.set()
            watcher.join()
            visitor.join()
            lines.append(line("the same while files come in", meanwhile))
            lines.append(line("the page while files come in", pages))
            lines.append(line("first block of an audition while files come in", sounds))
        finally:
            server.stop()
    lines.append("")
    lines.append(
        f"{told['done']} files of {SECONDS:g} s brought in and listened to in {seconds:.0f} s, "
        f"{told['refused']} refused; the first search after a start takes {first:.2f} s."
    )
    return "\n".join(lines)


def _visit(
    server: Server, project: str, done: threading.Event, pages: list[float], sounds: list[float]
) -> None:
    """Somebody who opens the page and hears loops that have just come in, never rendered before."""
    bpm = 90.0
    while not done.is_set():
        began = time.perf_counter()
        with urllib.request.urlopen(f"{server.base}/p/{project}/shelf") as answer:
            answer.read()
        pages.append(time.perf_counter() - began)
        fresh = [i for i in server.get("/api/bring/items") if i["state"] == "done"]
        if fresh:
            bpm += 0.37
            revision = server.get(f"/api/projects/{project}")["revision"]
            intent = {"kind": "set_steady_tempo", "bpm": bpm}
            server.post(f"/api/projects/{project}/intents", revision=revision, intent=intent)
            sha = fresh[-1]["sha"]
            began = time.perf_counter()
            sheet = server.get(f"/api/projects/{project}/hand/{sha}/sheet?matched=true")
            with urllib.request.urlopen(f"{server.base}/api/renders/{sheet['digest']}/0") as block:
                block.read()
            sounds.append(time.perf_counter() - began)
        done.wait(0.7)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--rows", type=int, default=50_000)
    parser.add_argument("--files", type=int, default=1000)
    given = parser.parse_args()
    print(table(given.rows, given.files))


if __name__ == "__main__":
    main()
