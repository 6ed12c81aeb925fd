"""How long does the shelf take to say what is like a loop, and what fits here, among 50 000?

    python -m benchmarks.near [--rows 50000]

Loops and what they are like are made up, by seed; asked over HTTP as the page asks, a page of rows
and all facets each time, of another loop and at another beat each time.
"""

import argparse
import tempfile
import time
import urllib.request
from pathlib import Path

import numpy as np
from sqlalchemy import insert
from tests.server import Server

from benchmarks.shelf import fill
from zeroknot.core.listening.likeness import SIZES, VERSION
from zeroknot.store.database import opened_database
from zeroknot.store.tables import LikenessRow

ASKED = 60


def vectors(rows: int) -> np.ndarray:
    """float32 [rows, SIZE]: each part of length 1, as they are measured."""
    rng, parts = np.random.default_rng(1), []
    for name, size in SIZES.items():
        part = rng.normal(size=(rows, size))
        part = part if name == "sound" else np.abs(part)
        parts.append(part / np.linalg.norm(part, axis=1, keepdims=True))
    return np.concatenate(parts, axis=1).astype(np.float32)


def likenesses(data: Path, rows: int) -> None:
    engine = opened_database(data / "zeroknot.sqlite")
    with engine.begin() as connection:
        told = [
            {"sha": f"{i:064x}", "version": VERSION, "vector": v.tobytes()}
            for i, v in enumerate(vectors(rows), 1)
        ]
        connection.execute(insert(LikenessRow), told)
    engine.dispose()


def asked(server: Server, query: str) -> float:
    began = time.perf_counter()
    with urllib.request.urlopen(f"{server.base}/api/shelf?{query}&count=60", timeout=60) as got:
        got.read()
    return 1000 * (time.perf_counter() - began)


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--rows", type=int, default=50_000)
    rows = parser.parse_args().rows
    rng = np.random.default_rng(2)
    with tempfile.TemporaryDirectory() as folder:
        fill(Path(folder), rows)
        likenesses(Path(folder), rows)
        server = Server(Path(folder))
        try:
            project = server.post("/api/projects", name="Near")["id"]
            for by in ("all", "sound", "rhythm", "tone", "fits"):
                took = []
                for _ in range(ASKED):
                    like = "" if by == "fits" else f"&like={rng.integers(1, rows):064x}"
                    took.append(asked(server, f"project={project}&like_by={by}{like}&sort=near"))
                took = took[3:]  # the first read the database
                print(f"{by:7} {np.median(took):5.0f} ms, 95 % {np.quantile(took, 0.95):5.0f} ms")
        finally:
            server.stop()


if __name__ == "__main__":
    main()
