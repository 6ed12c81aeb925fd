"""A revision keeps what is other than in its parent, now and then the whole; it may have a name."""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("revision") as table:
        table.alter_column("tree", existing_type=sa.LargeBinary(), nullable=True)
        table.add_column(sa.Column("change", sa.LargeBinary(), nullable=True))
        table.add_column(sa.Column("since_tree", sa.Integer(), nullable=False, server_default="0"))
        table.add_column(sa.Column("written_in", sa.Integer(), nullable=False, server_default="1"))
        table.add_column(sa.Column("name", sa.String(), nullable=True))
    op.create_index("ix_revision_parent", "revision", ["project", "parent"])


def downgrade() -> None:
    raise NotImplementedError("what came before reads no history of differences")
