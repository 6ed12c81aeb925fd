from tests.web.helper import WebTest
from zeroknot.web.safety import Safety


class SafetyTest(WebTest):
    largest_upload = 50_000

    def test_only_by_its_own_names(self):
        for host, status in (
            ("127.0.0.1:8420", 200),
            ("localhost:8420", 200),
            ("[::1]:8420", 200),
            ("LOCALHOST", 200),
            ("evil.example:8420", 403),
            ("127.0.0.1.evil.example", 403),
            ("", 403),
            ("[::2]:1", 403),
        ):
            with self.subTest(host):
                response = self.client.get("/api/projects", headers={"host": host})
                self.assertEqual(response.status_code, status)

    def test_told_to_listen_everywhere_it_answers_to_addresses_not_to_names(self):
        everywhere = Safety(None, hosts=("0.0.0.0",))
        for host, refused in (
            ("192.168.1.20:8420", False), ("[fe80::1]:8420", False), ("localhost", False),
            ("evil.example:8420", True), ("192.168.1.20.evil.example", True),
        ):  # fmt: skip
            with self.subTest(host):
                self.assertEqual(bool(everywhere._refusal("GET", {b"host": host})), refused)

    def test_changes_only_from_its_own_pages(self):
        for headers, status in (
            ({}, 201),
            ({"origin": "http://127.0.0.1:8420"}, 201),
            ({"origin": "http://127.0.0.1:9000"}, 403),
            ({"origin": "https://evil.example"}, 403),
            ({"origin": "null"}, 403),
            ({"sec-fetch-site": "cross-site"}, 403),
            ({"sec-fetch-site": "same-site"}, 403),
            ({"sec-fetch-site": "same-origin"}, 201),
        ):
            with self.subTest(headers):
                response = self.client.post("/api/projects", json={"name": "x"}, headers=headers)
                self.assertEqual(response.status_code, status)

    def test_pages_run_nothing_but_what_is_shipped(self):
        response = self.client.get("/")
        policy = response.headers["content-security-policy"]
        self.assertIn("default-src 'none'", policy)
        self.assertIn("script-src 'self'", policy)
        self.assertNotIn("unsafe", policy)
        self.assertEqual(response.headers["x-content-type-options"], "nosniff")

    def test_a_number_that_is_none_is_refused_and_loses_nothing(self):
        project = self.project()
        before = self.client.get(f"/api/projects/{project}").json()["revision"]
        groove = (
            '{"name": "x", "per_beat": 4, "steps": [{}], "played": [[NaN, 1, "low", 0, false]]}'
        )
        intent = f'{{"kind": "bring_groove", "groove": {groove}}}'
        response = self.client.post(
            f"/api/projects/{project}/intents",
            content=f'{{"revision": {before}, "intent": {intent}}}',
            headers={"content-type": "application/json"},
        )
        self.assertEqual(response.status_code, 422)
        after = self.client.get(f"/api/projects/{project}").json()["revision"]
        self.assertEqual(after, before)

    def test_uploads_have_a_limit(self):
        item = self.bring(b"RIFF" + b"x" * 60_000, "large.wav")
        self.assertEqual(item["state"], "refused")
        self.assertIn("GB", item["reason"])
        self.assertEqual(list((self.folder / "incoming").iterdir()), [])

    def test_no_way_out_of_the_folder(self):
        project = self.project()
        for path in (
            "/static/../app.py", "/static/%2e%2e/app.py", "/static/v-0/..%2f..%2fapp.py",
            "/api/loops/..%2f..%2fetc/wav",
            f"/api/sources/{'0' * 64}/44100/0", "/api/renders/..%2f/0", f"/p/{project}/fit/..%2f..",
        ):  # fmt: skip
            with self.subTest(path):
                self.assertIn(self.client.get(path).status_code, (404, 422))
