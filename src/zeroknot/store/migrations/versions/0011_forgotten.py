"""Searches, grooves and ways of working that were forgotten can be brought back."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

TABLES = ("saved_search", "groove", "way")


def upgrade() -> None:
    for table in TABLES:
        column: sa.Column[bool] = sa.Column(
            "is_forgotten", sa.Boolean(), nullable=False, server_default=sa.false()
        )
        op.add_column(table, column)


def downgrade() -> None:
    for table in TABLES:
        op.execute(f"DELETE FROM {table} WHERE is_forgotten")
        with op.batch_alter_table(table) as changed:
            changed.drop_column("is_forgotten")
