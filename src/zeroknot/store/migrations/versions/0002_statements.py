"""What an edit stated of a loop travels with its revision, so that undo takes it back, too."""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("revision") as table:
        table.add_column(sa.Column("statement", sa.String(), nullable=True))


def downgrade() -> None:
    with op.batch_alter_table("revision") as table:
        table.drop_column("statement")
