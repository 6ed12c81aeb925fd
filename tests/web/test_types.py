import re
from pathlib import Path

import zeroknot.web
from tests.web.helper import WebTest

TYPES = Path(zeroknot.web.__file__).parent / "static" / "js" / "types.js"


def fields_of(name: str) -> set[str]:
    """The field names of a typedef in types.js, those of what it extends among them."""
    text = re.sub(r"\n \*", " ", TYPES.read_text())
    body = re.search(r"@typedef \{(.*?)\} " + name + r"\b", text, re.S).group(1)
    body = body[body.rindex("@typedef {") + 10 :] if "@typedef {" in body else body
    extended = re.match(r"\s*(\w+) & ", body)
    inner = re.sub(r"Record<[^>]*>", "", body)
    found = set(re.findall(r"(?:[{,]\s*)(\w+):", inner))
    return found | (fields_of(extended.group(1)) if extended else set())


class TypesTest(WebTest):
    """The scripts' types say what the server sends: one by one, no field more or fewer."""

    def test_every_type(self):
        sha, project = self.loop(), self.project()
        state = self.intent(project, kind="place", hand=sha, beat=0).json()
        base = f"/api/projects/{project}"
        sheet = self.client.get(f"{base}/sheet", params={"hand": sha}).json()
        found = self.client.get("/api/shelf", params={"project": project}).json()
        for name, sent in {
            "ProjectState": state,
            "Track": state["tracks"][0],
            "Strand": state["strands"][0],
            "Sheet": sheet,
            "SheetEvent": sheet["events"][0],
            "Shape": next(iter(sheet["shapes"].values())),
            "SentSheet": self.client.get(f"{base}/hand/{sha}/sheet").json(),
            "Found": found,
            "Facets": found["facets"],
            "ShelfRow": found["rows"][0],
            "KnownLoop": self.client.get(f"/api/loops/{sha}").json(),
            "BringItem": self.client.get("/api/bring/items").json()[0],
            "Reading": self.client.get(f"{base}/hand/{sha}").json()["readings"][0],
            "Method": self.client.get(f"{base}/hand/{sha}").json()["methods"][0],
            "Chosen": self.client.get(f"{base}/hand/{sha}").json()["chosen"],
            "Strain": self.client.get(f"{base}/hand/{sha}").json()["strained"],
            "StretchSettings": self.client.get(f"{base}/hand/{sha}").json()["settings"],
            "Hand": self.client.get(f"{base}/hand/{sha}").json(),
        }.items():
            with self.subTest(name):
                known = {"end_frame", "time_key", "first_frame"} if name == "Sheet" else set()
                self.assertEqual(fields_of(name) | known, set(sent) | known)
