"""`python -m tests.fuzz READER [SECONDS]`: bytes that nobody would write, for as long as wanted.

atheris changes what it is given by what the reader's code did with it. A crash, a hang over 5 s or
over 1 GB ends with another status than 0, and the bytes lie in .data/fuzz beside all that reached
something new. `python -m tests.fuzz READER keep` takes what reaches more than tests/fuzz/corpus
does into that; `make test` reads it once.

The decoder of FLAC, OGG and MP3 keeps 1.6 kB of every damaged file, so its reader is begun anew
every minute; all others run in one process to the end, so that what we keep would show.
"""

import subprocess
import sys
from pathlib import Path

import atheris

CORPUS = Path(__file__).parent / "corpus"
MADE = Path(".data/fuzz")
HANG_SECONDS, MOST_MB = 5, 1024
LONGEST_BYTES = 20_000
PART_SECONDS = {"packed": 60}

with atheris.instrument_imports(include=["zeroknot", "mido", "zipfile", "tinytag"]):
    from tests.fuzz.readers import READERS, read


def main() -> None:
    name, how = sys.argv[1], sys.argv[2] if len(sys.argv) > 2 else "1200"
    part = PART_SECONDS.get(name)
    if part is None or how == "keep" or int(how) <= part:
        fuzz(name, how)
    for left in range(int(how), 0, -part):
        again = [sys.executable, "-m", "tests.fuzz", name, str(min(left, part))]
        if status := subprocess.run(again, check=False).returncode:
            sys.exit(status)


def fuzz(name: str, how: str) -> None:
    reader, honest = READERS[name]
    made, kept = MADE / name, CORPUS / name
    made.mkdir(parents=True, exist_ok=True)
    kept.mkdir(parents=True, exist_ok=True)
    for i, data in enumerate(honest()):
        (made / f"honest-{i}").write_bytes(data)
    run = ["-merge=1", str(kept), str(made)] if how == "keep" else [
        str(made), str(kept), f"-max_total_time={how}", f"-artifact_prefix={MADE}/{name}-found-",
        "-print_final_stats=1",
    ]  # fmt: skip
    limits = [f"-timeout={HANG_SECONDS}", f"-rss_limit_mb={MOST_MB}", f"-max_len={LONGEST_BYTES}"]
    atheris.Setup([sys.argv[0], *run, *limits, "-verbosity=0"], lambda data: read(reader, data))
    atheris.Fuzz()


if __name__ == "__main__":
    main()
