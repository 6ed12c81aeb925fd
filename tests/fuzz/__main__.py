"""`python -m tests.fuzz READER [SECONDS]`: bytes that nobody would write, for as long as wanted.

atheris changes what it is given by what the reader's code did with it. A crash, a hang over 5 s or
over 1 GB ends with status 1, and the bytes lie beside the corpus. What reached something new is
kept in tests/fuzz/corpus, which `make test` reads once.
"""

import sys
from pathlib import Path

import atheris

CORPUS = Path(__file__).parent / "corpus"
HANG_SECONDS, MOST_MB = 5, 1024
LONGEST_BYTES = 20_000

with atheris.instrument_imports(include=["zeroknot", "mido", "zipfile", "tinytag"]):
    from tests.fuzz.readers import READERS, read


def main() -> None:
    name, seconds = sys.argv[1], sys.argv[2] if len(sys.argv) > 2 else "1200"
    reader, honest = READERS[name]
    folder = CORPUS / name
    folder.mkdir(parents=True, exist_ok=True)
    for i, data in enumerate(honest()):
        (folder / f"honest-{i}").write_bytes(data)
    found = folder.with_name(f"{name}-found-")
    atheris.Setup(
        [sys.argv[0], str(folder), f"-max_total_time={seconds}", f"-timeout={HANG_SECONDS}",
         f"-rss_limit_mb={MOST_MB}", f"-max_len={LONGEST_BYTES}", f"-artifact_prefix={found}",
         "-print_final_stats=1", "-verbosity=0"],
        lambda data: read(reader, data),
    )  # fmt: skip
    atheris.Fuzz()


if __name__ == "__main__":
    main()
