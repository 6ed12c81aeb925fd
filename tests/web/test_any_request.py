"""Whatever is asked, and whatever nonsense with it, is answered: no 500.

Requests are drawn from the server's own description by schemathesis, with the ids of what is there
put in where they belong, so that not all of them end at "no such project".
`REQUESTS=500 python -m tests tests.web.test_any_request` draws more.
"""

import os
import random

import schemathesis
from hypothesis import HealthCheck, Phase, given, settings

from tests.web.helper import WebTest

REQUESTS = int(os.environ.get("REQUESTS", "8"))
# An open stream has no end, the demo takes half a minute to make, and a path that is drawn may lead
# anywhere on this machine.
LEFT_OUT = {"/api/events", "/api/demo", "/api/bring/paths"}


class AnyRequestTest(WebTest):
    def setUp(self):
        super().setUp()
        self.sha = self.loop()
        self.draw = random.Random(1)

    def known(self) -> dict[str, list[str]]:
        """Ids in a new project, by the names of the parameters they are good for."""
        self.at = self.project()
        self.intent(self.at, kind="place", hand=self.sha, beat=0, passes=2)
        tree = self.client.get(f"/api/projects/{self.at}").json()
        sheet = self.client.get(f"/api/projects/{self.at}/sheet").json()
        strands = [strand["id"] for strand in tree["strands"]]
        return {
            "project": [self.at],
            "sha": [self.sha],
            "hand": [self.sha, *strands],
            "strand": strands,
            "clip": [clip["id"] for clip in tree["clips"]],
            "track": [track["id"] for track in tree["tracks"]],
            "digest": [event["digest"] for event in sheet["events"]],
            "change": ["1"],
            "item": [item["id"] for item in self.client.get("/api/bring/items").json()],
        }

    def with_known(self, value, known):
        """The same value with ids that are there, mostly, where some are wanted."""
        if isinstance(value, dict):
            filled = {}
            for name, part in value.items():
                if known.get(name) and isinstance(part, str) and self.draw.random() < 0.8:
                    filled[name] = self.draw.choice(known[name])
                elif name == "revision" and self.draw.random() < 0.8:
                    filled[name] = 2
                else:
                    filled[name] = self.with_known(part, known)
            return filled
        if isinstance(value, list):
            return [self.with_known(part, known) for part in value]
        return value

    def test_no_request_is_answered_by_500(self):
        self.app.openapi_url = "/openapi.json"
        schema = schemathesis.openapi.from_dict(self.app.openapi())
        answered: dict[int, int] = {}
        for found in schema.get_all_operations():
            operation = found.ok()
            if operation.path in LEFT_OUT:
                continue
            self.ids = self.known()

            @settings(
                max_examples=REQUESTS, deadline=None, database=None, derandomize=True,
                phases=(Phase.explicit, Phase.generate),
                suppress_health_check=list(HealthCheck),
            )  # fmt: skip
            @given(case=operation.as_strategy())
            def ask(case):
                case.path_parameters = self.with_known(dict(case.path_parameters or {}), self.ids)
                if isinstance(case.body, dict | list):
                    case.body = self.with_known(case.body, self.ids)
                sent = case.as_transport_kwargs(base_url="http://127.0.0.1:8420")
                sent.pop("cookies", None)
                sent["headers"] = {
                    k: v for k, v in dict(sent["headers"]).items() if k.lower() != "user-agent"
                }
                response = self.client.request(**sent)
                answered[response.status_code] = answered.get(response.status_code, 0) + 1
                self.assertLess(response.status_code, 500, f"{sent}: {response.text[:300]}")

            with self.subTest(f"{operation.method} {operation.path}"):
                ask()
        # It would say nothing if nothing was understood.
        self.assertGreater(sum(n for code, n in answered.items() if code < 300), 60, answered)
