"""
Means, recipients and deliveries with their tries; what was a delivery into a folder is a placing.
"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None

#: (of the table before, of the table after)
RENAMED = (
    ("pk_deliveries", "pk_placings"),
    ("fk_deliveries_run_id_runs", "fk_placings_run_id_runs"),
    ("uq_deliveries_run_id", "uq_placings_run_id"),
)

number, text, moment = sa.BigInteger(), sa.Text(), sa.DateTime(timezone=True)


def upgrade() -> None:
    op.rename_table("deliveries", "placings")
    op.execute("ALTER SEQUENCE deliveries_id_seq RENAME TO placings_id_seq")
    for before, after in RENAMED:
        op.execute(f"ALTER TABLE placings RENAME CONSTRAINT {before} TO {after}")
    op.execute("ALTER INDEX uq_deliveries_target RENAME TO uq_placings_target")

    op.create_table(
        "means",
        sa.Column("id", number, nullable=False),
        sa.Column("name", text, nullable=False),
        sa.Column("kind", text, nullable=False),
        sa.Column("settings", sa.JSON(), nullable=False),
        sa.Column("secret", text, nullable=False, server_default=""),
        sa.Column("failures", number, nullable=False, server_default="0"),
        sa.Column("down_until", moment, nullable=True),
        sa.Column("said", text, nullable=False, server_default=""),
        sa.Column("created_at", moment, nullable=False),
        sa.Column("deleted_at", moment, nullable=True),
        sa.PrimaryKeyConstraint("id", name="pk_means"),
    )
    alive = sa.text("deleted_at IS NULL")
    op.create_index("uq_means_name", "means", [sa.text("lower(name)")], unique=True, postgresql_where=alive)
    op.create_table(
        "recipients",
        sa.Column("id", number, nullable=False),
        sa.Column("name", text, nullable=False),
        sa.Column("about", text, nullable=False, server_default=""),
        sa.Column("acceptance", sa.JSON(), nullable=False),
        sa.Column("means_id", number, nullable=False),
        sa.Column("address", sa.JSON(), nullable=False),
        sa.Column("created_by", number, nullable=False),
        sa.Column("created_at", moment, nullable=False),
        sa.Column("deleted_at", moment, nullable=True),
        sa.PrimaryKeyConstraint("id", name="pk_recipients"),
        sa.ForeignKeyConstraint(["means_id"], ["means.id"], name="fk_recipients_means_id_means"),
        sa.ForeignKeyConstraint(["created_by"], ["people.id"], name="fk_recipients_created_by_people"),
    )
    op.create_index("ix_recipients_means_id", "recipients", ["means_id"])
    op.create_index("uq_recipients_name", "recipients", [sa.text("lower(name)")], unique=True, postgresql_where=alive)
    op.create_table(
        "round_recipients",
        sa.Column("round_id", number, nullable=False),
        sa.Column("recipient_id", number, nullable=False),
        sa.Column("position", number, nullable=False),
        sa.Column("must", sa.Boolean(), nullable=False, server_default=sa.true()),
        sa.Column("when_empty", text, nullable=False, server_default="send"),
        sa.PrimaryKeyConstraint("round_id", "recipient_id", name="pk_round_recipients"),
        sa.ForeignKeyConstraint(
            ["round_id"], ["rounds.id"], name="fk_round_recipients_round_id_rounds", ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["recipient_id"], ["recipients.id"], name="fk_round_recipients_recipient_id_recipients"
        ),
    )
    op.create_index("ix_round_recipients_recipient_id", "round_recipients", ["recipient_id"])
    op.add_column("rounds", sa.Column("own_part", sa.JSON(), nullable=True))
    op.add_column("run_files", sa.Column("recipient_id", number, nullable=True))
    op.create_foreign_key("fk_run_files_recipient_id_recipients", "run_files", "recipients", ["recipient_id"], ["id"])
    op.add_column("run_files", sa.Column("part", text, nullable=True))
    _create_deliveries()


def _create_deliveries() -> None:
    op.create_table(
        "deliveries",
        sa.Column("id", number, nullable=False),
        sa.Column("run_id", number, nullable=False),
        sa.Column("recipient_id", number, nullable=False),
        sa.Column("number", number, nullable=False),
        sa.Column("identity", text, nullable=False),
        sa.Column("must", sa.Boolean(), nullable=False),
        sa.Column("state", text, nullable=False),
        sa.Column("files", sa.JSON(), nullable=False),
        sa.Column("why", text, nullable=False),
        sa.Column("reply", text, nullable=False),
        sa.Column("tries", number, nullable=False),
        sa.Column("progress", sa.JSON(), nullable=False),
        sa.Column("entered_at", moment, nullable=False),
        sa.Column("next_at", moment, nullable=True),
        sa.Column("tried_at", moment, nullable=True),
        sa.Column("arrived_at", moment, nullable=True),
        sa.PrimaryKeyConstraint("id", name="pk_deliveries"),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name="fk_deliveries_run_id_runs", ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["recipient_id"], ["recipients.id"], name="fk_deliveries_recipient_id_recipients"),
        sa.UniqueConstraint("run_id", "recipient_id", "number", name="uq_deliveries_run_id"),
        sa.UniqueConstraint("identity", name="uq_deliveries_identity"),
    )
    due = sa.text("next_at IS NOT NULL")
    op.create_index("ix_deliveries_next", "deliveries", ["recipient_id", "id"], postgresql_where=due)
    op.create_index("ix_deliveries_recipient", "deliveries", ["recipient_id", "id"])
    op.create_table(
        "delivery_events",
        sa.Column("id", number, nullable=False),
        sa.Column("delivery_id", number, nullable=False),
        sa.Column("at", moment, nullable=False),
        sa.Column("state", text, nullable=False),
        sa.Column("says", text, nullable=False),
        sa.Column("by", text, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_delivery_events"),
        sa.ForeignKeyConstraint(
            ["delivery_id"], ["deliveries.id"], name="fk_delivery_events_delivery_id_deliveries", ondelete="CASCADE"
        ),
    )
    op.create_index("ix_delivery_events_delivery_id", "delivery_events", ["delivery_id"])
    op.create_table(
        "links",
        sa.Column("delivery_id", number, nullable=False),
        sa.Column("digest", text, nullable=False),
        sa.Column("expires_at", moment, nullable=False),
        sa.Column("most", number, nullable=False),
        sa.Column("fetches", sa.JSON(), nullable=False),
        sa.Column("passphrase_hash", text, nullable=False),
        sa.Column("refused", number, nullable=False),
        sa.Column("withdrawn_at", moment, nullable=True),
        sa.PrimaryKeyConstraint("delivery_id", name="pk_links"),
        sa.ForeignKeyConstraint(
            ["delivery_id"], ["deliveries.id"], name="fk_links_delivery_id_deliveries", ondelete="CASCADE"
        ),
        sa.UniqueConstraint("digest", name="uq_links_digest"),
    )


def downgrade() -> None:
    for table in ("links", "delivery_events", "deliveries"):
        op.drop_table(table)
    op.drop_column("run_files", "part")
    op.drop_column("run_files", "recipient_id")
    op.drop_column("rounds", "own_part")
    for table in ("round_recipients", "recipients", "means"):
        op.drop_table(table)
    op.execute("ALTER INDEX uq_placings_target RENAME TO uq_deliveries_target")
    for before, after in RENAMED:
        op.execute(f"ALTER TABLE placings RENAME CONSTRAINT {after} TO {before}")
    op.execute("ALTER SEQUENCE placings_id_seq RENAME TO deliveries_id_seq")
    op.rename_table("placings", "deliveries")
