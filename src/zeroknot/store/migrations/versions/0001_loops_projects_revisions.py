"""Loops, projects and revisions."""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "loop",
        sa.Column("sha", sa.String(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("set_name", sa.String(), nullable=False),
        sa.Column("file_kind", sa.String(), nullable=False),
        sa.Column("seconds", sa.Float(), nullable=False),
        sa.Column("rate", sa.Integer(), nullable=False),
        sa.Column("channels", sa.Integer(), nullable=False),
        sa.Column("frames", sa.Integer(), nullable=False),
        sa.Column("claims", sa.String(), nullable=False),
        sa.Column("heard", sa.String(), nullable=False),
        sa.Column("listening_version", sa.Integer(), nullable=False),
        sa.Column("stated", sa.String(), nullable=True),
        sa.Column("recipe", sa.String(), nullable=True),
        sa.Column("added_at", sa.String(), nullable=False),
        sa.Column("on_shelf", sa.Boolean(), nullable=False),
    )
    op.create_index("ix_loop_added_at", "loop", ["added_at"])
    op.create_table(
        "project",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("head", sa.Integer(), nullable=False),
        sa.Column("opened_at", sa.String(), nullable=False),
        sa.Column("removed_at", sa.String(), nullable=True),
    )
    op.create_index("ix_project_opened_at", "project", ["opened_at"])
    op.create_table(
        "revision",
        sa.Column("project", sa.String(), sa.ForeignKey("project.id"), primary_key=True),
        sa.Column("number", sa.Integer(), primary_key=True),
        sa.Column("parent", sa.Integer(), nullable=True),
        sa.Column("edit", sa.String(), nullable=True),
        sa.Column("label", sa.String(), nullable=False),
        sa.Column("tree", sa.LargeBinary(), nullable=False),
        sa.Column("made_at", sa.String(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("revision")
    op.drop_table("project")
    op.drop_table("loop")
