"""Does anything grow? The demo plays a cycle, its tempo is changed and files come in, for long.

    python -m benchmarks.soak [--minutes 45]

Each minute: a new tempo is typed, files are brought in, and it is noted what the server's processes
hold (memory as PSS, open files), what the page holds (JavaScript heap after collection), what the
cache takes on disk, and how much did not sound that was due.
"""

import argparse
import os
import tempfile
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import CDPSession, Page, sync_playwright
from tests.browser.harness import CHROMIUM, FLAGS
from tests.server import Server

from benchmarks.shelf import make_files

FILES_A_MINUTE = 3
CACHE_BYTES = 250_000_000
PLAY = """async () => {
  const {session, setCycle} = zeroKnot;
  setCycle(session, {on: true, from: 32, to: 64});
  session.engine().song.play(32);
}"""
MISSED = """() => {
  const {song} = zeroKnot.session.engine();
  return [song.plan.handout.missed / song.player.rate, song.isPlaying];
}"""


def table(minutes: int) -> str:
    lines = [
        "| minute | server, MB | open files | page, MB | cache, MB | missed, s | loops |",
        "|---|---|---|---|---|---|---|",
    ]
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        data, pack = Path(folder) / "data", Path(folder) / "files"
        pack.mkdir()
        make_files(pack, FILES_A_MINUTE * minutes)
        files = sorted(pack.rglob("*.wav"))
        server = Server(data, ZEROKNOT_CACHE_BYTES=str(CACHE_BYTES))
        try:
            project = server.post("/api/demo")["id"]
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                troubles: list[str] = []
                page.on("pageerror", lambda e: troubles.append(str(e)))
                page.goto(f"{server.base}/p/{project}/arrange")
                page.locator("#strip").click()
                page.evaluate(PLAY)
                page.wait_for_function("() => zeroKnot.session.engine().song.isPlaying")
                probe = page.context.new_cdp_session(page)
                for minute in range(minutes + 1):
                    lines.append(_line(minute, server, page, probe, data))
                    print(lines[-1], flush=True)
                    if minute < minutes:
                        _minute(minute, server, page, files)
                browser.close()
        finally:
            server.stop()
    return "\n".join([*lines, "", f"errors of the page: {len(troubles)} {troubles[:3]}"])


def _minute(minute: int, server: Server, page: Page, files: list[Path]) -> None:
    end = time.monotonic() + 60
    field = page.get_by_label("Tempo in BPM")
    field.fill(f"{88 + minute % 12 + minute / 100:.2f}")
    field.press("Enter")
    for file in files[minute * FILES_A_MINUTE : (minute + 1) * FILES_A_MINUTE]:
        server.bring(file.read_bytes(), file.name)
        page.wait_for_timeout(5_000)
    page.wait_for_timeout(max(0, end - time.monotonic()) * 1000)


def _line(minute: int, server: Server, page: Page, probe: CDPSession, data: Path) -> str:
    held, files = held_by(server.process.pid)
    probe.send("HeapProfiler.collectGarbage")
    heap = probe.send("Runtime.getHeapUsage")["usedSize"]
    cache = sum(f.stat().st_size for f in (data / "cache").rglob("*") if f.is_file())
    missed, plays = page.evaluate(MISSED)
    assert plays, "it does not play any more"
    loops = server.get("/api/shelf")["total"]
    megabytes = np.asarray([held, heap, cache]) / 1e6
    return (
        f"| {minute} | {megabytes[0]:.0f} | {files} | {megabytes[1]:.1f} | {megabytes[2]:.0f} "
        f"| {missed:.2f} | {loops} |"
    )


def held_by(leader: int) -> tuple[int, int]:
    """Bytes (PSS) and open files of a process group."""
    held = files = 0
    for process in Path("/proc").glob("[0-9]*"):
        try:
            if os.getpgid(int(process.name)) != leader:
                continue
            rollup = (process / "smaps_rollup").read_text()
            held += 1024 * int(rollup.split("Pss:")[1].split()[0])
            files += len(list((process / "fd").iterdir()))
        except (OSError, IndexError):
            continue  # it ended meanwhile
    return held, files


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=int, default=45)
    print(table(parser.parse_args().minutes))


if __name__ == "__main__":
    main()
