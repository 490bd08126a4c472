"""A small picture of every study's part."""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"


def upgrade() -> None:
    op.create_table(
        "thumbnails",
        sa.Column("study", sa.String(32), sa.ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("version", sa.BigInteger, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("thumbnails")
