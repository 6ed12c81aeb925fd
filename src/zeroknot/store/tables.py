"""Rows, nothing more. The codec turns them into values and back."""

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


class ProjectRow(SQLModel, table=True):
    __tablename__ = "project"

    id: str = Field(primary_key=True)
    name: str
    head: int
    opened_at: str = Field(index=True)
    removed_at: str | None = None


class RevisionRow(SQLModel, table=True):
    """One state of a project: the whole tree, compressed, and the edit that made it.

    statement  what the edit also stated of a loop, as JSON; NULL where it stated nothing
    """

    __tablename__ = "revision"

    project: str = Field(primary_key=True, foreign_key="project.id")
    number: int = Field(primary_key=True)
    parent: int | None = None
    edit: str | None = None
    label: str
    tree: bytes
    statement: str | None = None
    made_at: str
