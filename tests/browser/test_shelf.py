"""The shelf as a person works with it: bring in, find, hear in time and key, correct, place."""

import base64
import random
import re
import tempfile
from dataclasses import replace
from pathlib import Path

import numpy as np
from benchmarks.shelf import made_up as loop_made_up
from playwright.sync_api import expect
from sqlalchemy import insert
from sqlmodel import Session

from tests.browser.harness import BrowserTest
from tests.core.listening.test_midi_reading import midi
from tests.sounds import audio, hits, rendered
from tests.standins.test_exchange import Running
from tests.store.test_shelf_index import loop as made_up
from tests.studio.test_bringing import packed, tone
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.store.codec import facts_columns, loop_row
from zeroknot.store.database import opened_database
from zeroknot.store.facts import derive
from zeroknot.store.tables import FactsRow
from zeroknot.web.pictures import wave_png

DROP_AT = """([data, name, x, y]) => {
  const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
  const transfer = new DataTransfer();
  transfer.items.add(new File([bytes], name));
  const target = document.elementFromPoint(x, y);
  for (const type of ["dragover", "drop"]) {
    target.dispatchEvent(new DragEvent(type, {
      dataTransfer: transfer, bubbles: true, cancelable: true, clientX: x, clientY: y,
    }));
  }
}"""


def drums(bpm, bars=2, seed=0):
    beat = 60 / bpm
    sound = hits([i * beat / 2 for i in range(8 * bars)], 4 * bars * beat, seed=seed)
    return wav_bytes(audio(0.8 * sound / np.abs(sound).max()), 16)


def chord(pitches, bpm=100.0, beats=8):
    """Chords struck on each beat, so that their key and tempo are heard."""
    seconds = beats * 60 / bpm
    t = np.arange(round(seconds * 44_100)) / 44_100
    since = t % (60 / bpm)
    tone_ = sum(
        np.sin(2 * np.pi * 440 * 2 ** ((p - 69) / 12) * h * t) / h
        for p in pitches
        for h in (1, 2, 3)
    )
    return wav_bytes(audio(0.08 * tone_ * np.exp(-2 * since) * np.minimum(1, since / 0.003)), 16)


class ShelfHarness(BrowserTest):
    def bring(self, *files):
        """(name, bytes) each; gives rows by name."""
        for name, data in files:
            self.send(data, name)
        self.server.settle()
        self.open()
        return {row["name"]: row for row in self.server.rows()}

    def row(self, name):
        named = self.page.locator(".name b").get_by_text(name, exact=True)
        return self.page.locator(".rows li").filter(has=named)

    def choose(self, name, **how):
        self.row(name).locator(".name b").click(**how)

    def notice(self, text):
        self.page.locator(".notice").filter(has_text=text).first.wait_for()

    def names(self):
        return self.page.locator(".rows li .name b").all_inner_texts()

    def undo_notice(self):
        self.page.locator(".notice").get_by_role("button", name="Undo").last.click()

    def hand(self, expression):
        return self.engine(f"e && e.hand.sheet && e.hand.isPlaying ? {expression} : null")


