"""Which pieces with a declared key is key finding fitted on and measured against?

From music21's corpus: chorales and dance tunes whose key, with its mode, stands in the score. A
third of the pieces, by the hash of their names, is only measured against.
"""

import argparse
import hashlib
import json
import warnings
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path

PITCH_CLASSES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
COLLECTIONS = (("ryansMammoth", 500), ("oneills1850", 39), ("bach", 433))
LONGEST_QUARTERS = 130
MOST_OF_A_FILE = 8


def is_held_out(name: str) -> bool:
    """Is this piece only measured against? One in three, by the hash of its name."""
    return int(hashlib.sha256(name.encode()).hexdigest(), 16) % 3 == 0


def paths(composer: str, most: int) -> list[Path]:
    from music21 import corpus

    found = sorted(Path(p) for p in corpus.getComposer(composer))
    return found[:: max(1, len(found) // most)][:most]


def pieces(composer: str, path: Path) -> list[dict]:
    """Of a file those in one key, whose bars are of one length.

    notes  (start, length, MIDI note) in quarters; bars  where each begins, of bar_quarters
    """
    from music21 import converter, key, meter, stream

    warnings.simplefilter("ignore")
    try:
        opened = converter.parse(path)
    except Exception as error:  # a score the reader cannot take is left out
        print(f"{path.name}: {error}")
        return []
    found = []
    scores = list(opened.scores) if isinstance(opened, stream.Opus) else [opened]
    for number, score in enumerate(scores[:MOST_OF_A_FILE]):
        keys = {(k.tonic.pitchClass, k.mode) for k in score.recurse().getElementsByClass(key.Key)}
        metres = {
            float(t.barDuration.quarterLength)
            for t in score.recurse().getElementsByClass(meter.TimeSignature)
        }
        if len(keys) != 1 or len(metres) != 1 or not score.parts:
            continue
        tonic, mode = keys.pop()
        notes = [
            (float(n.getOffsetInHierarchy(score)), float(n.quarterLength), int(p.midi))
            for n in score.recurse().notes
            for p in n.pitches
        ]
        is_long = len(notes) < 20 or max(a + b for a, b, _ in notes) > LONGEST_QUARTERS
        if mode not in ("major", "minor") or is_long:
            continue
        bars = [float(m.offset) for m in score.parts[0].getElementsByClass(stream.Measure)]
        found.append(
            {
                "name": f"{path.stem}:{number}", "source": composer, "notes": notes,
                "key": f"{PITCH_CLASSES[tonic]} {mode}", "bars": bars,
                "bar_quarters": metres.pop(),
            }
        )  # fmt: skip
    return found


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("file", type=Path)
    given = parser.parse_args()
    everything: list[dict] = []
    with ProcessPoolExecutor(2) as pool:
        for composer, most in COLLECTIONS:
            for found in pool.map(partial(pieces, composer), paths(composer, most)):
                everything += found
            print(composer, len(everything), flush=True)
            given.file.write_text(json.dumps(everything))


if __name__ == "__main__":
    main()
