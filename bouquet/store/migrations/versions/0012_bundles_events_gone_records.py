"""
Bundles beside templates; answers and events of rounds; records whose event was taken; texts of keys, so that gone
records can be named.
"""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

TRIGGERS = "'calendar', 'after', 'called', 'appears'"


def upgrade() -> None:
    op.add_column("templates", sa.Column("kind", sa.Text(), nullable=False, server_default="template"))
    op.create_check_constraint("ck_templates_kind", "templates", "kind IN ('template', 'bundle')")
    op.drop_constraint("ck_rounds_trigger", "rounds", type_="check")
    op.create_check_constraint("ck_rounds_trigger", "rounds", f"trigger IN ({TRIGGERS}, 'closes')")
    op.add_column("rounds", sa.Column("answers", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("rounds", sa.Column("event", sa.JSON(), nullable=True))
    alive = sa.text("deleted_at IS NULL AND NOT paused")
    op.create_index("ix_rounds_next_at", "rounds", ["next_at"], postgresql_where=alive)
    op.create_index("ix_rounds_after_id", "rounds", ["after_id"], postgresql_where=sa.text("after_id IS NOT NULL"))
    ends = sa.text("paused_until IS NOT NULL")
    op.create_index("ix_rounds_paused_until", "rounds", ["paused_until"], postgresql_where=ends)
    op.create_table(
        "noticed",
        sa.Column("round_id", sa.BigInteger(), nullable=False),
        sa.Column("key", sa.Uuid(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("round_id", "key", name="pk_noticed"),
        sa.ForeignKeyConstraint(["round_id"], ["rounds.id"], name="fk_noticed_round_id_rounds", ondelete="CASCADE"),
    )
    op.add_column("remembered", sa.Column("texts", sa.JSON(), nullable=True))
    op.add_column("remembering", sa.Column("texts", sa.JSON(), nullable=True))
    op.add_column("remembering", sa.Column("gone", sa.Boolean(), nullable=False, server_default=sa.false()))


def downgrade() -> None:
    op.drop_column("remembering", "gone")
    op.drop_column("remembering", "texts")
    op.drop_column("remembered", "texts")
    op.drop_table("noticed")
    for name in ("paused_until", "after_id", "next_at"):
        op.drop_index(f"ix_rounds_{name}", "rounds")
    op.drop_column("rounds", "event")
    op.drop_column("rounds", "answers")
    # Their runs stay in the ledger, so they stay as well, put away.
    op.execute(
        "UPDATE rounds SET trigger = 'called', deleted_at = coalesce(deleted_at, now()) WHERE trigger = 'closes'"
    )
    op.drop_constraint("ck_rounds_trigger", "rounds", type_="check")
    op.create_check_constraint("ck_rounds_trigger", "rounds", f"trigger IN ({TRIGGERS})")
    op.drop_constraint("ck_templates_kind", "templates", type_="check")
    op.drop_column("templates", "kind")
