"""Last good results of steps."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    op.create_table(
        "results",
        sa.Column("study", sa.String(32), sa.ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("step", sa.String(64), primary_key=True),
        sa.Column("key", sa.String(64), nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("results")
