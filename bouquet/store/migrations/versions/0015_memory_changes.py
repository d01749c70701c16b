"""
What people changed in a memory by hand, so that it can be undone for a day.
"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

number, text, moment = sa.BigInteger(), sa.Text(), sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "memory_changes",
        sa.Column("id", number, nullable=False, autoincrement=True),
        sa.Column("template_id", number, nullable=False),
        sa.Column("round_id", number, nullable=False),
        sa.Column("kind", text, nullable=False),
        sa.Column("who", text, nullable=False),
        sa.Column("at", moment, nullable=False),
        sa.Column("records", number, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_memory_changes"),
        sa.ForeignKeyConstraint(
            ["template_id"], ["templates.id"], name="fk_memory_changes_template_id_templates", ondelete="CASCADE"
        ),
        sa.CheckConstraint("kind IN ('forgotten', 'marked')", name="kind"),
    )
    op.create_index("ix_memory_changes_template_id", "memory_changes", ["template_id", "round_id"])
    op.create_table(
        "memory_changed",
        sa.Column("change_id", number, nullable=False),
        sa.Column("key", sa.Uuid(), nullable=False),
        sa.Column("row", number, nullable=False),
        sa.Column("sent_at", moment, nullable=False),
        sa.Column("run_id", number, nullable=True),
        sa.Column("texts", sa.JSON(none_as_null=True), nullable=True),
        sa.PrimaryKeyConstraint("change_id", "key", name="pk_memory_changed"),
        sa.ForeignKeyConstraint(
            ["change_id"], ["memory_changes.id"], name="fk_memory_changed_change_id_memory_changes", ondelete="CASCADE"
        ),
    )


def downgrade() -> None:
    op.drop_table("memory_changed")
    op.drop_table("memory_changes")
