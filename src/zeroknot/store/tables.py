"""Rows, nothing more. The codec turns them into values and back."""

from sqlalchemy import Index
from sqlmodel import Field, SQLModel


class LoopRow(SQLModel, table=True):
    __tablename__ = "loop"

    sha: str = Field(primary_key=True)
    name: str
    set_name: str
    file_kind: str
    seconds: float
    rate: int
    channels: int
    frames: int
    claims: str
    heard: str
    listening_version: int
    stated: str | None = None
    recipe: str | None = None
    added_at: str = Field(index=True)
    on_shelf: bool = True
    favourite: bool = False
    tags: str = "[]"
    stated_key: str | None = None
    stated_sound: str | None = None


class FactsRow(SQLModel, table=True):
    """What the shelf shows, searches and sorts by: a loop without what is long. Derived.

    stamp    rises with every change of any row
    version  of how it is derived
    """

    __tablename__ = "facts"

    sha: str = Field(primary_key=True)
    stamp: int = Field(index=True)
    version: int
    on_shelf: bool
    name: str
    set_name: str
    tags: str
    file_kind: str
    sound: str | None
    key: str | None
    key_confidence: float
    is_key_stated: bool
    bars: int | None
    beats_per_bar: int | None
    tempo_bpm: float | None
    body_s: float | None
    confidence: float
    is_stated: bool
    claimed_bpm: float | None
    seconds: float
    rate: int
    channels: int
    loudness_db: float | None
    favourite: bool
    is_print: bool
    warnings: str
    added_at: str


class ShelfChangeRow(SQLModel, table=True):
    """A change of the shelf, with what it takes to take it back.

    before  JSON: {sha: {column: value}}
    after   likewise what the change made of it; NULL for changes that were made before it was kept
    """

    __tablename__ = "shelf_change"

    id: int | None = Field(default=None, primary_key=True)
    label: str
    before: str
    after: str | None = None
    made_at: str


class AskedRow(SQLModel, table=True):
    """Something a page asked for under an id of its own, and what came of it, as JSON."""

    __tablename__ = "asked"

    id: str = Field(primary_key=True)
    answer: str
    made_at: str = Field(index=True)


class JobRow(SQLModel, table=True):
    """Something that takes long: arguments, what it keeps to go on, and its result are JSON."""

    __tablename__ = "job"

    id: str = Field(primary_key=True)
    kind: str
    label: str
    arguments: str
    state: str = Field(index=True)
    done: int
    total: int
    kept: str
    result: str | None = None
    error: str
    made_at: str


class SavedSearchRow(SQLModel, table=True):
    __tablename__ = "saved_search"

    id: str = Field(primary_key=True)
    name: str
    query: str
    made_at: str
    is_forgotten: bool = False


class GrooveRow(SQLModel, table=True):
    """A groove for every project, as JSON; name: what it is searched by."""

    __tablename__ = "groove"

    id: str = Field(primary_key=True)
    name: str = Field(index=True)
    groove: str
    made_at: str
    is_forgotten: bool = False


class LikenessRow(SQLModel, table=True):
    """What a loop is like: `core.listening.likeness`, as bytes of float32; version: of it."""

    __tablename__ = "likeness"

    sha: str = Field(primary_key=True)
    version: int
    vector: bytes


class WayRow(SQLModel, table=True):
    """A way of working that was kept by name: a recipe to lay over other loops, as its text."""

    __tablename__ = "way"

    id: str = Field(primary_key=True)
    name: str
    recipe: str
    made_at: str
    is_forgotten: bool = False


class IncomingRow(SQLModel, table=True):
    """A file on its way in, or one that was refused.

    number  in the order they came
    path    where it lies; whether that is a copy of ours stands in is_ours
    state   "waiting", "done", "double", "refused" or "opened" (an archive whose files follow)
    """

    __tablename__ = "incoming"

    id: str = Field(primary_key=True)
    number: int = Field(index=True)
    name: str
    path: str
    is_ours: bool
    state: str = Field(index=True)
    reason: str = ""
    sha: str = ""


class ProjectRow(SQLModel, table=True):
    """moves: how often the head has moved, by edits, undo and redo; a later state has more."""

    __tablename__ = "project"

    id: str = Field(primary_key=True)
    name: str
    head: int
    opened_at: str = Field(index=True)
    removed_at: str | None = None
    moves: int = 0


class RevisionRow(SQLModel, table=True):
    """One state of a project, and the edit that made it; both compressed.

    tree        the whole; NULL where it follows from the parent's and `change`
    change      what is other than in the parent; NULL where it has no parent to differ from
    since_tree  how many revisions back the last whole tree is
    written_in  number of the schema of tree and change
    statement   what the edit also stated of a loop, as JSON; NULL where it stated nothing
    name        what a person calls this version; NULL where nobody does
    """

    __tablename__ = "revision"
    __table_args__ = (Index("ix_revision_parent", "project", "parent"),)

    project: str = Field(primary_key=True, foreign_key="project.id")
    number: int = Field(primary_key=True)
    parent: int | None = None
    edit: str | None = None
    label: str
    tree: bytes | None = None
    change: bytes | None = None
    since_tree: int = 0
    written_in: int = 1
    statement: str | None = None
    name: str | None = None
    made_at: str
