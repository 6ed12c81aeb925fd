"""A change of the shelf keeps what it made: taking it back leaves what was changed since."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("shelf_change") as table:
        table.add_column(sa.Column("after", sa.String(), nullable=True))


def downgrade() -> None:
    with op.batch_alter_table("shelf_change") as table:
        table.drop_column("after")
