"""The application behind a test client, everything done at once."""

import tempfile
import unittest
from pathlib import Path

from fastapi.testclient import TestClient

from tests.sounds import rendered
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.settings import Settings
from zeroknot.studio.executors import Executors
from zeroknot.web.app import make_app


class WebTest(unittest.TestCase):
    largest_upload = 3 * 10**9

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        settings = Settings(data=self.folder, largest_upload=self.largest_upload)
        self.app = make_app(settings, Executors.inline())
        self.client = TestClient(self.app, base_url="http://127.0.0.1:8420")
        self.client.__enter__()
        self.addCleanup(self.client.__exit__, None, None, None)

    def bring(self, data: bytes, name: str) -> dict:
        response = self.client.put("/api/incoming", params={"name": name}, content=data)
        self.assertEqual(response.status_code, 202)
        items = self.client.get("/api/bring/items").json()
        return next(i for i in items if i["id"] == response.json()["id"])

    def loop(self, name="drums_103", shown=None) -> str:
        return self.bring(wav_bytes(rendered(name), 16), shown or f"{name}.wav")["sha"]

    def project(self, name="A project") -> str:
        return self.client.post("/api/projects", json={"name": name}).json()["id"]

    def intent(self, project: str, **intent):
        revision = self.client.get(f"/api/projects/{project}").json()["revision"]
        return self.client.post(
            f"/api/projects/{project}/intents", json={"revision": revision, "intent": intent}
        )
