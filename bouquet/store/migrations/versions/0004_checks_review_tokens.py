"""
Findings, review and expiry of runs, ways of delivery, tokens, and the ledger as a view to be read
"""

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    text, number, moment = sa.Text(), sa.BigInteger(), sa.DateTime(timezone=True)
    op.add_column("rounds", sa.Column("mode", text, nullable=False, server_default="new"))
    for column in (
        sa.Column("source", text, nullable=False, server_default=""),
        sa.Column("records", text, nullable=False, server_default=""),
        sa.Column("personal", number, nullable=False, server_default="0"),
        sa.Column("verdict", text, nullable=True),
        sa.Column("objections", number, nullable=False, server_default="0"),
        sa.Column("findings", sa.JSON(), nullable=False, server_default="[]"),
        sa.Column("reviewed_by", text, nullable=True),
        sa.Column("reviewed_at", moment, nullable=True),
        sa.Column("review_reason", text, nullable=False, server_default=""),
        sa.Column("keep_until", moment, nullable=True),
    ):
        op.add_column("runs", column)
    op.execute("UPDATE runs SET records = coalesce(document ->> 'records', '')")
    op.execute(
        "UPDATE runs SET personal = coalesce(json_array_length(slip -> 'personal_fields'), 0) WHERE slip IS NOT NULL AND json_typeof(slip -> 'personal_fields') = 'array'"
    )
    op.create_index(op.f("ix_runs_records"), "runs", ["records"])
    op.create_index(op.f("ix_runs_keep_until"), "runs", ["keep_until"])
    op.add_column("run_files", sa.Column("role", text, nullable=False, server_default="data"))
    op.add_column("run_files", sa.Column("removed_at", moment, nullable=True))
    op.create_table(
        "appendings",
        sa.Column("run_id", number, nullable=False),
        sa.Column("target", text, nullable=False),
        sa.Column("size_before", number, nullable=False),
        sa.Column("size_after", number, nullable=False),
        sa.Column("sha256", text, nullable=False),
        sa.Column("done", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_appendings_run_id_runs"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("run_id", "target", name=op.f("pk_appendings")),
    )
    op.create_table(
        "comparisons",
        sa.Column("id", number, nullable=False),
        sa.Column("before_id", number, nullable=False),
        sa.Column("after_id", number, nullable=False),
        sa.Column("key_text", text, nullable=False),
        sa.Column("key", sa.JSON(), nullable=False),
        sa.Column("status", text, nullable=False),
        sa.Column("result", sa.JSON(), nullable=True),
        sa.Column("file_id", number, nullable=True),
        sa.Column("asked_at", moment, nullable=False),
        sa.ForeignKeyConstraint(
            ["before_id"], ["runs.id"], name=op.f("fk_comparisons_before_id_runs"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["after_id"], ["runs.id"], name=op.f("fk_comparisons_after_id_runs"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["file_id"], ["run_files.id"], name=op.f("fk_comparisons_file_id_run_files"), ondelete="SET NULL"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_comparisons")),
        sa.UniqueConstraint("before_id", "after_id", "key_text", name=op.f("uq_comparisons_before_id")),
    )
    op.create_index(op.f("ix_comparisons_after_id"), "comparisons", ["after_id"])
    op.create_table(
        "tokens",
        sa.Column("id", number, nullable=False),
        sa.Column("person_id", number, nullable=False),
        sa.Column("name", text, nullable=False),
        sa.Column("hint", text, nullable=False),
        sa.Column("digest", text, nullable=False),
        sa.Column("acts", sa.JSON(), nullable=False),
        sa.Column("created_at", moment, nullable=False),
        sa.Column("expires_at", moment, nullable=False),
        sa.Column("last_used_at", moment, nullable=True),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_tokens_person_id_people"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_tokens")),
        sa.UniqueConstraint("digest", name=op.f("uq_tokens_digest")),
    )
    op.create_index(op.f("ix_tokens_person_id"), "tokens", ["person_id"])
    # What people may read of the ledger, as a record type of its own: no documents, no passwords.
    op.execute("CREATE SCHEMA ledger")
    op.execute(
        """
        CREATE VIEW ledger.run AS
        SELECT r.id, r.name AS template, r.version, r.records, r.format, r.asked_by, r.via, r.purpose, r.as_of, r.asked_at,
            r.started_at, r.finished_at,
            round(extract(epoch FROM r.finished_at - r.started_at)::numeric, 3) AS seconds,
            r.status, r.rows_announced, r.rows_written, r.objections, r.verdict, r.personal,
            r.error ->> 'message' AS failure, r.reviewed_by, r.reviewed_at, r.review_reason, r.delivered_to, r.keep_until,
            r.template_id, coalesce(f.files, 0) AS files, coalesce(f.bytes, 0)::bigint AS bytes, f.names AS file_names
        FROM runs r LEFT JOIN (
            SELECT run_id, count(*) AS files, sum(size) AS bytes, string_agg(name, '; ' ORDER BY id) AS names
            FROM run_files GROUP BY run_id
        ) f ON f.run_id = r.id
        """
    )


def downgrade() -> None:
    op.execute("DROP SCHEMA ledger CASCADE")
    op.drop_table("tokens")
    op.drop_table("comparisons")
    op.drop_table("appendings")
    op.drop_column("run_files", "removed_at")
    op.drop_column("run_files", "role")
    op.drop_index(op.f("ix_runs_keep_until"), "runs")
    op.drop_index(op.f("ix_runs_records"), "runs")
    for name in (
        "keep_until",
        "review_reason",
        "reviewed_at",
        "reviewed_by",
        "findings",
        "objections",
        "verdict",
        "personal",
        "records",
        "source",
    ):
        op.drop_column("runs", name)
    op.drop_column("rounds", "mode")
