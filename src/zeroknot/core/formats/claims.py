"""What do a file's names, tags and chunks claim of the loop in it?

The forms ("…_92bpm_Am.wav", "4 bars", a bare 92 between underscores) are common practice, no
source. Tags are read by tinytag: TBPM, TKEY and their like.
"""

import re
from typing import BinaryIO

from tinytag import TinyTag

from zeroknot.core.formats.riff import read_marks
from zeroknot.core.listening.reading import Claims

SLOWEST, FASTEST = 40.0, 260.0
NOTES = {"C": 0, "D": 2, "E": 4, "F": 5, "G": 7, "A": 9, "B": 11}

_BPM = re.compile(r"(?<![\d.])(\d{2,3}(?:[.,]\d{1,3})?)[ _-]?bpm(?![a-z])", re.I)
_BARE = re.compile(r"(?:^|[_ \-(\[])(\d{2,3}(?:\.\d{1,2})?)(?=$|[_ \-)\]])")
_BARS = re.compile(r"(?<!\d)(\d{1,2})[ _-]?bars?(?![a-z])", re.I)
_KEY = re.compile(
    r"(?:^|[_ \-(\[])([A-G])([#♯b♭]?)[ _-]?(minor|major|min|maj|m|M)?(?=$|[_ \-)\].])"
)


def read_claims(file: BinaryIO, kind: str, rate: int, names: tuple[str, ...]) -> Claims:
    """Everything claimed, tags before names, the file's own name before its folders'.

    names  the file's name without its ending, then its folders, nearest first
    """
    said: dict[str, object] = {}
    sources: list[str] = []

    def take(source: str, **claims: object) -> None:
        new = {k: v for k, v in claims.items() if v is not None and k not in said}
        if new:
            said.update(new)
            sources.append(source)

    take("tags", **_from_tags(file))
    if kind == "wav":
        marks = read_marks(file)
        if marks.loops:
            loop = marks.loops[0]
            take("loop points", loop_start_s=loop.start / rate, loop_end_s=loop.end / rate)
    for i, name in enumerate(names):
        take("file name" if i == 0 else "folder name", **claims_in_name(name))
    return Claims(sources=tuple(sources), **said)  # type: ignore[arg-type]


def claims_in_name(name: str) -> dict[str, object]:
    """tempo_bpm, bars and key named in a file or folder name; only what is there."""
    found: dict[str, object] = {}
    tempo = _BPM.search(name)
    candidates = [tempo] if tempo else list(_BARE.finditer(name))
    for match in candidates:
        bpm = float(match.group(1).replace(",", "."))
        # A bare number is only taken for a tempo where it could hardly be a running number.
        if (SLOWEST if tempo else 60.0) <= bpm <= (FASTEST if tempo else 200.0):
            found["tempo_bpm"] = bpm
            break
    bars = _BARS.search(name)
    if bars and int(bars.group(1)) > 0:
        found["bars"] = int(bars.group(1))
    for match in _KEY.finditer(name):
        note, accidental, mode = match.groups()
        # "A" and "E" alone are words; a lone letter counts only with an accidental or a mode.
        if mode or accidental:
            minor = mode in ("m", "min", "minor")
            found["key"] = _key_name(note, accidental, minor)
            break
    return found


def without_tempo(name: str) -> str:
    """A name without the tempo in it, which another tempo would make a lie."""
    return re.sub(r"[_ -]*" + _BPM.pattern, "", name, flags=re.I).strip(" _-") or name


def _key_name(note: str, accidental: str, minor: bool) -> str:
    sign = {"#": "♯", "♯": "♯", "b": "♭", "♭": "♭"}.get(accidental, "")
    return f"{note}{sign} {'minor' if minor else 'major'}"


def _from_tags(file: BinaryIO) -> dict[str, object]:
    file.seek(0)
    try:
        tag = TinyTag.get(file_obj=file, duration=False)
    except Exception:  # a damaged tag claims nothing; the sound is read all the same
        return {}
    other = {k.lower(): v for k, v in (tag.other or {}).items()}
    found: dict[str, object] = {}
    for value in other.get("bpm", ()):
        match = re.match(r"\s*(\d+(?:\.\d+)?)", str(value))
        if match and SLOWEST <= float(match.group(1)) <= FASTEST:
            found["tempo_bpm"] = float(match.group(1))
    for value in other.get("initial_key", other.get("key", ())):
        match = re.fullmatch(r"([A-G])([#b]?)(m?)", str(value).strip())
        if match:
            found["key"] = _key_name(match.group(1), match.group(2), bool(match.group(3)))
    if tag.title and tag.title.strip():
        found["title"] = tag.title.strip()[:200]
    return found
