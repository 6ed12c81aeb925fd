"""Which pieces with a declared key is key finding fitted on and measured against?

From music21's corpus: chorales and dance tunes whose key, with its mode, stands in the score. A
third of the pieces, by the hash of their names, is only measured against.
"""

import argparse
import hashlib
import json
import warnings
from pathlib import Path

PITCH_CLASSES = ("C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B")
COLLECTIONS = (("ryansMammoth", 240), ("oneills1850", 160), ("bach", 240))
LONGEST_QUARTERS = 130


def is_held_out(name: str) -> bool:
    """Is this piece only measured against? One in three, by the hash of its name."""
    return int(hashlib.sha256(name.encode()).hexdigest(), 16) % 3 == 0


def pieces(composer: str, most: int) -> list[dict]:
    from music21 import corpus, key, stream

    found = []
    paths = sorted(str(p) for p in corpus.getComposer(composer))
    for path in paths[:: max(1, len(paths) // most)]:
        try:
            opened = corpus.parse(path)
        except Exception as error:  # a score the reader cannot take is left out
            print(f"{Path(path).name}: {error}")
            continue
        scores = list(opened.scores) if isinstance(opened, stream.Opus) else [opened]
        for number, score in enumerate(scores[:8]):
            keys = {
                (k.tonic.pitchClass, k.mode)
                for k in score.recurse().getElementsByClass(key.Key)
                if k.mode in ("major", "minor")
            }
            if len(keys) != 1:
                continue
            tonic, mode = keys.pop()
            notes = [
                (float(n.getOffsetInHierarchy(score)), float(n.quarterLength), int(p.midi))
                for n in score.recurse().notes
                for p in n.pitches
            ]
            if len(notes) < 20 or max(a + b for a, b, _ in notes) > LONGEST_QUARTERS:
                continue
            found.append(
                {
                    "name": f"{Path(path).stem}:{number}", "source": composer, "notes": notes,
                    "key": f"{PITCH_CLASSES[tonic]} {mode}",
                }
            )  # fmt: skip
    return found


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("file", type=Path)
    given = parser.parse_args()
    warnings.simplefilter("ignore")
    everything: list[dict] = []
    for composer, most in COLLECTIONS:
        everything += pieces(composer, most)
        print(composer, len(everything), flush=True)
        given.file.write_text(json.dumps(everything))


if __name__ == "__main__":
    main()
