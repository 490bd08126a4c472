"""Accounts, their sessions, and who may see a study."""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"


def upgrade() -> None:
    op.create_table(
        "accounts",
        sa.Column("name", sa.String(64), primary_key=True),
        sa.Column("password", sa.String(200), nullable=False),
        sa.Column("admin", sa.Boolean, nullable=False),
        sa.Column("made", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
    account = sa.ForeignKey("accounts.name", ondelete="CASCADE")
    study = sa.ForeignKey("studies.id", ondelete="CASCADE")
    op.create_table(
        "sessions",
        sa.Column("id", sa.String(64), primary_key=True),
        sa.Column("account", sa.String(64), account, nullable=False),
        sa.Column("until", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "shares",
        sa.Column("study", sa.String(32), study, primary_key=True),
        sa.Column("account", sa.String(64), sa.ForeignKey("accounts.name", ondelete="CASCADE"), primary_key=True),
        sa.Column("role", sa.String(8), nullable=False),
    )
    op.create_table(
        "links",
        sa.Column("study", sa.String(32), sa.ForeignKey("studies.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("digest", sa.String(64), nullable=False, unique=True),
    )
    op.create_table(
        "secrets",
        sa.Column("name", sa.String(32), primary_key=True),
        sa.Column("value", sa.LargeBinary, nullable=False),
    )


def downgrade() -> None:
    for table in ("secrets", "links", "shares", "sessions", "accounts"):
        op.drop_table(table)
