"""
A large run is cut into ranges of its rows, which several workers write.
"""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "run_ranges",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("attempt", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("least", sa.Text(), nullable=True),
        sa.Column("below", sa.Text(), nullable=True),
        sa.Column("snapshot", sa.Text(), nullable=False),
        sa.Column("announced", sa.BigInteger(), nullable=False),
        sa.Column("statement", sa.Text(), nullable=False),
        sa.Column("status", sa.Text(), nullable=False, server_default="waiting"),
        sa.Column("tries", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("seen_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("rows", sa.BigInteger(), nullable=False, server_default="0"),
        sa.Column("told", sa.JSON(), nullable=True),
        sa.Column("path", sa.Text(), nullable=False, server_default=""),
        sa.Column("keys_path", sa.Text(), nullable=False, server_default=""),
        sa.CheckConstraint("status IN ('waiting', 'taken', 'made')", name="ck_run_ranges_status"),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("run_id", "attempt", "number"),
    )


def downgrade() -> None:
    op.drop_table("run_ranges")
