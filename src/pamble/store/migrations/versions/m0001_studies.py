"""Studies and operations."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0001"
down_revision = None


def upgrade() -> None:
    now = sa.func.now()
    op.create_table(
        "studies",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("document", JSONB, nullable=False),
        sa.Column("version", sa.BigInteger, nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("created", sa.DateTime(timezone=True), server_default=now, nullable=False),
        sa.Column("changed", sa.DateTime(timezone=True), server_default=now, nullable=False),
    )
    op.create_table(
        "ops",
        sa.Column("study", sa.String(32), sa.ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("seq", sa.Integer, primary_key=True),
        sa.Column("op", JSONB, nullable=False),
        sa.Column("inverse", JSONB, nullable=False),
        sa.Column("made", sa.DateTime(timezone=True), server_default=now, nullable=False),
    )


def downgrade() -> None:
    op.drop_table("ops")
    op.drop_table("studies")
