"""What pages say to Alpine is a small language: a word it does not know stops the control.

Under the pages' policy nothing of the browser (`Number`, `Math`, `window`) is known there, and what
is only worked out once somebody touches it fails before nobody but them.
"""

import re
import unittest
from html.parser import HTMLParser
from pathlib import Path

import zeroknot.web

WEB = Path(zeroknot.web.__file__).parent
JINJA = re.compile(r"{{.*?}}|{%.*?%}|{#.*?#}", re.S)
TEXT = re.compile(r"'(?:[^'\\]|\\.)*'|\"(?:[^\"\\]|\\.)*\"|`[^`]*`")
# A word that stands for itself: neither what follows a dot, nor the name of a field.
FREE = re.compile(r"(?<![\w$.])(?<!\?\.)[A-Za-z_$][\w$]*(?![\w$])")
FIELD = re.compile(r"([{,]\s*)[A-Za-z_$][\w$]*(?=\s*:)")
# What a script gives a name to: a field, a method, a shorthand.
GIVEN = re.compile(r"(?<![\w$.])([A-Za-z_$][\w$]*)\s*(?=[:(,=}]|\n\s*[,}])")
LOOP = re.compile(r"^\s*\(?([\w$, ]+?)\)?\s+in\s+(.*)$", re.S)
OF_THE_BROWSER = {
    "console", "document", "fetch", "history", "isNaN", "location", "navigator", "parseFloat",
    "parseInt", "setInterval", "setTimeout", "window",
}  # fmt: skip
OF_ALPINE = {
    "$event", "$el", "$refs", "$nextTick", "$dispatch", "$root", "$data", "$store", "$watch",
    "true", "false", "null", "undefined", "typeof", "in",
}  # fmt: skip


def free_words(expression: str) -> set[str]:
    """The names in an expression that something around it has to know."""
    bare = FIELD.sub(r"\1", TEXT.sub("''", expression))
    return set(FREE.findall(bare)) - OF_ALPINE


class Expressions(HTMLParser):
    """All expressions of a page, and the names that its loops give."""

    def __init__(self):
        super().__init__()
        self.all: set[str] = set()
        self.given: set[str] = set()

    def handle_starttag(self, tag, attrs):
        for name, value in attrs:
            if value and name == "x-for":
                names, value = LOOP.match(value).groups()
                self.given |= set(re.findall(r"[\w$]+", names))
            if value and (name.startswith((":", "@", "x-")) and name != "x-ref"):
                self.all.add(value)


def unknown(page: str, given: set[str]) -> list[str]:
    """Words of a page that nothing in it or in `given` gives."""
    found = Expressions()
    found.feed(JINJA.sub("0", page))
    known = given | found.given
    return sorted(
        f"{word} in {expression}"
        for expression in found.all
        for word in free_words(expression) - known
    )


class ExpressionsTest(unittest.TestCase):
    def test_every_word_is_known(self):
        given = {
            name
            for file in (WEB / "static" / "js").rglob("*.js")
            for name in GIVEN.findall(file.read_text(encoding="utf-8"))
            if not name[0].isupper() and name not in OF_THE_BROWSER
        }
        # What a part says of a loop's one may stand around the loop.
        pages = [p.read_text(encoding="utf-8") for p in (WEB / "templates").rglob("*.html")]
        self.assertEqual(unknown("\n".join(pages), given), [])

    def test_a_word_of_the_browser_is_found(self):
        page = """<p x-data="thing" @click="set('wave', Number($event.target.value))"></p>"""
        self.assertEqual(
            unknown(page, {"thing", "set"}),
            ["Number in set('wave', Number($event.target.value))"],
        )
        page = (
            '<p x-for="(r, i) in rows"><b :style="{ width: i }" x-text="r.Number ? a : b"></b></p>'
        )
        self.assertEqual([w.split()[0] for w in unknown(page, {"rows"})], ["a", "b"])
