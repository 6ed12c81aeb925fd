"""Prints one hash over everything the shipped styles, fonts and scripts are made from."""

import hashlib
from pathlib import Path

HERE = Path(__file__).resolve().parent
TEMPLATES = HERE.parent / "src" / "zeroknot" / "web" / "templates"


def inputs_hash() -> str:
    digest = hashlib.sha256()
    files = [HERE / name for name in ("app.css", "build.sh", "package.json", "package-lock.json")]
    for file in [*files, *sorted(TEMPLATES.rglob("*.html"))]:
        digest.update(file.name.encode() + b"\0" + file.read_bytes() + b"\0")
    return digest.hexdigest()


if __name__ == "__main__":
    print(inputs_hash())
