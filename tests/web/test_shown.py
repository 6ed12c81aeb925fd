"""A page is told what is other since it last asked: all of it, and no more."""

from dataclasses import replace

from tests.web.helper import WebTest
from zeroknot.core.listening.sound_kind import SoundReading


class ShownTest(WebTest):
    def setUp(self):
        super().setUp()
        self.project = self.client.post("/api/projects", json={"name": "P"}).json()["id"]
        self.path = f"/api/projects/{self.project}"
        self.drums, self.keys = self.loop(), self.loop("keys_88")
        self.state = self.client.get(self.path).json()
        self.sheet = self.client.get(f"{self.path}/sheet").json()
        for i, sha in enumerate((self.drums, self.keys)):
            self.do(kind="place", hand=sha, beat=16.0 * i)

    def do(self, **intent):
        """What the page is told after an edit: of the state, and of the sheet."""
        body = {"revision": self.state["revision"], "known": self.state["token"], "intent": intent}
        answer = self.client.post(f"{self.path}/intents", json=body)
        self.assertEqual(answer.status_code, 200, answer.text)
        return self.take(answer.json())

    def take(self, said):
        heard = self.client.get(f"{self.path}/sheet", params={"known": self.sheet["token"]}).json()
        self.assertEqual(
            (said["since"], heard["since"]), (self.state["token"], self.sheet["token"])
        )
        self.state, self.sheet = said, heard
        return said, heard

    def whole(self):
        return self.client.get(self.path).json()

    def ids(self, what):
        return [part["id"] for part in self.whole()[what]]

    def test_a_clip_that_changes_is_told_alone(self):
        first, second = self.ids("clips")
        said, heard = self.do(kind="change_clip", clip=second, gain_db=-3.0)
        self.assertEqual([c["id"] for c in said["clips"]["set"]], [second])
        self.assertEqual(said["strands"], {"set": [], "gone": [], "order": None})
        self.assertEqual({e["id"].split(":")[0] for e in heard["events"]["set"]}, {second})
        self.assertEqual((heard["pulses"], heard["hand_events"], heard["shapes"]), (None, None, {}))
        said, heard = self.do(kind="remove_clips", clips=[first])
        self.assertEqual(said["clips"], {"set": [], "gone": [first], "order": None})
        self.assertEqual({i.split(":")[0] for i in heard["events"]["gone"]}, {first})
        self.assertEqual(heard["events"]["set"], [])

    def test_with_a_strand_go_its_clips(self):
        """A whole clip is as long as its strand makes it."""
        strand, clip = self.ids("strands")[0], self.ids("clips")[0]
        before = self.whole()["clips"][0]["beats"]
        said, heard = self.do(kind="lay_on", hand=strand, beats=4.0)
        self.assertEqual([s["id"] for s in said["strands"]["set"]], [strand])
        self.assertEqual([(c["id"], c["beats"]) for c in said["clips"]["set"]], [(clip, 4.0)])
        self.assertNotEqual(before, 4.0)
        self.assertEqual({e["strand"] for e in heard["events"]["set"]}, {strand})

    def test_with_the_tempo_goes_everything(self):
        said, heard = self.do(kind="set_steady_tempo", bpm=111)
        self.assertEqual(len(said["strands"]["set"]), 2)
        self.assertEqual({e["strand"] for e in heard["events"]["set"]}, set(self.ids("strands")))
        self.assertTrue(heard["pulses"])

    def test_a_clip_says_what_becomes_of_it_at_the_tempo_where_it_lies(self):
        self.do(kind="place", hand=self.ids("strands")[0], beat=64.0)
        self.do(kind="set_tempo_point", beat=48.0, bpm=206.0, shape="step", bend=0.0)
        first, _, later = self.whole()["clips"]
        self.assertAlmostEqual(
            later["duration_ratio"] * 206, first["duration_ratio"] * 120, places=2
        )
        self.assertGreater(later["strain"], first["strain"])

    def test_what_is_corrected_on_the_shelf_is_told(self):
        """A strand shows what was heard of its loop, which may be heard anew."""
        loops = self.app.state.studio.loops
        loop = loops.get(self.drums)
        hearing = replace(loop.hearing, sound=SoundReading("pad", 0.9))
        loops.set_hearing(replace(loop, hearing=hearing))
        said = self.client.get(self.path, params={"known": self.state["token"]}).json()
        self.assertEqual([s["loop"] for s in said["strands"]["set"]], [self.drums])
        self.take(said)

    def test_undo_tells_what_it_takes_back_and_a_move_what_it_trims(self):
        first, second = self.ids("clips")
        track = self.whole()["tracks"][0]["id"]
        said, _ = self.do(kind="move_clips", moves=[{"clip": second, "beat": 4.0, "track": track}])
        self.assertEqual({c["id"] for c in said["clips"]["set"]}, {first, second})
        body = {"revision": said["revision"], "known": said["token"]}
        said, _ = self.take(self.client.post(f"{self.path}/undo", json=body).json())
        self.assertEqual({c["id"] for c in said["clips"]["set"]}, {first, second})

    def test_what_is_in_hand_is_told_when_it_changes(self):
        def heard(**more):
            query = {"known": self.sheet["token"], **more}
            self.sheet = self.client.get(f"{self.path}/sheet", params=query).json()
            return self.sheet["hand_events"]

        self.assertTrue(heard(hand=self.drums))
        self.assertIsNone(heard(hand=self.drums))
        self.assertTrue(heard(hand=self.drums, lay=2.0))
        self.assertEqual(heard(), [])

    def test_who_knows_nothing_or_something_else_is_told_everything(self):
        other = self.client.post("/api/projects", json={"name": "Q"}).json()["id"]
        for token in (None, "nonsense", self.client.get(f"/api/projects/{other}").json()["token"]):
            with self.subTest(token):
                said = self.client.get(self.path, params={"known": token} if token else {}).json()
                self.assertEqual((len(said["clips"]), "since" in said), (2, False))
                query = {"known": token} if token else {}
                heard = self.client.get(f"{self.path}/sheet", params=query).json()
                self.assertEqual("since" in heard, False)
                self.assertTrue(heard["events"])
