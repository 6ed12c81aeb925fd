"""Edits of phrases, clips that belong together, and of sections, parts of the song with a name."""

import itertools
from typing import Literal

from pydantic import Field

from zeroknot.core.errors import EditError
from zeroknot.document.edits.base import Edit
from zeroknot.document.project import Phrase, Project, Section, Yarn, replaced
from zeroknot.document.strand import LONGEST_NAME

MOST_CLIPS = 4096
MOST_SECTIONS = 1000


class SetPhrase(Edit):
    """Clips belong to a phrase from now on, and to no other; phrases that none is left of go."""

    kind: Literal["set_phrase"] = "set_phrase"
    phrase: Phrase
    clips: tuple[str, ...] = Field(min_length=1, max_length=MOST_CLIPS)

    def apply(self, project: Project) -> Project:
        for id_ in self.clips:
            project.clip(id_)
        meant = set(self.clips)
        clips = tuple(
            c.changed(phrase=self.phrase.id) if c.id in meant else c for c in project.clips
        )
        others = tuple(p for p in project.phrases if p.id != self.phrase.id)
        left = {c.phrase for c in clips}
        phrases = tuple(p for p in (*others, self.phrase) if p.id in left)
        return project.changed(clips=clips, phrases=phrases)

    def touches(self) -> frozenset[str]:
        return frozenset({self.phrase.id, *self.clips})

    def label(self) -> str:
        return f"group as {self.phrase.name}"


class ChangePhrase(Edit):
    """What is None stays."""

    kind: Literal["change_phrase"] = "change_phrase"
    phrase: str
    name: str | None = Field(None, min_length=1, max_length=LONGEST_NAME)
    yarn: Yarn | None = None

    def apply(self, project: Project) -> Project:
        fields = self.model_dump(exclude={"kind", "phrase"}, exclude_none=True)
        changed = project.phrase(self.phrase).changed(**fields)
        return project.changed(phrases=replaced(project.phrases, changed))

    def touches(self) -> frozenset[str]:
        return frozenset({self.phrase})

    def label(self) -> str:
        return "name phrase" if self.name is not None else "colour phrase"


class LetPhraseGo(Edit):
    """Its clips stay where they are, each by itself."""

    kind: Literal["let_phrase_go"] = "let_phrase_go"
    phrase: str

    def apply(self, project: Project) -> Project:
        project.phrase(self.phrase)
        clips = tuple(
            c.changed(phrase=None) if c.phrase == self.phrase else c for c in project.clips
        )
        phrases = tuple(p for p in project.phrases if p.id != self.phrase)
        return project.changed(clips=clips, phrases=phrases)

    def touches(self) -> frozenset[str]:
        return frozenset({self.phrase})

    def label(self) -> str:
        return "open phrase"


class SetSections(Edit):
    """All sections of the song, by bar."""

    kind: Literal["set_sections"] = "set_sections"
    sections: tuple[Section, ...] = Field(max_length=MOST_SECTIONS)

    def apply(self, project: Project) -> Project:
        if any(a.bar >= b.bar for a, b in itertools.pairwise(self.sections)):
            raise EditError("sections come one after another, one at a bar")
        return project.changed(sections=self.sections)

    def touches(self) -> frozenset[str]:
        return frozenset({"sections"})

    def label(self) -> str:
        return "sections"
