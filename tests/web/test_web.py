import html
import json
import re
import struct

import numpy as np

from tests.sounds import audio, sine
from tests.web.helper import WebTest
from zeroknot.core.formats.riff import wav_bytes
from zeroknot.core.render.blocks import BLOCK_FRAMES


class ApiTest(WebTest):
    def test_place_play_and_blocks(self):
        sha, project = self.loop(), self.project()
        state = self.intent(project, kind="place", hand=sha, beat=4, passes=2).json()
        self.assertEqual((state["last_bar"], len(state["clips"])), (5, 1))
        sheet = self.client.get(f"/api/projects/{project}/sheet", params={"hand": sha}).json()
        self.assertEqual([e["at"] for e in sheet["events"]], [88_200, 264_600])
        self.assertTrue(sheet["hand_events"])
        digest = sheet["events"][0]["digest"]
        shape = sheet["shapes"][digest]
        frames = [
            len(self.client.get(f"/api/renders/{digest}/{i}").content) // 4 // shape["channels"]
            for i in range(-(-shape["frames"] // BLOCK_FRAMES))
        ]
        self.assertEqual(sum(frames), shape["frames"])
        beyond = self.client.get(f"/api/renders/{digest}/{len(frames)}")
        self.assertEqual(beyond.status_code, 404)
        block = self.client.get(f"/api/sources/{sha}/48000/0")
        self.assertEqual(len(block.content), BLOCK_FRAMES * 4 * 2)
        self.assertIn("immutable", block.headers["cache-control"])

    def test_a_strands_picture_is_of_its_own_stretch_whatever_is_said_of_the_loop(self):
        sha, project = self.loop(), self.project()
        self.intent(project, kind="place", hand=sha, beat=0)
        strand = self.client.get(f"/api/projects/{project}").json()["strands"][0]
        own = {"start": strand["zero_s"], "end": strand["end_s"]}
        ring = f"/api/loops/{sha}/ring.png"
        before = self.client.get(ring, params=own).content
        self.assertTrue(before == self.client.get(ring).content)
        edit = {"kind": "correct", "downbeat_s": 1.0}
        said = self.client.post("/api/shelf/changes", json={"shas": [sha], "edit": edit})
        self.assertEqual(said.json()["count"], 1)
        self.assertTrue(before == self.client.get(ring, params=own).content)
        self.assertFalse(before == self.client.get(ring).content)
        self.assertEqual(self.client.get(ring, params={"start": "nan", "end": 1}).status_code, 422)

    def test_a_loop_has_one_colour_wherever_it_stands(self):
        project = self.project()
        shas = [
            self.bring(wav_bytes(audio(sine(110.0 + i, 0.5)), 16), f"{i}.wav")["sha"]
            for i in range(10)
        ]

        def told(sha):
            path = f"/api/projects/{project}"
            rows = self.client.get("/api/shelf", params={"project": project}).json()["rows"]
            family = self.client.get(f"{path}/family/{sha}").json()["members"]
            hand = self.client.get(f"{path}/hand/{sha}").json()
            return {
                next(r["yarn"] for r in rows if r["sha"] == sha),
                next(m["yarn"] for m in family if m["id"] == sha),
                hand["yarn"],
            }

        for i, sha in enumerate(shas):
            before = told(sha)
            self.intent(project, kind="place", hand=sha, beat=4.0 * i)
            self.assertEqual((len(before), told(sha)), (1, before), i)
        strands = self.client.get(f"/api/projects/{project}").json()["strands"]
        self.assertEqual(len({s["yarn"] for s in strands[:8]}), 8, "as long as there are others")

    def test_conflicts_are_409_with_what_was_done(self):
        project = self.project()
        self.intent(project, kind="set_steady_tempo", bpm=90)
        response = self.client.post(
            f"/api/projects/{project}/intents",
            json={"revision": 1, "intent": {"kind": "set_steady_tempo", "bpm": 99}},
        )
        self.assertEqual(response.status_code, 409)
        self.assertEqual(response.json()["since"], ["tempo 90 BPM"])

    def test_bad_input_gets_a_sentence(self):
        project = self.project()
        for intent, status in (
            ({"kind": "set_steady_tempo", "bpm": 1000}, 422),
            ({"kind": "set_metre", "metre": "4/5"}, 422),
            ({"kind": "place", "hand": "nope", "beat": 0}, 404),
            ({"kind": "no_such_thing"}, 422),
            ({"kind": "place", "hand": "x", "beat": -1}, 422),
        ):
            with self.subTest(intent):
                response = self.intent(project, **intent)
                self.assertEqual(response.status_code, status)
                self.assertTrue(response.json().get("error") or response.json().get("detail"))
        self.assertEqual(self.client.get(f"/api/projects/{project}").json()["revision"], 1)

    def test_what_could_not_be_read_again_is_refused(self):
        sha, project = self.loop(), self.project()
        strand = self.intent(project, kind="place", hand=sha, beat=0).json()["strands"][0]
        own = {k: strand[k] for k in ("id", "name", "loop")}
        base = f"/api/projects/{project}"
        clip = self.client.get(base).json()["clips"][0]["id"]
        track = self.client.get(base).json()["tracks"][0]["id"]
        far = [{"clip": clip, "beat": 100_001, "track": track}]
        for intent in (
            {"kind": "set_shift", "hand": sha, "semitones": None},
            {"kind": "set_stretch", "hand": sha, "formants": None},
            {"kind": "set_stretch", "hand": sha, "seed": None},
            {"kind": "add_strand", "strand": own | {"id": "new", "loop": "0" * 64, "knots": []}},
            {"kind": "remove_strand", "strand": strand["id"]},
            {"kind": "set_tempo", "points": []},
            {"kind": "together", "edits": [], "what": "nothing"},
            {"kind": "move_clips", "moves": far},
            {"kind": "change_clip", "clip": clip, "length": 0},
            {"kind": "repeat_clips", "clips": [clip], "to": "end", "times": 10**9},
        ):
            with self.subTest(intent):
                response = self.intent(project, **intent)
                self.assertEqual(response.status_code, 422, response.text)
        for beat in ("nan", "inf", "-1", "1e300"):
            with self.subTest(beat=beat):
                for what in (f"hand/{sha}", f"hand/{sha}/sheet"):
                    response = self.client.get(f"{base}/{what}", params={"beat": beat})
                    self.assertEqual(response.status_code, 422)
        for what in ("", "/sheet", f"/hand/{sha}"):
            self.assertEqual(self.client.get(f"{base}{what}").status_code, 200)

    def test_shipped_files_are_kept_for_good_under_a_path_that_names_their_state(self):
        page = self.client.get(f"/p/{self.project()}/shelf").text
        [main] = re.findall(r'<script type="module" src="([^"]+)"', page)
        kept = self.client.get(main)
        self.assertIn("immutable", kept.headers["cache-control"])
        for path in ("/static/js/main.js", "/static/v-0123456789abcdef/js/main.js"):
            fresh = self.client.get(path)
            self.assertEqual((fresh.text, fresh.headers["cache-control"]), (kept.text, "no-cache"))
        for asked in set(re.findall(r'href="(/static/[^"]+)"', page)):
            self.assertEqual(self.client.get(asked).status_code, 200, asked)

    def test_the_demo_is_offered_where_it_can_be_made(self):
        self.assertNotIn('id="demo"', self.client.get("/projects").text)
        self.assertEqual(self.client.post("/api/demo").status_code, 404)
        app = self.client.app
        app.state.make_demo = lambda studio: studio.projects.create("Lantern Tide")
        self.assertIn('id="demo"', self.client.get("/projects").text)
        made = self.client.post("/api/demo")
        self.assertEqual(made.status_code, 201)
        self.assertEqual(self.client.get("/api/projects").json()[0]["id"], made.json()["id"])

    def test_a_print_comes_once_under_its_id_and_is_taken_off_again(self):
        sha, project = self.loop(), self.project()

        def printed(id_: str) -> dict:
            said = {"hand": sha, "id": id_}
            return self.client.post(f"/api/projects/{project}/prints", json=said).json()

        made = printed("once")
        self.assertRegex(made["label"], "^“.+” printed$")
        self.assertEqual(printed("once"), made)  # its answer was lost
        self.assertEqual(printed("two"), made | {"change": None})
        self.client.post(f"/api/shelf/changes/{made['change']}/undo", json={})
        rows = self.client.get("/api/shelf").json()["rows"]
        self.assertEqual([row["sha"] for row in rows], [sha])
        again = printed("three")
        self.assertEqual(again["sha"], made["sha"])
        self.assertGreater(again["change"], made["change"])

    def test_undo_over_http_and_the_end_of_it(self):
        project = self.project()
        self.intent(project, kind="set_steady_tempo", bpm=90)
        self.assertEqual(
            self.client.post(f"/api/projects/{project}/undo", json={}).json()["bpm"], 120
        )
        response = self.client.post(f"/api/projects/{project}/undo", json={})
        self.assertEqual(response.status_code, 422)
        self.assertIn("nothing to undo", response.json()["error"])

    def test_bundle_there_and_back(self):
        sha, project = self.loop(), self.project('Ünï/co"de <b>')
        self.intent(project, kind="place", hand=sha, beat=0)
        response = self.client.get(f"/api/projects/{project}/bundle")
        self.assertRegex(
            response.headers["content-disposition"], r'filename="[A-Za-z0-9 _-]+\.zip"'
        )
        again = self.client.put("/api/bundles", content=response.content)
        self.assertEqual(again.status_code, 201)
        refused = self.client.put("/api/bundles", content=b"nonsense")
        self.assertEqual(refused.status_code, 422)
        self.assertEqual(len(self.client.get("/api/projects").json()), 2)

    def test_peaks_and_ring(self):
        sha = self.bring(wav_bytes(audio(sine(50, 1.0, 0.8)), 24), "tone.wav")["sha"]
        response = self.client.get(f"/api/loops/{sha}/peaks/500")
        self.assertEqual(response.headers["x-bin"], "512")
        table = np.frombuffer(response.content, "<f4").reshape(-1, 2)
        self.assertEqual(table.shape[0], -(-44_100 // 512))
        self.assertAlmostEqual(float(table.max()), 0.8, places=3)
        for name in ("ring", "line"):
            picture = self.client.get(f"/api/loops/{sha}/{name}.png")
            self.assertEqual(picture.headers["content-type"], "image/png")
            self.assertIn("immutable", picture.headers["cache-control"])

    def test_download_says_by_how_much_it_was_lowered(self):
        sha = self.bring(wav_bytes(audio(sine(50, 1.0, 2.0)), 32), "a_96bpm_Dm.wav")["sha"]
        response = self.client.get(f"/api/loops/{sha}/wav")
        self.assertAlmostEqual(float(response.headers["x-lowered-db"]), 6.02, delta=0.02)
        self.assertEqual(struct.unpack_from("<H", response.content, 34)[0], 24)


class PagesTest(WebTest):
    def test_the_demo_opens_in_its_project_and_all_else_in_the_list(self):
        project = self.project()
        self.assertEqual(self.client.get("/").url.path, "/projects")
        self.app.state.home = project
        self.assertEqual(self.client.get("/").url.path, f"/p/{project}/arrange")
        self.client.post(f"/api/projects/{project}/remove")
        self.assertEqual(self.client.get("/").url.path, "/projects")

    def test_a_project_is_known_by_its_strip_tempo_and_when(self):
        sha, project = self.loop(), self.project("With a face")
        place = {"kind": "place", "hand": sha, "beat": 0}
        path = f"/api/projects/{project}/intents"
        self.client.post(path, json={"revision": 1, "intent": place})
        text = self.client.get("/projects").text
        for shown in ("With a face", "<rect ", "1 loop, 2 bars", "today, "):
            self.assertIn(shown, text)

    def test_whole_and_inner(self):
        sha, project = self.loop(), self.project()
        for path in ("shelf", f"fit/{sha}", "arrange"):
            with self.subTest(path):
                whole = self.client.get(f"/p/{project}/{path}")
                inner = self.client.get(f"/p/{project}/{path}", headers={"x-zeroknot-part": "view"})
                self.assertEqual((whole.status_code, inner.status_code), (200, 200))
                self.assertIn("<!doctype html>", whole.text)
                self.assertNotIn("<!doctype html>", inner.text)
                self.assertIn("data-noun", inner.text)

    def test_nothing_in_hand_and_nothing_there(self):
        project = self.project()
        self.assertIn("Nothing is in hand", self.client.get(f"/p/{project}/fit").text)
        gone = self.client.get(f"/p/{project}/fit/5c0ffee5c0ff", follow_redirects=False)
        self.assertEqual(gone.headers["location"], f"/p/{project}/fit")
        sha = self.loop()
        last = self.client.get(f"/p/{project}/key/5c0ffee5c0ff")
        self.assertEqual((last.status_code, last.url.path), (200, f"/p/{project}/key/{sha}"))
        missing = self.client.get("/p/nope/shelf")
        self.assertEqual(missing.status_code, 404)
        self.assertIn("there is no such project", missing.text)

    def test_names_are_data_on_every_page(self):
        wicked = '"><img src=x onerror=alert(1)>'
        sha = self.loop(shown=f"{wicked}.wav")
        project = self.project(f"</script><script>{wicked}")
        self.intent(project, kind="place", hand=sha, beat=0)
        for path in (
            "/",
            f"/p/{project}/shelf",
            f"/p/{project}/fit/{sha}",
            f"/p/{project}/arrange",
        ):
            with self.subTest(path):
                text = self.client.get(path).text
                self.assertNotIn("<img src=x", text)
                self.assertNotIn("</script><script>", text)
        text = self.client.get(f"/p/{project}/arrange").text
        state = re.search(r'id="state">(.*?)</script>', text, re.S).group(1)
        self.assertIn(wicked, json.loads(html.unescape(state))["tracks"][0]["name"])

    def test_pages_hold_no_inline_script_or_style(self):
        sha, project = self.loop(), self.project()
        for path in (
            "/",
            f"/p/{project}/shelf",
            f"/p/{project}/fit/{sha}",
            f"/p/{project}/arrange",
        ):
            text = self.client.get(path).text
            with self.subTest(path):
                scripts = re.findall(r"<script(?![^>]*(src=|application/json))[^>]*>", text)
                self.assertEqual(scripts, [])
                self.assertNotRegex(text, r"\sstyle=")
                self.assertNotRegex(text, r"\son[a-z]+=")
