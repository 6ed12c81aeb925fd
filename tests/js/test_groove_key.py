"""The sums of the Groove and the Key view against the core."""

from tests.js.node import NodeTest
from zeroknot.core.groove.groove import swing
from zeroknot.core.harmony.fit import shares_inside
from zeroknot.core.harmony.key import NAMES, Key
from zeroknot.web.api.groove_wire import groove_json

PROFILE = [0.2, 0.0, 0.05, 0.2, 0.0, 0.05, 0.0, 0.3, 0.1, 0.0, 0.1, 0.0]


class GrooveModelTest(NodeTest):
    def model(self, expression, given=None):
        return self.evaluate(
            f"""async (g) => {{
              const m = await import("/static/js/groove/model.js");
              const s = await import("/static/js/ui/sight.js");
              const view = {{left: 50, width: 400, from: 0, to: 8}};
              return {expression};
            }}""",
            given,
        )

    def test_steps_lie_where_the_core_has_them(self):
        groove = swing(62.0, 4)
        found = self.model("m.stepsBetween(g, '', 0, 2)", groove_json(groove))
        wanted = [s.beat for s in groove.strikes(0.0, 2.0)]
        self.assertEqual([round(s["at"], 9) for s in found][: len(wanted)],
                         [round(b, 9) for b in wanted])  # fmt: skip
        # 24 % of a sixteenth at 120 BPM is 30 ms.
        self.assertAlmostEqual(self.model("m.msOf(0.24, 4, 120)"), 30.0)

    def test_a_register_without_a_hit_shows_the_steps_of_all(self):
        groove = groove_json(swing(60.0, 2)) | {"rows": {"low": [(0.1, 2, 0, 1), (0, 0, 0, 0)]}}
        found = self.model("m.stepsBetween(g, 'low', 0, 1).map((s) => [s.at, s.accent])", groove)
        self.assertEqual(found[:2], [[0.05, 2], [0.6, 0]])

    def test_zoom_keeps_what_is_under_the_pointer_and_stays_inside(self):
        self.assertEqual(self.model("s.zoomed(view, 8, 2, 4)"), [2, 6])
        self.assertEqual(self.model("s.zoomed(view, 8, 0.1, 4)"), [0, 8])
        self.assertEqual(self.model("s.zoomed(view, 8, 1000, 8)"), [7.5, 8])
        self.assertEqual(self.model("s.scrolled({...view, from: 2, to: 4}, 8, 9)"), [6, 8])
        self.assertEqual(self.model("[s.xOf(view, 4), s.beatOf(view, 250)]"), [250, 4])

    def test_what_is_meant_is_near(self):
        hits = [{"before": 1.0, "after": 1.2}, {"before": 2.0, "after": 2.0}]
        near = "m.nearestHit(g, view, {}, {})?.before ?? null"
        self.assertEqual(self.model(near.format(101, "'before'"), hits), 1.0)
        self.assertEqual(self.model(near.format(109, "'after'"), hits), 1.0)
        self.assertIsNone(self.model(near.format(125, "'before'"), hits))
        self.assertEqual(self.model("[m.drawable(2), m.drawableAccent(-40)]"), [0.45, -12])

    def test_what_is_said(self):
        hit = {"register": 2, "leans": False, "off_before_ms": -14.24, "moved_ms": 13.5,
               "noticed": True, "held": False, "gain_db": -2.5}  # fmt: skip
        self.assertEqual(
            self.model("m.hitText(g, '1.2')", hit),
            "1.2, high · −14 ms from the groove · moved +14 ms, heard · −2.5 dB",
        )
        laid = {"hits": [1], "laid": {"groove": {}}, "before_ms": 14.2, "after_ms": 0.8,
                "farthest": {"ms": -27.3, "place": "1.2.4"}, "left_out": 1, "held": 2}  # fmt: skip
        self.assertEqual(
            self.model("m.sentence(g)", laid),
            "Before: 14.2 ms from the groove on average. After: 0.8. "
            "Farthest move 27 ms, at 1.2.4.",
        )
        self.assertIn("1 hit belongs to no step and goes along", self.model("m.leftText(g)", laid))


class KeyModelTest(NodeTest):
    def model(self, expression, **more):
        key = Key.parse("D minor")
        given = {
            "names": list(NAMES), "profile": PROFILE, "key": str(key),
            "weights": list(key.weights), "own": "C minor", "prefers": "tonic", "proposed": 2,
            "rule_key": "C minor", "by_key": 2, "leeway": 0.25, "anew": None,
            "shifted": 0.0, "outside": [], "along": False, "spool_cents": 0,
            "shares": [
                {"shift": n, "inside": s} for n, s in shares_inside(PROFILE, key).items()
            ], **more,
        }  # fmt: skip
        return self.evaluate(
            f"""async (k) => {{
              const m = await import("/static/js/key/model.js");
              return {expression};
            }}""",
            given,
        )

    def test_the_notes_of_a_shift_are_the_cores(self):
        shares = shares_inside(PROFILE, Key.parse("D minor"))
        for shift in (-3, 0, 2, 5):
            notes = self.model(f"m.notesShown(k, {shift})")
            inside = sum(n["share"] * n["weight"] for n in notes) * max(PROFILE) / sum(PROFILE)
            self.assertAlmostEqual(inside, shares[shift])
            self.assertAlmostEqual(self.model(f"m.insideAt(k, {shift})"), shares[shift])
        self.assertAlmostEqual(self.model("m.insideAt(k, 14)"), shares[2])  # an octave up

    def test_what_is_said(self):
        said = self.model("m.keySentence(k)")
        self.assertRegex(said, r"^0 st: \d+ % of its sound is inside D minor\. At \+2 st it would")
        self.assertIn("no key yet", self.model("m.keySentence(k)", key=None))
        self.assertIn("No notes", self.model("m.keySentence(k)", profile=[0] * 12))
        self.assertIn("Outside: F♯.", self.model("m.keySentence(k)", outside=["F♯"]))
        rule = self.model("m.ruleText(k)")
        self.assertRegex(
            rule, r"^The key asks \+2 st \(C minor into D minor\): tonic to tonic, unless"
        )
        self.assertIn("over 25 % more of its sound", rule)
        other = self.model("m.ruleText(k)", by_key=-3)
        self.assertIn("tonic to tonic would be −3 st, with less of its sound inside", other)
        self.assertIn("with most of its sound", self.model("m.ruleText(k)", rule_key=None))
        self.assertEqual(self.model("m.anewText(k)"), "")
        anew = {"key": "F minor", "confidence": 1, "shift": -3}
        self.assertEqual(
            self.model("m.anewText(k)", anew=anew),
            "It is in F minor as it is known now, which asks −3 st.",
        )
        fast = {"spool_cents": 84.4, "mending": -0.84}
        self.assertIn("+84 cents. A shift of −0.84 st", self.model("m.speedText(k)", **fast))

    def test_cells_of_the_table(self):
        grid = "{left: 100, top: 20, width: 320, height: 60, rows: 2, count: 32}"
        self.assertEqual(self.model(f"m.cellAt({grid}, 111, 55)"), {"row": 1, "column": 1})
        for x, y in ((99, 30), (421, 30), (200, 81), (200, 19)):
            self.assertIsNone(self.model(f"m.cellAt({grid}, {x}, {y})"))


if __name__ == "__main__":
    import unittest

    unittest.main()
