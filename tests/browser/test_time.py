import io

from tests.browser.harness import BrowserTest
from tests.sounds import rendered
from zeroknot.core.formats.midi_tempo import read_time, write_time
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.timeline.metre_map import Metre, MetreChange, MetreMap
from zeroknot.core.timeline.tempo_map import TempoMap, TempoPoint


class TempoListTest(BrowserTest):
    def go_to_bar(self, bar):
        self.page.locator("#strip").focus()
        self.page.keyboard.press("Home")
        for _ in range(bar - 1):
            self.page.keyboard.press("ArrowRight")
        self.page.get_by_text(f"{bar}.1.1").first.wait_for()

    def test_changes_are_added_at_the_playhead_typed_bent_and_removed(self):
        self.open("arrange")
        page = self.page
        self.go_to_bar(5)
        page.get_by_role("button", name="Tempo change at bar 5").click()
        self.wait(lambda: len(self.state()["tempos"]) == 2)
        field = page.get_by_label("Tempo at 5.1.1, BPM")
        field.fill("158")
        field.press("Enter")
        self.wait(lambda: self.state()["tempos"][1]["bpm"] == 158)
        page.get_by_role("button", name="Tempo at 1.1.1, ramp to 5.1.1").click()
        self.wait(lambda: self.state()["tempos"][0]["shape"] == "ramp")
        bend = page.get_by_label("Bend of the ramp from 1.1.1, typed")
        bend.fill("2")
        bend.press("Enter")
        self.wait(lambda: self.state()["tempos"][0]["bend"] == 2)
        place = page.get_by_label("Tempo at 5.1.1, place as bar.beat")
        place.fill("6.3")
        place.press("Enter")
        self.wait(lambda: self.state()["tempos"][1]["beat"] == 22)
        for text in ("nowhere", "3.9"):
            place = page.get_by_label("Tempo at 6.3.1, place as bar.beat")
            place.fill(text)
            place.press("Enter")
            page.locator(".notice.error").filter(has_text=text).first.wait_for()
        # The top bar shows the tempo at the playhead, and types into the point that holds there.
        self.go_to_bar(9)
        self.wait(lambda: page.locator("#tempo-field").input_value() == "158")
        page.locator("#tempo-field").fill("150")
        page.locator("#tempo-field").press("Enter")
        self.wait(lambda: self.state()["tempos"][1]["bpm"] == 150)
        page.get_by_role("button", name="Remove tempo at 6.3.1").click()
        self.wait(lambda: len(self.state()["tempos"]) == 1)

    def test_metre_changes_move_the_bar_lines_of_every_view(self):
        self.open("arrange")
        page = self.page
        self.go_to_bar(3)
        page.get_by_role("button", name="Metre change at bar 3").click()
        self.wait(lambda: len(self.state()["metres"]) == 2)
        field = page.get_by_label("Metre from bar 3")
        field.fill("7/8")
        field.press("Enter")
        self.wait(lambda: self.state()["metres"][1]["metre"] == "7/8")
        # Bars 3 and 4 have three and a half quarters: bar 5 begins on beat 15.
        self.go_to_bar(5)
        self.assertAlmostEqual(self.beat(), 15.0)
        self.assertEqual(page.locator("#metre-field").input_value(), "7/8")
        bars = page.evaluate(
            """async () => { const m = await import("/static/js/metre.js");
              const { metres } = zeroKnot.session.state;
              return [m.barLine(metres, 14.9).bar, m.beatOfBar(metres, 7),
                m.barsBetween(metres, 4, 15), m.onGrid(metres, 14.8),
                m.placeText(metres, 12.5), m.nextBarLine(metres, 9)]; }"""
        )
        self.assertEqual(bars, [4, 22, 3, 15, "4.3", 11.5])
        for bar in range(1, 12):
            beat = page.evaluate(
                "async (b) => (await import('/static/js/metre.js'))"
                ".beatOfBar(zeroKnot.session.state.metres, b)", bar,
            )  # fmt: skip
            core = MetreMap((MetreChange(1, Metre()), MetreChange(3, Metre(7, 8))))
            self.assertAlmostEqual(beat, core.beat_of_bar(bar))
        page.get_by_role("button", name="Remove metre of bar 3").click()
        self.wait(lambda: len(self.state()["metres"]) == 1)

    def test_a_tempo_map_comes_in_as_a_midi_file_and_goes_out_again(self):
        self.open("arrange")
        page = self.page
        tempo = TempoMap((TempoPoint(0, 80, "ramp"), TempoPoint(32, 158)))
        data = write_time(tempo, MetreMap((MetreChange(1, Metre(3, 4)),)), 40)
        page.locator("input[type=file][accept*='.mid']").set_input_files(
            {"name": "live.mid", "mimeType": "audio/midi", "buffer": data}
        )
        page.get_by_text("are now those of live.mid").wait_for()
        self.assertEqual(self.state()["metre"], "3/4")
        self.assertEqual([t["shape"] for t in self.state()["tempos"]], ["ramp", "step"])
        with page.expect_download() as download:
            page.get_by_role("link", name="Write tempo to MIDI").click()
        self.assertRegex(download.value.suggested_filename, r"tempo\.mid$")
        again = read_time(io.BytesIO(download.value.path().read_bytes()))
        self.assertAlmostEqual(again.points[1].bpm, 158, delta=0.01)
        page.locator("input[type=file][accept*='.mid']").set_input_files(
            {"name": "letter.mid", "mimeType": "audio/midi", "buffer": b"no tempo at all"}
        )
        page.get_by_text("not a MIDI file").first.wait_for()
        self.troubles.clear()  # the browser notes the answer that refuses

    def test_the_click_follows_a_ramp_on_the_audio_clock(self):
        self.server.bring(wav_bytes(rendered("drums_103"), 16), "plates.wav")
        self.server.settle()
        sha = next(r["sha"] for r in self.server.rows() if r["name"] == "plates")
        self.intent(kind="set_tempo_point", beat=0, bpm=100, shape="ramp", was=0)
        self.intent(kind="set_tempo_point", beat=16, bpm=200)
        self.intent(kind="place", hand=sha, beat=0)
        self.open("arrange")
        self.page.locator("#strip").focus()
        self.page.evaluate("""() => {
          const engine = zeroKnot.session.engine();
          engine.clicked = [];
          const at = engine.click.at.bind(engine.click);
          engine.click.at = (time, isOne) => { engine.clicked.push(time); at(time, isOne); };
        }""")
        self.page.keyboard.press("c")
        self.page.keyboard.press("Space")
        self.wait(lambda: self.beat() > 5)
        clicked, run, rate = self.engine("[e.clicked, e.song.runs[0], e.rate]")
        frames = [round(time * rate) - run["context"] + run["song"] for time in clicked]
        tempo = TempoMap((TempoPoint(0, 100, "ramp"), TempoPoint(16, 200)))
        first = frames.index(0)
        self.assertEqual(
            frames[first:], [tempo.frame_of_beat(i, rate) for i in range(len(frames) - first)]
        )
