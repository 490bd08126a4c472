"""Large work for workers: the jobs, and the queue that they wait in."""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager

revision = "0006"
down_revision = "0005"


def upgrade() -> None:
    op.create_table(
        "jobs",
        sa.Column("id", sa.String(32), primary_key=True),
        sa.Column("queued", sa.BigInteger, nullable=False),
        sa.Column("kind", sa.String(16), nullable=False),
        sa.Column("name", sa.String(300), nullable=False),
        sa.Column("study", sa.String(32)),
        sa.Column("owner", sa.String(64)),
        sa.Column("arguments", sa.LargeBinary, nullable=False),
        sa.Column("data", sa.LargeBinary, nullable=False),
        sa.Column("state", sa.String(8), server_default="waiting", nullable=False),
        sa.Column("attempt", sa.Integer, server_default="0", nullable=False),
        sa.Column("share", sa.Float, server_default="0", nullable=False),
        sa.Column("code", sa.String(32), server_default="", nullable=False),
        sa.Column("words", sa.Text, server_default="", nullable=False),
        sa.Column("answer", sa.LargeBinary),
        sa.Column("bulk", sa.LargeBinary),
        sa.Column("made", sa.DateTime(timezone=True), server_default=sa.func.now(), nullable=False),
    )
    # Several statements at once: they go to the driver as they are.
    driver = op.get_bind().connection.driver_connection
    assert driver is not None
    driver.execute(SchemaManager.get_schema())


def downgrade() -> None:
    raise NotImplementedError("The queue is removed by restoring a backup.")
