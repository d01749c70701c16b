"""
Deliveries and downloads, care, requests told apart by their digest, and things that can be brought back
"""

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

RUN_VIEW = """
    CREATE VIEW ledger.run AS
    SELECT r.id, r.name AS template, r.version, r.records, r.format, r.asked_by, r.via, r.purpose, r.as_of, r.asked_at,
        r.started_at, r.finished_at,
        round(extract(epoch FROM r.finished_at - r.started_at)::numeric, 3) AS seconds,
        r.status, r.rows_announced, r.rows_written, r.objections, r.verdict, r.personal,
        r.error ->> 'message' AS failure, r.reviewed_by, r.reviewed_at, r.review_reason, {delivered} AS delivered_to,
        r.keep_until, r.template_id, r.person_id, coalesce(f.files, 0) AS files, coalesce(f.bytes, 0)::bigint AS bytes,
        f.names AS file_names, t.owner_id, coalesce(t.standing, '') AS standing, r.scope::text AS scope
    FROM runs r LEFT JOIN templates t ON t.id = r.template_id LEFT JOIN (
        SELECT run_id, count(*) AS files, sum(size) AS bytes, string_agg(name, '; ' ORDER BY id) AS names
        FROM run_files GROUP BY run_id
    ) f ON f.run_id = r.id
"""


def upgrade() -> None:
    text, number, moment = sa.Text(), sa.BigInteger(), sa.DateTime(timezone=True)
    op.create_table(
        "deliveries",
        sa.Column("id", number, nullable=False),
        sa.Column("run_id", number, nullable=False),
        sa.Column("position", number, nullable=False),
        sa.Column("target", text, nullable=False),
        sa.Column("mode", text, nullable=False),
        sa.Column("done", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("entered_at", moment, nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_deliveries_run_id_runs"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_deliveries")),
        sa.UniqueConstraint("run_id", "position", name=op.f("uq_deliveries_run_id")),
    )
    op.create_index(
        "uq_deliveries_target",
        "deliveries",
        ["target"],
        unique=True,
        postgresql_where=sa.text("mode = 'new' AND NOT done"),
    )
    op.execute(
        """
        INSERT INTO deliveries (run_id, position, target, mode, done, entered_at)
        SELECT r.id, n - 1, line, 'replace', true, coalesce(r.finished_at, r.asked_at)
        FROM runs r, LATERAL regexp_split_to_table(r.delivered_to, E'\\n') WITH ORDINALITY AS lines(line, n)
        WHERE r.delivered_to IS NOT NULL
        """
    )
    op.execute("DROP VIEW ledger.run")
    op.drop_column("runs", "delivered_to")
    op.add_column("runs", sa.Column("request_digest", text, nullable=True))
    op.add_column("runs", sa.Column("tries", number, nullable=False, server_default="0"))
    op.execute(
        RUN_VIEW.format(
            delivered="(SELECT string_agg(target, '; ' ORDER BY position) FROM deliveries d WHERE d.run_id = r.id AND d.done)"
        )
    )
    op.create_table(
        "downloads",
        sa.Column("id", number, nullable=False),
        sa.Column("run_file_id", number, nullable=False),
        sa.Column("person_id", number, nullable=False),
        sa.Column("taken_at", moment, nullable=False),
        sa.Column("way", text, nullable=False),
        sa.Column("purpose", text, nullable=False, server_default=""),
        sa.ForeignKeyConstraint(
            ["run_file_id"], ["run_files.id"], name=op.f("fk_downloads_run_file_id_run_files"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_downloads_person_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_downloads")),
    )
    op.create_index(op.f("ix_downloads_run_file_id"), "downloads", ["run_file_id"])
    op.create_table(
        "care",
        sa.Column("name", text, nullable=False),
        sa.Column("done_at", moment, nullable=True),
        sa.Column("failed_at", moment, nullable=True),
        sa.Column("error", text, nullable=False, server_default=""),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_care")),
    )
    op.add_column("rounds", sa.Column("purpose", text, nullable=False, server_default=""))
    op.add_column("picks", sa.Column("deleted_at", moment, nullable=True))
    op.add_column("views", sa.Column("deleted_at", moment, nullable=True))
    op.drop_index("uq_picks_name", "picks")
    op.drop_index("uq_views_name", "views")
    present = sa.text("deleted_at IS NULL")
    op.create_index("uq_picks_name", "picks", [sa.text("lower(name)")], unique=True, postgresql_where=present)
    op.create_index(
        "uq_views_name",
        "views",
        [sa.text("owner_id"), sa.text("records"), sa.text("lower(name)")],
        unique=True,
        postgresql_where=present,
    )
    op.create_table(
        "sign_in_tries",
        sa.Column("id", number, nullable=False),
        sa.Column("email", text, nullable=False),
        sa.Column("address", text, nullable=False),
        sa.Column("tried_at", moment, nullable=False),
        sa.Column("succeeded", sa.Boolean(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_sign_in_tries")),
    )
    op.create_index("ix_sign_in_tries_email", "sign_in_tries", ["email", "tried_at"])
    op.create_index("ix_sign_in_tries_address", "sign_in_tries", ["address", "tried_at"])


def downgrade() -> None:
    op.drop_table("sign_in_tries")
    for table in ("views", "picks"):
        op.execute(f"DELETE FROM {table} WHERE deleted_at IS NOT NULL")
        op.drop_index(f"uq_{table}_name", table)
        op.drop_column(table, "deleted_at")
    op.create_index("uq_picks_name", "picks", [sa.text("lower(name)")], unique=True)
    op.create_index(
        "uq_views_name", "views", [sa.text("owner_id"), sa.text("records"), sa.text("lower(name)")], unique=True
    )
    op.drop_column("rounds", "purpose")
    op.drop_table("care")
    op.drop_table("downloads")
    op.execute("DROP VIEW ledger.run")
    op.drop_column("runs", "tries")
    op.drop_column("runs", "request_digest")
    op.add_column("runs", sa.Column("delivered_to", sa.Text(), nullable=True))
    op.execute(
        """
        UPDATE runs r SET delivered_to = d.targets FROM (
            SELECT run_id, string_agg(target, E'\\n' ORDER BY position) AS targets FROM deliveries GROUP BY run_id
        ) d WHERE d.run_id = r.id
        """
    )
    op.execute(RUN_VIEW.format(delivered="r.delivered_to"))
    op.drop_table("deliveries")
