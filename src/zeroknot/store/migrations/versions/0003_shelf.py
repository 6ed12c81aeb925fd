"""Favourites, tags, stated keys and sounds; facts to search by; files on their way in."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("loop") as table:
        table.add_column(
            sa.Column("favourite", sa.Boolean(), nullable=False, server_default=sa.false())
        )
        table.add_column(sa.Column("tags", sa.String(), nullable=False, server_default="[]"))
        table.add_column(sa.Column("stated_key", sa.String(), nullable=True))
        table.add_column(sa.Column("stated_sound", sa.String(), nullable=True))
    op.create_table(
        "facts",
        sa.Column("sha", sa.String(), primary_key=True),
        sa.Column("stamp", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("on_shelf", sa.Boolean(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("set_name", sa.String(), nullable=False),
        sa.Column("tags", sa.String(), nullable=False),
        sa.Column("file_kind", sa.String(), nullable=False),
        sa.Column("sound", sa.String(), nullable=True),
        sa.Column("key", sa.String(), nullable=True),
        sa.Column("key_confidence", sa.Float(), nullable=False),
        sa.Column("is_key_stated", sa.Boolean(), nullable=False),
        sa.Column("bars", sa.Integer(), nullable=True),
        sa.Column("beats_per_bar", sa.Integer(), nullable=True),
        sa.Column("tempo_bpm", sa.Float(), nullable=True),
        sa.Column("body_s", sa.Float(), nullable=True),
        sa.Column("confidence", sa.Float(), nullable=False),
        sa.Column("is_stated", sa.Boolean(), nullable=False),
        sa.Column("claimed_bpm", sa.Float(), nullable=True),
        sa.Column("seconds", sa.Float(), nullable=False),
        sa.Column("rate", sa.Integer(), nullable=False),
        sa.Column("channels", sa.Integer(), nullable=False),
        sa.Column("loudness_db", sa.Float(), nullable=True),
        sa.Column("favourite", sa.Boolean(), nullable=False),
        sa.Column("is_print", sa.Boolean(), nullable=False),
        sa.Column("warnings", sa.String(), nullable=False),
        sa.Column("added_at", sa.String(), nullable=False),
    )
    op.create_index("ix_facts_stamp", "facts", ["stamp"])
    op.create_table(
        "shelf_change",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("label", sa.String(), nullable=False),
        sa.Column("before", sa.String(), nullable=False),
        sa.Column("made_at", sa.String(), nullable=False),
    )
    op.create_table(
        "saved_search",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("query", sa.String(), nullable=False),
        sa.Column("made_at", sa.String(), nullable=False),
    )
    op.create_table(
        "incoming",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("path", sa.String(), nullable=False),
        sa.Column("is_ours", sa.Boolean(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("reason", sa.String(), nullable=False),
        sa.Column("sha", sa.String(), nullable=False),
    )
    op.create_index("ix_incoming_number", "incoming", ["number"])
    op.create_index("ix_incoming_state", "incoming", ["state"])


def downgrade() -> None:
    for name in ("incoming", "saved_search", "shelf_change", "facts"):
        op.drop_table(name)
    with op.batch_alter_table("loop") as table:
        for column in ("stated_sound", "stated_key", "tags", "favourite"):
            table.drop_column(column)
