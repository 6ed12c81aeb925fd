"""What the page looks up is what the core computed."""

from tests.js.node import NodeTest
from zeroknot.core.timeline.grid import pulses
from zeroknot.core.timeline.metre_map import Metre, MetreMap
from zeroknot.core.timeline.tempo_map import TempoMap


class RulesTest(NodeTest):
    def test_rounding_and_fades(self):
        got = self.evaluate("""async () => {
          const {frame} = await import("/static/js/engine/schedule.js");
          return [-1.5, -0.5, 0.5, 1.5, 2.4999].map(frame);
        }""")
        self.assertEqual(got, [-1, 0, 1, 2, 2])
        got = self.evaluate("""async () => {
          const {envelope} = await import("/static/js/engine/schedule.js");
          const e = {fade_in: 10, fade_out: 20, frames: 100, shape: []};
          return [envelope(e, 0, 100), envelope(e, 5, 90)];
        }""")
        self.assertEqual(got[0], [[0, 0], [10, 1], [80, 1], [100, 0]])
        self.assertEqual(got[1], [[5, 0.5], [10, 1], [80, 1], [90, 0.5]])

    def test_who_says_the_key(self):
        heard = {
            "key": "G minor", "confidence": 0.48, "runner_up": "G major",
            "runner_up_confidence": 0.3, "cents": 17.0,
        }  # fmt: skip
        got = self.evaluate(
            """async (heard) => {
              const {keyFromText} = await import("/static/js/key-from.js");
              const {keyText} = await import("/static/js/hand/bar.js");
              const from = (key_from, key) => ({key_from, key, heard_key: heard, sound: "bass"});
              return [
                ...["stated", "claimed", "made", "heard", null].map((f) => keyFromText(from(f))),
                keyText(from("stated", "A minor")), keyText(from(null, null)),
                keyText({...from(null, null), sound: "drums"}),
                keyFromText({key_from: null, heard_key: {...heard, key: null}}),
              ];
            }""",
            heard,
        )
        doubt = "heard as G minor, 48 % sure; or G major, 30 %"
        said = ["stated by hand", "as its file says", "as it was made", doubt]
        self.assertEqual(
            got,
            [
                *said,
                f"{doubt}: too unsure to go by",
                "A minor, +17 ct",
                "no key",
                "",
                "no key was heard",
            ],
        )

    def test_bar_pulse_sixteenth_as_in_the_core(self):
        metre_map = MetreMap.steady(Metre(6, 8))
        table = pulses(TempoMap.steady(96), metre_map, 44_100, 1, 64)
        beats = [0, 0.3, 1.5, 2.75, 3, 7.1, 44.9]
        got = self.evaluate(
            """async ([table, beats]) => {
              const {position} = await import("/static/js/format.js");
              return beats.map((b) => position(table, b));
            }""",
            [[[p.beat, p.frame, p.bar, p.number] for p in table], beats],
        )
        self.assertEqual(got, [str(metre_map.position(b)) for b in beats])
