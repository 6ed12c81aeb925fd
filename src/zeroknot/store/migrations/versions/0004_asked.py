"""What was asked for and done carries the id a page gave it, so that it is done once; states of a
project can be told apart by age."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "asked",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("answer", sa.String(), nullable=False),
        sa.Column("made_at", sa.String(), nullable=False),
    )
    with op.batch_alter_table("project") as table:
        table.add_column(sa.Column("moves", sa.Integer(), nullable=False, server_default="0"))
    op.create_index("ix_asked_made_at", "asked", ["made_at"])


def downgrade() -> None:
    op.drop_table("asked")
    with op.batch_alter_table("project") as table:
        table.drop_column("moves")
