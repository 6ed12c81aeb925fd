"""How far a dragged knot goes is asked a hundred times a second in the page; the rule is Python's.

Both are held together here: what the loom allows the server does, what lies past it the server
refuses, and the knots are shown where they then are.
"""

import json
import subprocess
from pathlib import Path

import numpy as np

from tests.sounds import audio, drum_loop
from tests.studio.helper import StudioTest
from zeroknot.core.errors import KnotError, StretchError
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.studio.intents.any_intent import any_intent
from zeroknot.studio.intents.knots import PlaceKnot, TieKnots
from zeroknot.studio.intents.placing import Place
from zeroknot.studio.intents.readings import StateReading
from zeroknot.web.api.hand_wire import hand_json

LOOM = Path(__file__).parents[1] / "js" / "loom" / "asked.js"
INSIDE, OUTSIDE = 0.999, 1.02  # of how far it may go


class LoomRulesTest(StudioTest):
    def setUp(self):
        super().setUp()
        self.sha = self.bring(wav_bytes(audio(0.5 * drum_loop(100, 2)), 16), "plates.wav").sha
        self.project = self.studio.projects.create("a song")
        self.submit(self.project, Place(hand=self.sha, beat=0))
        self.submit(self.project, StateReading(hand=self.sha, bars=2))
        rng = np.random.default_rng(5)
        self.tied = [round(float(s), 3) for s in (0.61, 1.27, 2.2, 3.14, 4.01)]
        beats = [s * 100 / 60 + float(rng.uniform(-0.2, 0.2)) for s in self.tied]
        knots = [PlaceKnot(second=s, beat=b) for s, b in zip(self.tied, beats, strict=True)]
        self.submit(self.project, TieKnots(hand=self.sha, knots=tuple(knots)))

    def hand(self):
        state = self.studio.projects.state(self.project)
        return hand_json(state.project, self.studio.hand(state.project, self.sha))

    def asked(self, questions):
        """What the page's own rules answer to each question."""
        hand = self.hand()
        attacks = [a for a in hand["attacks"] if a[2] > 0.5]
        lines = [json.dumps({"hand": hand, "attacks": attacks} | q) for q in questions]
        done = subprocess.run(
            ["node", str(LOOM)], input="\n".join(lines), capture_output=True, text=True, timeout=60
        )
        self.assertEqual(done.returncode, 0, done.stderr)
        return [json.loads(line) for line in done.stdout.splitlines()]

    def questions(self):
        for chosen in ([1.27], [0.61, 1.27], [1.27, 3.14], self.tied, [4.01]):
            for rail in ("recorded", "fitted"):
                for side in (-1, 1):
                    yield {
                        "kind": "knots",
                        "rail": rail,
                        "chosen": chosen,
                        "second": chosen[0],
                        "share": side,
                    }
        span = self.hand()["span"]
        for side in (-1, 1):
            yield {"kind": "span", "rail": "fitted", "chosen": [], "second": span, "share": side}

    def submitted(self, asked):
        intent = {**asked["intent"], "hand": self.sha}
        return self.submit(self.project, any_intent.validate_python(intent))

    def test_what_the_loom_allows_is_done_and_shown_where_it_is(self):
        questions = [q | {"share": q["share"] * INSIDE} for q in self.questions()]
        for question, asked in zip(questions, self.asked(questions), strict=True):
            with self.subTest(question=question):
                self.submitted(asked)
                np.testing.assert_allclose(
                    [k[:2] for k in asked["knots"]],
                    [k[:2] for k in self.hand()["knots"]],
                    atol=1e-6,
                )
                self.studio.projects.undo(self.project)

    def test_what_lies_past_it_is_refused(self):
        questions = [q | {"share": q["share"] * OUTSIDE} for q in self.questions()]
        before = self.hand()["knots"]
        for question, asked in zip(questions, self.asked(questions), strict=True):
            with self.subTest(question=question), self.assertRaises((StretchError, KnotError)):
                self.submitted(asked)
        self.assertEqual(self.hand()["knots"], before)

    def test_a_hit_goes_between_its_neighbours(self):
        attacks = [a[0] for a in self.hand()["attacks"] if a[2] > 0.5]
        second = attacks[len(attacks) // 2]
        for side in (-1, 1):
            question = {
                "kind": "hit",
                "rail": "fitted",
                "chosen": [],
                "second": second,
                "share": side * 0.5,
            }
            [asked] = self.asked([question])
            with self.subTest(side=side):
                self.assertGreater(abs(asked["limits"][side > 0]), 0.01)
