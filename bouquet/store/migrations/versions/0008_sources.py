"""
Sources that the house keeps and what is known of them; what was sent before; states that are none are refused
"""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

_WITH_SOURCE = ("templates", "picks", "views")

#: (table, column) → the values there are.
_STATES = {
    ("runs", "status"): ("asked", "running", "held", "releasing", "ready", "failed", "cancelled", "discarded"),
    ("templates", "standing"): ("own", "shared", "house"),
    ("rounds", "mode"): ("new", "replace", "append"),
    ("rounds", "trigger"): ("calendar", "after", "called"),
    ("rounds", "when_empty"): ("send", "skip"),
    ("comparisons", "status"): ("asked", "ready", "failed"),
}

#: Columns that are looked things up by, and had no index.
_INDEXED = (("runs", "round_id"), ("runs", "person_id"), ("notices", "run_id"), ("occurrences", "run_id"))


def upgrade() -> None:
    op.create_table(
        "sources",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("address", sa.Text(), nullable=False),
        sa.Column("environment", sa.Text(), nullable=False, server_default="live"),
        sa.Column("revision", sa.BigInteger(), nullable=False, server_default="1"),
        sa.Column("added_by", sa.BigInteger(), nullable=True),
        sa.Column("added_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("environment IN ('live', 'practice')", name="ck_sources_environment"),
        sa.ForeignKeyConstraint(["added_by"], ["people.id"], name="fk_sources_added_by_people"),
        sa.PrimaryKeyConstraint("id", name="pk_sources"),
    )
    present = sa.text("deleted_at IS NULL")
    op.create_index("uq_sources_name", "sources", [sa.text("lower(name)")], unique=True, postgresql_where=present)
    op.create_table(
        "curated_drafts",
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("revision", sa.BigInteger(), nullable=False),
        sa.Column("changed_by", sa.BigInteger(), nullable=True),
        sa.Column("changed_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["changed_by"], ["people.id"], name="fk_curated_drafts_changed_by_people"),
        sa.PrimaryKeyConstraint("source", name="pk_curated_drafts"),
    )
    op.create_table(
        "curated_versions",
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False, server_default=""),
        sa.Column("saved_by", sa.BigInteger(), nullable=True),
        sa.Column("saved_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["saved_by"], ["people.id"], name="fk_curated_versions_saved_by_people"),
        sa.PrimaryKeyConstraint("source", "number", name="pk_curated_versions"),
    )
    op.create_table(
        "kept_catalogues",
        sa.Column("source", sa.Text(), nullable=False),
        sa.Column("digest", sa.Text(), nullable=False),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        sa.Column("read_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("source", name="pk_kept_catalogues"),
    )
    op.create_table(
        "remembered",
        sa.Column("template_id", sa.BigInteger(), nullable=False),
        sa.Column("round_id", sa.BigInteger(), nullable=False),
        sa.Column("key", sa.Uuid(), nullable=False),
        sa.Column("row", sa.BigInteger(), nullable=False),
        sa.Column("sent_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=True),
        sa.ForeignKeyConstraint(
            ["template_id"], ["templates.id"], name="fk_remembered_template_id_templates", ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("template_id", "round_id", "key", name="pk_remembered"),
    )
    op.create_index("ix_remembered_run_id", "remembered", ["run_id"])
    op.create_table(
        "remembering",
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("key", sa.Uuid(), nullable=False),
        sa.Column("row", sa.BigInteger(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name="fk_remembering_run_id_runs", ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("run_id", "key", name="pk_remembering"),
    )
    for table in _WITH_SOURCE:
        op.add_column(table, sa.Column("source", sa.Text(), nullable=False, server_default=""))
    op.drop_index("uq_views_name", "views")
    columns: list[Any] = ["owner_id", "source", "records", sa.text("lower(name)")]
    op.create_index("uq_views_name", "views", columns, unique=True, postgresql_where=present)
    op.add_column("people", sa.Column("disabled_at", sa.DateTime(timezone=True), nullable=True))
    op.add_column("people", sa.Column("password_given", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("rounds", sa.Column("trigger", sa.Text(), nullable=False, server_default="calendar"))
    op.add_column("rounds", sa.Column("after_id", sa.BigInteger(), nullable=True))
    op.create_foreign_key("fk_rounds_after_id_rounds", "rounds", "rounds", ["after_id"], ["id"])
    op.add_column("rounds", sa.Column("since", sa.DateTime(timezone=True), nullable=True))
    op.add_column("rounds", sa.Column("when_empty", sa.Text(), nullable=False, server_default="send"))
    op.add_column("rounds", sa.Column("paused_until", sa.DateTime(timezone=True), nullable=True))
    op.add_column("rounds", sa.Column("paused_for", sa.Text(), nullable=False, server_default=""))
    op.add_column("notices", sa.Column("link", sa.Text(), nullable=False, server_default=""))
    op.alter_column("notices", "run_id", nullable=True)
    for (table, column), values in _STATES.items():
        listed = ", ".join(f"'{v}'" for v in values)
        op.create_check_constraint(f"ck_{table}_{column}", table, f"{column} IN ({listed})")
    for table, column in _INDEXED:
        op.create_index(f"ix_{table}_{column}", table, [column])


def downgrade() -> None:
    for table, column in _INDEXED:
        op.drop_index(f"ix_{table}_{column}", table)
    for table, column in _STATES:
        op.drop_constraint(f"ck_{table}_{column}", table)
    op.execute("DELETE FROM notices WHERE run_id IS NULL")
    op.alter_column("notices", "run_id", nullable=False)
    op.drop_column("notices", "link")
    for column in ("paused_for", "paused_until", "when_empty", "since", "after_id", "trigger"):
        op.drop_column("rounds", column)
    op.drop_column("people", "password_given")
    op.drop_column("people", "disabled_at")
    op.drop_index("uq_views_name", "views")
    columns: list[Any] = ["owner_id", "records", sa.text("lower(name)")]
    op.create_index("uq_views_name", "views", columns, unique=True, postgresql_where=sa.text("deleted_at IS NULL"))
    for table in _WITH_SOURCE:
        op.drop_column(table, "source")
    for table in ("remembering", "remembered", "kept_catalogues", "curated_versions", "curated_drafts", "sources"):
        op.drop_table(table)