class ShelfTest(ShelfHarness):
    has_own_server = True

    # ---- bringing in

    def test_picker_takes_files_archives_and_midi_and_lists_refusals(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        files = []
        for name, data in (
            ("picked 91bpm.wav", drums(91, seed=1)),
            ("picked line.mid", midi([(i, i + 0.5, 60 + i, 0) for i in range(8)], 96).getvalue()),
            ("pack.zip", packed([("inside 1.wav", tone(311)), ("../out.wav", tone(312))])),
            ("letter.txt", b"dear friend"), ("empty.wav", b""),
        ):  # fmt: skip
            file = Path(folder.name) / name
            file.write_bytes(data)
            files.append(str(file))
        self.server.post("/api/bring/forget")
        self.open()
        self.page.locator("#pick-files").set_input_files(files)
        for name in ("picked 91bpm", "picked line", "inside 1"):
            self.row(name).wait_for()
        troubles = self.page.locator(".troubles")
        for text in ("letter.txt: this is neither", "empty.wav: the file is empty",
                     "out.wav: its name leads out"):  # fmt: skip
            troubles.filter(has_text=text).wait_for()
        self.page.locator(".bringing p[role=status]").filter(has_text="3 brought in").wait_for()
        self.page.get_by_role("button", name="Clear this list").click()
        self.page.locator(".bringing").wait_for(state="hidden")

    def test_what_was_refused_is_taken_back_and_tried_again(self):
        self.server.post("/api/bring/forget")
        self.open()
        self.server.bring(b"dear friend", "notes/letter.wav")
        trouble = self.page.locator(".troubles li", has_text="letter.wav")
        first = trouble.get_by_role("link").get_attribute("href")
        # However often it is tried: it is listed once, as what came last.
        self.server.bring(b"dear friend", "notes/letter.wav")
        expect(trouble.get_by_role("link")).not_to_have_attribute("href", first)
        expect(trouble).to_have_count(1)
        with self.page.expect_download() as download:
            trouble.get_by_role("link").click()
        self.assertEqual(Path(download.value.path()).read_bytes(), b"dear friend")
        # What stood in its way goes; here, that it was a letter.
        [kept] = (self.data / "refused").iterdir()
        self.assertIn("letter.wav", kept.name)
        kept.write_bytes(tone(333))
        trouble.get_by_role("button", name="Try again").click()
        self.row("letter").wait_for()
        trouble.wait_for(state="detached")

    def test_what_waits_can_be_cancelled_and_the_rest_is_there(self):
        self.open()
        for i in range(14):
            self.send(drums(80 + i, bars=8, seed=100 + i), f"many/{i}.wav")
        cancel = self.page.get_by_role("button", name="Cancel the rest")
        cancel.click()
        items = self.server.settle()[-14:]
        states = {item["state"] for item in items}
        self.assertIn("refused", states)
        self.page.locator(".troubles").filter(has_text="cancelled").wait_for()

    def test_a_file_dropped_on_a_bar_is_placed_there(self):
        self.open()
        box = self.page.locator("#strip").bounding_box()
        x = box["x"] + 12 + 2.5 * (box["width"] - 24) / 16
        data = base64.b64encode(drums(117, seed=7)).decode()
        self.page.evaluate(DROP_AT, [data, "dropped.wav", x, box["y"] + 30])
        self.wait(lambda: [c["beat"] for c in self.state()["clips"]] == [8])

    def test_a_file_dropped_on_a_track_is_placed_on_it(self):
        rows = self.bring(("laid.wav", drums(104, seed=8)))
        self.intent(kind="place", hand=rows["laid"]["sha"], beat=0)
        track = self.state()["tracks"][0]["id"]
        self.open("arrange")
        box = self.page.locator(f"[data-lane='{track}']").bounding_box()
        data = base64.b64encode(drums(99, seed=9)).decode()
        self.page.evaluate(
            DROP_AT, [data, "onto.wav", box["x"] + 140 + 12 * 12.5, box["y"] + box["height"] / 2]
        )
        self.wait(lambda: len(self.state()["clips"]) == 2)
        self.assertEqual({c["track"] for c in self.state()["clips"]}, {track})
        self.assertEqual(self.state()["clips"][-1]["beat"] % 4, 0)

    def test_a_loop_is_dragged_out_to_the_desktop(self):
        rows = self.bring(("printed.wav", drums(100, seed=10)))
        self.row("printed").hover()
        url = self.page.evaluate("""() => {
          const handle = [...document.querySelectorAll(".rows li")]
            .find((li) => li.textContent.includes("printed")).querySelector(".drag-out");
          const transfer = new DataTransfer();
          handle.dispatchEvent(new DragEvent("dragstart", {dataTransfer: transfer, bubbles: true}));
          return transfer.getData("DownloadURL");
        }""")
        kind, name, address = url.split(":", 2)
        self.assertEqual((kind, name), ("audio/wav", "printed.wav"))
        self.assertIn(rows["printed"]["sha"], address)
        answer = self.page.request.get(address)
        self.assertEqual(answer.body()[:4], b"RIFF")

    # ---- finding

    def test_words_facets_order_and_a_kept_search(self):
        rows = self.bring(
            ("Quay/oak break.wav", wav_bytes(rendered("drums_103"), 16)),
            ("Quay/oak bass.wav", wav_bytes(rendered("bass_97"), 16)),
            ("oak notes.mid", midi([(i, i + 0.6, 62 + i, 0) for i in range(8)], 96).getvalue()),
        )
        page = self.page
        search = page.get_by_label("Search by name")
        search.fill("oak")
        self.wait(lambda: len(self.names()) == 3)
        search.fill("oak 103 bpm")
        self.wait(lambda: self.names() == ["oak break"])
        search.fill("oak")
        kinds = page.get_by_role("group", name="Kind")
        kinds.get_by_role("button", name="midi").click()
        self.wait(lambda: self.names() == ["oak notes"])
        page.get_by_label("Name for this search").fill("Oak notes")
        page.get_by_role("button", name="Keep").click()
        kinds.get_by_role("button", name="midi").click()
        self.wait(lambda: len(self.names()) == 3)
        page.locator(".heads").get_by_role("button", name="Tempo").click()
        tempos = [rows[n]["tempo_bpm"] for n in ("oak notes", "oak bass", "oak break")]
        self.assertEqual(tempos, sorted(tempos))
        self.wait(lambda: self.names() == ["oak notes", "oak bass", "oak break"])
        page.locator(".heads").get_by_role("button", name="Tempo").click()
        self.wait(lambda: self.names() == ["oak break", "oak bass", "oak notes"])
        page.get_by_label("Slowest tempo").fill("96.5")
        page.get_by_label("Slowest tempo").press("Enter")
        self.wait(lambda: set(self.names()) == {"oak break", "oak bass"})
        page.get_by_role("button", name="Ask for nothing").click()
        self.wait(lambda: len(self.names()) >= 3)
        page.locator(".kept").get_by_role("button", name="Oak notes", exact=True).click()
        self.wait(lambda: self.names() == ["oak notes"])
        # The same search is there again after another view.
        self.walk_to("Arrange")
        self.walk_to("Shelf")
        self.wait(lambda: self.names() == ["oak notes"])
        page.get_by_role("button", name="Forget Oak notes").click()
        page.locator(".kept li").wait_for(state="detached")

    def test_what_fits_and_tempo_by_dragging_over_the_histogram(self):
        self.bring(("elm near.wav", drums(121, seed=13)), ("elm far.wav", drums(170, seed=14)))
        page = self.page
        page.get_by_label("Search by name").fill("elm")
        self.wait(lambda: len(self.names()) == 2)
        page.locator("label").filter(has_text="tempo within").get_by_role("checkbox").check()
        self.wait(lambda: self.names() == ["elm near"])
        page.get_by_label("Percent the tempo may change").fill("60")
        page.get_by_label("Percent the tempo may change").press("Enter")
        self.wait(lambda: len(self.names()) == 2)
        box = page.locator("tempo-range canvas").bounding_box()
        at = lambda bpm: box["x"] + (bpm - 40) / 200 * box["width"]  # noqa: E731
        page.mouse.move(at(110), box["y"] + 20)
        page.mouse.down()
        page.mouse.move(at(130), box["y"] + 20, steps=4)
        page.mouse.up()
        self.wait(lambda: self.names() == ["elm near"])
        # As a person does it: the second click follows some time after the first.
        page.mouse.click(at(120), box["y"] + 20, click_count=1)
        page.wait_for_timeout(120)
        page.mouse.click(at(120), box["y"] + 20, click_count=2)
        self.wait(lambda: len(self.names()) == 2)
        page.mouse.click(at(120), box["y"] + 20)
        self.wait(lambda: self.names() == ["elm near"])
        page.locator("tempo-range canvas").dblclick()
        self.wait(lambda: len(self.names()) == 2)

    # ---- hearing

    def test_arrow_keys_go_on_to_the_next_loop_without_stopping(self):
        self.bring(*((f"fir {i}.wav", drums(95 + 10 * i, seed=20 + i)) for i in range(3)))
        page = self.page
        page.get_by_label("Search by name").fill("fir")
        self.wait(lambda: len(self.names()) == 3)
        page.get_by_label("Search by name").press("Escape")
        self.choose("fir 2")
        page.keyboard.press("Enter")
        first = self.wait(lambda: self.hand("e.hand.sheet.source"))
        page.evaluate("""() => {
          window.stops = 0;
          const hand = zeroKnot.session.engine_.hand;
          setInterval(() => { if (!hand.isPlaying) window.stops += 1; }, 5);
        }""")
        page.keyboard.press("ArrowDown")
        self.wait(lambda: self.hand("e.hand.sheet.source") not in (None, first))
        self.assertEqual(page.evaluate("() => window.stops"), 0)
        self.assertEqual(page.locator(".face-button[aria-pressed=true]").count(), 1)
        page.keyboard.press("Escape")
        self.wait(lambda: self.engine("!e.hand.isPlaying"))

    def test_half_once_double_and_a_number_of_bars(self):
        self.bring(("yew.wav", drums(120, bars=2, seed=30)))
        page = self.page
        self.row("yew").get_by_role("button", name="Hear yew").click()
        self.wait(lambda: self.hand("e.hand.sheet.span") == 8)
        for button, span in (("half", 4), ("double", 16), ("once", 8)):
            with self.subTest(button):
                group = page.get_by_role("group", name="On how many beats")
                group.get_by_role("button", name=button).click()
                self.wait(lambda span=span: self.hand("e.hand.sheet.span") == span)
        page.get_by_label("Bars one pass is laid on").fill("3")
        page.get_by_label("Bars one pass is laid on").press("Enter")
        self.wait(lambda: self.hand("e.hand.sheet.span") == 12)
        # It is placed as it is heard.
        page.get_by_role("button", name="Place at bar 1").click()
        self.wait(lambda: [s["span"] for s in self.state()["strands"]] == [12])
        page.get_by_role("button", name="as recorded").click()
        self.wait(lambda: self.hand("e.hand.way") == "recorded")
        page.get_by_role("button", name="in time", exact=True).click()
        page.get_by_role("group", name="On how many beats").get_by_role(
            "button", name="double"
        ).click()
        self.wait(lambda: self.hand("e.hand.sheet.span") == 24)
        page.get_by_role("button", name="Place at bar 1").click()
        self.wait(lambda: [s["span"] for s in self.state()["strands"]] == [12, 24])

    def test_in_time_and_key_and_as_loud_as_the_others(self):
        rows = self.bring(
            ("beech.wav", chord((57, 60, 64))), ("beech drum.wav", drums(100, seed=31))
        )
        self.server.post("/api/shelf/changes", shas=[rows["beech"]["sha"]],
                         edit={"kind": "state_key", "key": "A minor"})  # fmt: skip
        self.intent(kind="set_keys", changes=[{"bar": 1, "key": "C minor"}])
        self.open()
        page = self.page
        page.get_by_role("button", name="in time and key").click()
        self.row("beech").wait_for()
        digest = {}
        for way in ("in time", "in time and key"):
            page.get_by_role("button", name=way, exact=True).click()
            self.row("beech").locator(".face-button").click()
            digest[way] = self.wait(lambda: self.hand("e.hand.sheet.digest"))
            self.assertNotEqual(self.hand("e.hand.sheet.gain"), 1)
            page.keyboard.press("Escape")
            self.wait(lambda: self.engine("!e.hand.isPlaying"))
        self.assertNotEqual(digest["in time"], digest["in time and key"])

    def test_with_the_rest_it_joins_at_the_songs_place_and_shift_waits_for_the_bar(self):
        rows = self.bring(("song.wav", drums(120, seed=40)), ("joins.wav", drums(90, seed=41)))
        for beat in (0, 8, 16, 24):
            self.intent(kind="place", hand=rows["song"]["sha"], beat=beat)
        self.open()
        page = self.page
        page.keyboard.press("Space")
        self.wait(lambda: self.engine("e && e.song.isPlaying") and self.beat() > 0.5)
        page.evaluate("""() => {
          const {plan} = zeroKnot.session.engine_.song;
          window.exchanges = [];
          const before = plan.exchange.bind(plan);
          plan.exchange = (at, now, known) => {
            window.exchanges.push([plan.beatAt(at), plan.waits === "bar", plan.withHand !== null]);
            before(at, now, known);
          };
        }""")
        page.get_by_role("button", name="with the rest").click()
        self.row("joins").locator(".face-button").click()
        self.wait(lambda: page.evaluate("() => window.exchanges.some((x) => x[2])"))
        events = self.engine("e.song.plan.current.events.filter((x) => x.track === 'hand')")
        # Its passes lie on the song's own beats, counted from bar 1.
        self.assertEqual(events[0]["at"] % (8 * 22_050), 0)
        page.keyboard.press("Escape")
        self.wait(lambda: self.engine("e.song.withHand === null"))
        page.evaluate("() => { window.exchanges = []; }")
        self.row("joins").locator(".face-button").click(modifiers=["Shift"])
        found = self.wait(lambda: page.evaluate("() => window.exchanges.find((x) => x[1] && x[2])"))
        # On a bar line, within a millisecond (500 ms a beat at 120).
        self.assertLess(min(found[0] % 4, 4 - found[0] % 4) * 500, 1.0)

    def test_the_list_follows_the_projects_time(self):
        self.bring(("Quay/alder.wav", wav_bytes(rendered("keys_88"), 16)))
        ratio = self.row("alder").locator(".ratio")
        # Two bars at 88 in a project at 120: 88/120 as long.
        self.wait(lambda: "0.73 × as long" in ratio.inner_text())
        self.intent(kind="set_steady_tempo", bpm=88)
        self.wait(lambda: "1.00 × as long" in ratio.inner_text())
        self.page.locator(".heads").get_by_text("88 bpm").wait_for()
        self.intent(kind="set_keys", changes=[{"bar": 1, "key": "E minor"}])
        self.page.locator(".heads").get_by_text(", to E minor").wait_for()

    def test_the_next_rows_are_prepared(self):
        self.bring(*((f"larch {i}.wav", drums(88 + i, seed=50 + i)) for i in range(4)))
        page = self.page
        page.get_by_label("Search by name").fill("larch")
        self.wait(lambda: len(self.names()) == 4)
        with page.expect_response(lambda r: "/prepare" in r.url) as told:
            self.choose("larch 3")
        self.assertGreaterEqual(told.value.json()["prepared"], 3)

    # ---- changing

    def test_correct_in_the_list_for_one_and_for_the_set_and_take_it_back(self):
        rows = self.bring(*((f"Holm/oar {i}.wav", drums(100 + i, seed=60 + i)) for i in range(3)))
        page = self.page
        sha = rows["oar 0"]["sha"]
        self.row("oar 0").get_by_role("button", name="BPM").click()
        about = page.locator(".about")
        about.get_by_label("Bars of the loop").fill("4")
        about.get_by_label("Bars of the loop").press("Enter")
        self.notice("oar 0: read as 4 bars")
        self.wait(lambda: self.server.get(f"/api/loops/{sha}")["reading"]["bars"] == 4)
        self.assertEqual(self.server.get(f"/api/loops/{sha}")["readings"][0]["bars"], 2)
        about.get_by_role("button", name="As heard").click()
        self.wait(lambda: self.server.get(f"/api/loops/{sha}")["reading"]["bars"] == 2)
        about.get_by_text("all of Holm (3)").click()
        about.get_by_role("button", name="2× tempo").click()
        self.notice("3 loops: corrected")
        known = [
            self.server.get(f"/api/loops/{r['sha']}") for r in rows.values() if "oar" in r["name"]
        ]
        self.assertEqual([k["reading"]["bars"] for k in known], [4, 4, 4])
        self.undo_notice()
        self.wait(lambda: self.server.get(f"/api/loops/{sha}")["reading"]["bars"] == 2)
        about.get_by_label("Key of the loop").select_option("F minor")
        self.wait(lambda: self.server.get(f"/api/loops/{sha}")["key"] == "F minor")

    def test_what_was_taken_off_is_found_and_put_back_later(self):
        self.bring(*((f"kelp {i}.wav", drums(96 + i, seed=90 + i)) for i in range(2)))
        page = self.page
        page.get_by_label("Search by name").fill("kelp")
        self.wait(lambda: len(self.names()) == 2)
        page.get_by_label("Search by name").press("Escape")
        # It is left as it is: what is listed is what the field says.
        expect(page.get_by_label("Search by name")).to_have_value("kelp")
        self.choose("kelp 1")
        page.keyboard.press("Delete")
        self.wait(lambda: self.names() == ["kelp 0"])
        # Another day: no notice, no undo of this page.
        page.reload()
        page.wait_for_function("() => window.zeroKnot?.session.sheet")
        page.get_by_label("Search by name").fill("kelp")
        page.get_by_label("Search by name").press("Escape")
        page.get_by_role("button", name="taken off").click()
        self.wait(lambda: self.names() == ["kelp 1"])
        self.choose("kelp 1")
        page.keyboard.press("Delete")
        self.notice("kelp 1: back on the shelf")
        page.get_by_role("button", name="taken off").click()
        self.wait(lambda: sorted(self.names()) == ["kelp 0", "kelp 1"])

    def test_many_are_chosen_tagged_favoured_and_taken_off_with_undo(self):
        self.bring(*((f"reed {i}.wav", drums(110 + i, seed=70 + i)) for i in range(4)))
        page = self.page
        page.get_by_label("Search by name").fill("reed")
        self.wait(lambda: len(self.names()) == 4)
        page.get_by_label("Search by name").press("Escape")
        page.locator(".heads").get_by_role("button", name="Name").click()
        self.wait(lambda: self.names() == [f"reed {i}" for i in range(4)])
        self.choose("reed 0")
        self.choose("reed 2", modifiers=["Shift"])
        self.wait(lambda: page.locator(".rows li.chosen").count() == 3)
        # Wherever in the row the click falls, also on a cell that opens what is known.
        self.row("reed 1").get_by_role("button", name="BPM").click(modifiers=["Control"])
        self.wait(lambda: page.locator(".rows li.chosen").count() >= 2)
        expect(page.locator(".about")).to_be_hidden()
        page.keyboard.press("i")
        page.locator(".about").get_by_label("Tags").fill("deep, slow")
        page.locator(".about").get_by_label("Tags").press("Enter")
        self.notice("2 loops: tagged deep, slow")
        page.get_by_role("group", name="Mine").get_by_role("button", name="deep").click()
        self.wait(lambda: len(self.names()) == 2)
        page.get_by_role("group", name="Mine").get_by_role("button", name="deep").click()
        self.wait(lambda: len(self.names()) == 4)
        self.row("reed 3").get_by_role("button", name="Make reed 3 a favourite").click()
        self.notice("reed 3: a favourite")
        self.choose("reed 0")
        page.keyboard.press("Control+a")
        self.wait(lambda: page.locator(".rows li.chosen").count() == 4)
        page.keyboard.press("Delete")
        self.wait(lambda: len(self.names()) == 0)
        self.undo_notice()
        self.wait(lambda: len(self.names()) == 4)

    def test_rename_and_bad_input_is_a_sentence(self):
        rows = self.bring(("moss.wav", drums(93, seed=80)))
        sha = rows["moss"]["sha"]
        page = self.page
        self.choose("moss")
        page.keyboard.press("i")
        about = page.locator(".about")
        # What is typed stays while something else comes onto the shelf.
        about.get_by_label("Tempo of the loop").fill("fa")
        self.server.bring(drums(94, seed=81), "moss two.wav")
        self.row("moss two").wait_for()
        page.wait_for_timeout(500)
        expect(about.get_by_label("Tempo of the loop")).to_have_value("fa")
        about.get_by_label("Tempo of the loop").fill("fast")
        about.get_by_label("Tempo of the loop").press("Enter")
        self.notice("That is no number")
        about.get_by_label("Tempo of the loop").fill("5000")
        about.get_by_label("Tempo of the loop").press("Enter")
        self.notice("tempo bpm")
        self.assertFalse(self.server.get(f"/api/loops/{sha}")["is_stated"])
        about.get_by_label("Name of the loop").fill("Moss, green")
        about.get_by_label("Name of the loop").press("Enter")
        self.row("Moss, green").wait_for()
        self.troubles[:] = [t for t in self.troubles if "422" not in t]

    # ---- giving and placing

    def test_the_project_takes_tempo_and_key_and_the_loop_its_place(self):
        rows = self.bring(("pine.wav", drums(133, bars=8, seed=90)))
        page = self.page
        sha = rows["pine"]["sha"]
        self.server.post("/api/shelf/changes", shas=[sha],
                         edit={"kind": "state_key", "key": "G minor"})  # fmt: skip
        self.choose("pine")
        page.keyboard.press("i")
        about = page.locator(".about")
        about.get_by_role("button", name="its tempo").click()
        self.wait(lambda: abs(self.state()["bpm"] - 133) < 0.1)
        about.get_by_role("button", name="its key").click()
        self.wait(lambda: self.state()["key"] == "G minor")
        about.get_by_role("button", name="its metre").click()
        self.wait(lambda: self.state()["undo"] is not None)
        page.get_by_role("button", name="Place at bar 1").click()
        self.notice("placed at bar 1. The project now has 8 bars")
        track = self.state()["tracks"][0]["id"]
        page.get_by_label("Track to place on").select_option(track)
        self.engine("e.song.go(32)")
        self.wait(lambda: page.get_by_role("button", name="Place at bar 9").count() == 1)
        page.keyboard.press("p")
        self.wait(lambda: [c["beat"] for c in self.state()["clips"]] == [0, 32])
        self.assertEqual({c["track"] for c in self.state()["clips"]}, {track})

    def test_a_midi_loop_sounds_at_once(self):
        notes = [(i, i + 0.8, p, 0) for i, p in enumerate((57, 60, 64, 69))]
        self.bring(("rushes.mid", midi(notes, 90).getvalue()))
        self.row("rushes").locator(".face-button").click()
        self.wait(lambda: self.hand("e.hand.sheet.digest"))
        level = self.wait(
            lambda: self.page.evaluate("""() => {
          const e = zeroKnot.session.engine_;
          const read = e.mixer.masterMeter.read(e.context.currentTime);
          return Math.max(...read.held) > 0.01 && Math.max(...read.held);
        }""")
        )
        self.assertLess(level, 1.0)
        self.row("rushes").dblclick()
        self.page.locator("#loom").wait_for()
        voice = self.page.get_by_label("Voice that plays the notes")
        voice.select_option("pad")
        self.wait(lambda: self.state()["undo"] == "voice pad")

    def test_an_empty_shelf_says_what_to_do(self):
        rows = self.server.rows()
        if rows:
            self.server.post("/api/shelf/changes", search={}, edit={"kind": "take_off"})
        self.open()
        self.page.get_by_text("The shelf is empty. Drop audio or MIDI files").wait_for()


class LongListTest(ShelfHarness):
    has_own_server = True

    def test_a_long_list_is_scrolled_with_few_rows_on_the_page(self):
        engine = opened_database(self.data / "zeroknot.sqlite")
        self.addCleanup(engine.dispose)
        one = facts_columns(made_up(1, "ash", tempo=100.0), 1)
        rows = [
            {**one, "sha": f"{i:064x}", "stamp": i, "name": f"ash {i - 1}"} for i in range(1, 1501)
        ]
        with engine.begin() as connection:
            connection.execute(insert(FactsRow), rows)
        # Rows that were made up have no recordings to draw.
        dot = wave_png(np.zeros((1, 2), np.float32), 0, "day")
        self.page.route(
            "**/*.png*", lambda r: r.fulfill(status=200, content_type="image/png", body=dot)
        )
        self.open()
        page = self.page
        page.get_by_label("Search by name").fill("ash")
        page.locator(".heads").get_by_role("button", name="Name").click()
        page.locator(".heads").get_by_role("button", name="Name ↑").wait_for()
        self.wait(lambda: self.names()[:2] == ["ash 0", "ash 1"])
        page.evaluate("() => { document.getElementById('rows').scrollTop = 1e9; }")
        self.wait(lambda: "ash 1499" in self.names())
        self.assertLess(page.locator(".rows li").count(), 60)
        page.evaluate("() => { document.getElementById('rows').scrollTop = 45 * 700; }")
        self.wait(lambda: "ash 702" in self.names())
        # Keys go on from where the choice is.
        self.choose("ash 702")
        page.keyboard.press("ArrowDown")
        self.wait(lambda: page.locator(".rows li[aria-current=true]").inner_text()[:7] == "ash 703")


class ManyAtOnceTest(ShelfHarness):
    has_own_server = True

    def test_a_thousand_are_taken_off_in_the_background_and_put_back(self):
        engine = opened_database(self.data / "zeroknot.sqlite")
        self.addCleanup(engine.dispose)
        chance = random.Random(1)
        loops = [replace(loop_made_up(i, chance), name=f"yew {i}") for i in range(1, 1201)]
        with Session(engine) as session, session.begin():
            rows = [loop_row(loop) for loop in loops]
            session.add_all(rows)
            derive(session, *rows)
        dot = wave_png(np.zeros((1, 2), np.float32), 0, "day")
        self.page.route(
            "**/*.png*", lambda r: r.fulfill(status=200, content_type="image/png", body=dot)
        )
        self.open()
        page = self.page
        self.choose("yew 1200")
        page.keyboard.press("Control+a")
        page.keyboard.press("Delete")
        # It is told how far it is, and other things can be done meanwhile.
        page.locator(".jobs li").filter(has_text="1200 loops: off the shelf").wait_for()
        page.get_by_role("button", name="Stop", exact=True).wait_for()
        expect(page.locator(".saved")).to_have_text("All saved")
        self.notice("1200 loops: off the shelf.")
        page.locator(".jobs li").wait_for(state="detached")
        self.wait(lambda: self.names() == [])
        page.keyboard.press("Control+z")
        self.notice("taken back")
        self.wait(lambda: len(self.names()) > 10)
        # Half of it is enough: what was done stays, and is taken back.
        self.choose("yew 1200")
        page.keyboard.press("Control+a")
        page.keyboard.press("Delete")
        page.get_by_role("button", name="Stop", exact=True).click()
        page.locator(".notice").filter(has_text=re.compile("[Ss]topped")).first.wait_for()
        if self.server.get("/api/shelf")["total"] < 1200:
            page.keyboard.press("Control+z")
        self.wait(lambda: self.server.get("/api/shelf")["total"] == 1200)


class WithExchange(BrowserTest):
    @classmethod
    def setUpClass(cls):
        cls.outside = Running()
        cls.addClassCleanup(cls.outside.stop)
        cls.server_settings = {"ZEROKNOT_EXCHANGE": cls.outside.address}
        super().setUpClass()


class OnlineTest(WithExchange):
    def test_find_preview_and_bring_in_and_trouble_is_said(self):
        self.outside.weather.__init__()
        self.open()
        page = self.page
        page.get_by_role("button", name="Find online").click()
        page.get_by_role("heading", name="Practice exchange").wait_for()
        page.get_by_label("Search online").fill("chime")
        rows = page.locator(".online-rows li")
        self.wait(lambda: rows.count() == 2)
        page.get_by_role("button", name="Preview Buoy chime").click()
        self.wait(
            lambda: self.page.evaluate("""() => {
          const e = zeroKnot.session.engine_;
          return e && Math.max(...e.mixer.masterMeter.read(e.context.currentTime).held) > 0.01;
        }""")
        )
        page.get_by_role("button", name="Bring in Buoy chime").click()
        page.get_by_role("button", name="Bring in Buoy chime").filter(
            has_text="Brought in"
        ).wait_for()
        page.get_by_role("button", name="Back to the shelf").click()
        page.locator(".rows li").filter(has_text="Buoy chime").wait_for()
        self.outside.weather.fail_every = 1
        page.get_by_role("button", name="Find online").click()
        page.get_by_role("alert").filter(has_text="answered 503").wait_for()
        self.outside.weather.fail_every = 0
        page.get_by_role("button", name="Try again").click()
        self.wait(lambda: rows.count() == 9)
        self.troubles[:] = [t for t in self.troubles if "422" not in t]


class OfferTest(WithExchange):
    def test_what_was_printed_is_offered_and_found_there(self):
        sha = self.shelved("drums_103")
        made = self.server.post(f"/api/projects/{self.project}/prints", hand=sha, seam="wrap")
        self.open()
        page = self.page
        page.locator(f"#row-{sha}").get_by_role("button", name="BPM").click()
        about = page.locator(".about")
        about.get_by_role("heading", name="Hand over").wait_for()
        expect(about.get_by_role("button", name="To the exchange")).to_be_hidden()
        page.locator(f"#row-{made['sha']} .name b").click()
        button = about.get_by_role("button", name="To the exchange")
        button.wait_for()
        button.click()
        page.locator(".notice").filter(has_text="which licence").first.wait_for()
        about.get_by_label("Who made it").fill("Nell Tarn")
        about.get_by_label("Licence for others").fill("CC0-1.0")
        about.get_by_label("Licence for others").press("Enter")
        button.click()
        page.locator(".notice").filter(has_text="on the exchange now").first.wait_for()
        page.get_by_role("button", name="Find online").click()
        page.get_by_label("Search online").fill("nell")
        self.wait(lambda: page.locator(".online-rows li").count() == 1)
        self.troubles[:] = [t for t in self.troubles if "422" not in t]


class RenderedTest(BrowserTest):
    def test_a_real_loop_is_heard_in_time(self):
        self.send(wav_bytes(rendered("keys_88"), 24), "keys.wav")
        self.server.settle()
        self.open()
        self.page.locator(".rows li .face-button").first.click()
        self.wait(lambda: self.engine("e && e.hand.isPlaying"))
        self.assertEqual(self.engine("e.hand.sheet.body"), 4 * 2 * 22_050)
