"""Slices over the wire: what they are, their pads, and their files."""

import io
import zipfile

import numpy as np
import soundfile

from tests.core.formats.test_order_files import regions
from tests.web.helper import WebTest


class SlicesTest(WebTest):
    def setUp(self):
        super().setUp()
        self.project = self.client.post("/api/projects", json={"name": "P"}).json()["id"]
        self.path = f"/api/projects/{self.project}"
        self.sha = self.loop()
        self.do(kind="cut_up", hand=self.sha, by="equal", count=4)
        self.hand = f"{self.path}/hand/{self.sha}"

    def do(self, **intent):
        revision = self.client.get(self.path).json()["revision"]
        body = {"revision": revision, "intent": intent}
        answer = self.client.post(f"{self.path}/intents", json=body)
        self.assertEqual(answer.status_code, 200, answer.text)
        return answer.json()

    def told(self):
        return self.client.get(f"{self.hand}/slices").json()

    def test_pads_are_every_slice_by_itself(self):
        self.do(kind="change_pieces", hand=self.sha, which=[1], muted=True)
        pads = self.client.get(f"{self.hand}/pads").json()
        self.assertEqual([bool(frames) for _, frames in pads["pads"]], [True, False, True, True])
        data = self.client.get(f"/api/renders/{pads['digest']}/0").content
        sound = np.frombuffer(data, np.float32)
        self.assertGreater(np.abs(sound).max(), 0.05)

    def test_a_kit_is_one_file_of_wavs_and_an_sfz(self):
        self.do(kind="change_pieces", hand=self.sha, which=[2], name="snare", pan=0.5)
        answer = self.client.get(f"{self.hand}/kit.zip")
        self.assertIn("attachment", answer.headers["content-disposition"])
        with zipfile.ZipFile(io.BytesIO(answer.content)) as packed:
            names = packed.namelist()
            found = regions(packed.read(names[0]).decode())
            self.assertEqual([r["sample"] for r in found], names[1:])
            self.assertIn("3_snare.wav", names[3])
            sound, _ = soundfile.read(io.BytesIO(packed.read(names[3])), always_2d=True)
        self.assertGreater(np.abs(sound[:, 1]).max(), 1.2 * np.abs(sound[:, 0]).max())
        # The same kit is the same bytes.
        self.assertEqual(self.client.get(f"{self.hand}/kit.zip").content, answer.content)

    def test_an_order_goes_out_as_midi_and_comes_back(self):
        self.do(kind="treat_order", hand=self.sha, how="mirror")
        mirrored = self.told()["order"]
        data = self.client.get(f"{self.hand}/order.mid").content
        self.do(kind="treat_order", hand=self.sha, how="as_cut")
        revision = self.client.get(self.path).json()["revision"]
        answer = self.client.put(f"{self.hand}/order?revision={revision}", content=data)
        self.assertEqual(answer.status_code, 200, answer.text)
        again = self.told()["order"]["tiles"]
        self.assertEqual([t["piece"] for t in again], [t["piece"] for t in mirrored["tiles"]])
        self.assertEqual(answer.json()["undo"], "order from MIDI")
        wrong = self.client.put(f"{self.hand}/order?revision={revision + 1}", content=b"nonsense")
        self.assertEqual(wrong.status_code, 422)
        self.assertEqual(self.told()["order"]["tiles"], again)

    def test_the_recording_with_its_cuts(self):
        answer = self.client.get(f"{self.hand}/cues.wav")
        self.assertIn(b"slice 4", answer.content)

    def test_what_is_not_cut_says_so(self):
        self.do(kind="leave_whole", hand=self.sha)
        for what in ("kit.zip", "cues.wav", "order.mid", "pads"):
            answer = self.client.get(f"{self.hand}/{what}")
            self.assertEqual(answer.status_code, 422)
            self.assertIn("not cut yet", answer.text)
