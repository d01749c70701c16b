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
    op.drop_column("rounds", "event")
    op.drop_column("rounds", "answers")
    op.execute("DELETE FROM rounds WHERE trigger = 'closes'")
    op.drop_constraint("ck_rounds_trigger", "rounds", type_="check")
    op.create_check_constraint("ck_rounds_trigger", "rounds", f"trigger IN ({TRIGGERS})")
    op.drop_constraint("ck_templates_kind", "templates", type_="check")
    op.drop_column("templates", "kind")
