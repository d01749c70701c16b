"""
The keys of the records that runs sent; rounds that wait for records, and where rounds are subscribed to.
"""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "sent_keys",
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("records", sa.Text(), nullable=False),
        sa.Column("source", sa.Text(), nullable=False, server_default=""),
        sa.Column("keys", sa.LargeBinary(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("run_id", "records"),
    )
    op.create_index("ix_sent_keys_records", "sent_keys", ["records"])
    # What was pressed from random digests does not become smaller; it is looked through where it lies.
    op.execute("ALTER TABLE sent_keys ALTER COLUMN keys SET STORAGE EXTERNAL")
    op.drop_constraint("ck_rounds_trigger", "rounds")
    op.create_check_constraint("ck_rounds_trigger", "rounds", "trigger IN ('calendar', 'after', 'called', 'appears')")
    op.add_column("rounds", sa.Column("watch", sa.JSON(), nullable=True))
    op.add_column("rounds", sa.Column("found", sa.JSON(), nullable=True))
    op.add_column("rounds", sa.Column("look_at", sa.DateTime(timezone=True), nullable=True))
    op.create_index("ix_rounds_look_at", "rounds", ["look_at"])
    op.add_column("runs", sa.Column("repeats", sa.BigInteger(), nullable=True))
    op.create_foreign_key("fk_runs_repeats", "runs", "runs", ["repeats"], ["id"], ondelete="SET NULL")
    op.add_column("people", sa.Column("feed_digest", sa.Text(), nullable=True, unique=True))


def downgrade() -> None:
    for column in ("look_at", "found", "watch"):
        op.drop_column("rounds", column)
    op.execute("UPDATE rounds SET trigger = 'called' WHERE trigger = 'appears'")
    op.drop_constraint("ck_rounds_trigger", "rounds")
    op.create_check_constraint("ck_rounds_trigger", "rounds", "trigger IN ('calendar', 'after', 'called')")
    op.drop_column("people", "feed_digest")
    op.drop_column("runs", "repeats")
    op.drop_table("sent_keys")
