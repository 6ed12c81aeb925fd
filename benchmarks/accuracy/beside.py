"""What do other libraries hear in loops? Their answers are written beside the loops.

    PYTHON -m benchmarks.accuracy.beside {essentia,madmom} FOLDER... [--every 1]
    PYTHON -m benchmarks.accuracy.beside {essentia,madmom} --songs FILE...

Run by an interpreter of their own, which needs nothing of ours: essentia (2.1b6) goes with Python
3.11, madmom (0.16.1) with 3.9, NumPy under 1.24 and Cython under 3. `measure --made FOLDER...`
takes up what it finds as FOLDER/beside-NAME.json.

Trackers are made for songs, so a loop is repeated to 16 s first; the tempo is then rounded to a
whole number of bars of the file, which does them good where it was cut exactly. Of songs a stretch
of SONG_SECONDS is listened to, and what is heard written beside each for `songs`.
"""

import argparse
import json
import time
import warnings
from pathlib import Path

import numpy as np
import soundfile

LONG_ENOUGH = 16.0  # s
SONG_FROM, SONG_SECONDS = 15.0, 50.0
RATE = 44_100


def by_essentia():
    import essentia
    import essentia.standard as es

    essentia.log.warningActive = essentia.log.infoActive = False
    beats = es.RhythmExtractor2013(method="multifeature")
    keys = es.KeyExtractor(profileType="bgate")

    def answer(mono, again):
        bpm, ticks, *_ = beats(again)
        tonic, mode, _ = keys(mono)
        return {"tempo": float(bpm), "beats": ticks.tolist(), "key": f"{tonic} {mode}"}

    return answer


def by_madmom():
    from madmom.audio.signal import Signal
    from madmom.features.downbeats import DBNDownBeatTrackingProcessor, RNNDownBeatProcessor
    from madmom.features.key import CNNKeyRecognitionProcessor, key_prediction_to_label

    heard = RNNDownBeatProcessor()
    tracked = DBNDownBeatTrackingProcessor(beats_per_bar=[3, 4], fps=100)
    keys = CNNKeyRecognitionProcessor()

    def answer(mono, again):
        found = tracked(heard(Signal(again, sample_rate=RATE)))
        beats = found[:, 0]
        tempo = 60 / np.median(np.diff(beats)) if beats.size > 1 else None
        ones = found[found[:, 1] == 1, 0]
        return {
            "tempo": tempo, "beats": beats.tolist(), "ones": ones.tolist(),
            "beats_per_bar": int(found[:, 1].max()) if beats.size else 4,
            "key": key_prediction_to_label(keys(Signal(mono, sample_rate=RATE))),
        }  # fmt: skip

    return answer


LIBRARIES = {"essentia": by_essentia, "madmom": by_madmom}


def mono_of(file):
    """float32 [frames] at RATE."""
    sound, rate = soundfile.read(file, dtype="float32", always_2d=True)
    mono = sound.mean(axis=1)
    if rate != RATE:
        at = np.arange(0, mono.size, rate / RATE)
        mono = np.interp(at, np.arange(mono.size), mono).astype(np.float32)
    return mono


def heard_from(seconds):
    """Where the stretch of a song of that length begins that is listened to, in seconds."""
    return min(SONG_FROM, max(0.0, seconds - SONG_SECONDS))


def song_told(file, answer):
    """What is heard in a stretch of a song, in seconds of the file."""
    mono = mono_of(file)
    first = int(heard_from(mono.size / RATE) * RATE)
    part = mono[first : first + int(SONG_SECONDS * RATE)]
    found = answer(part, part)
    for name in ("beats", "ones"):
        found[name] = [t + first / RATE for t in found.get(name, [])]
    return found


def told(file, answer):
    """A library's answer about a file, in the words of `measure`."""
    mono = mono_of(file)
    seconds = mono.size / RATE
    again = np.tile(mono, max(1, int(np.ceil(LONG_ENOUGH / seconds))))
    try:
        found = answer(mono, again)
    except Exception as error:
        return {"tempo": None, "bars": None, "one": None, "beats": [], "why": repr(error)}
    tempo, beats = found["tempo"], [b for b in found["beats"] if b < seconds]
    in_bar = found.get("beats_per_bar", 4)
    bars = max(1, round(seconds * tempo / 60 / in_bar)) if tempo else None
    ones = [o for o in found.get("ones", beats) if o < seconds]
    return {
        "tempo": 60 * in_bar * bars / seconds if bars else None, "bars": bars,
        "one": ones[0] if ones else None, "beats": beats, "key": found.get("key"),
    }  # fmt: skip


def main():
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("library", choices=sorted(LIBRARIES))
    parser.add_argument("folders", type=Path, nargs="*")
    parser.add_argument("--every", type=int, default=1)
    parser.add_argument("--songs", type=Path, nargs="+", default=[])
    given = parser.parse_args()
    warnings.simplefilter("ignore")
    answer = LIBRARIES[given.library]()
    for file in given.songs:
        written = file.with_name(f"{file.name}.{given.library}.json")
        if not written.exists():
            try:
                written.write_text(json.dumps(song_told(file, answer)))
            except Exception as error:
                print(f"{file}: {error!r}", flush=True)
    for folder in given.folders:
        written = folder / f"beside-{given.library}.json"
        known = json.loads(written.read_text()) if written.exists() else {}
        for truth in json.loads((folder / "truth.json").read_text())[:: given.every]:
            if truth["file"] in known:
                continue
            began = time.process_time()
            found = told(folder / truth["file"], answer)
            found["spent"] = time.process_time() - began
            known[truth["file"]] = found
            if len(known) % 20 == 0:
                written.write_text(json.dumps(known))
        written.write_text(json.dumps(known))
        print(f"{folder}: {len(known)} loops", flush=True)


if __name__ == "__main__":
    main()
