"""Grooves that are kept for every project."""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "groove",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("groove", sa.String(), nullable=False),
        sa.Column("made_at", sa.String(), nullable=False),
    )
    op.create_index("ix_groove_name", "groove", ["name"])


def downgrade() -> None:
    op.drop_table("groove")
