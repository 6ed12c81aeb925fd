"""What takes long is kept while it runs, so that it goes on after a restart."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "job",
        sa.Column("id", sa.String(), primary_key=True),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("label", sa.String(), nullable=False),
        sa.Column("arguments", sa.String(), nullable=False),
        sa.Column("state", sa.String(), nullable=False),
        sa.Column("done", sa.Integer(), nullable=False),
        sa.Column("total", sa.Integer(), nullable=False),
        sa.Column("kept", sa.String(), nullable=False),
        sa.Column("result", sa.String(), nullable=True),
        sa.Column("error", sa.String(), nullable=False),
        sa.Column("made_at", sa.String(), nullable=False),
    )
    op.create_index("ix_job_state", "job", ["state"])


def downgrade() -> None:
    op.drop_table("job")
