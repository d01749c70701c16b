"""
The ledger says what became of what a run sent.
"""

from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None

#: What counts is the newest delivery to each recipient of a run.
SENT_VIEW = """
    CREATE VIEW ledger.sent AS
    SELECT run_id, count(*) FILTER (WHERE state = 'arrived') AS arrived,
        count(*) FILTER (WHERE state IN ('waiting', 'sending', 'trying', 'offered')) AS under_way,
        count(*) FILTER (WHERE state = 'failed') AS failed,
        count(*) FILTER (WHERE state IN ('waived', 'withdrawn')) AS given_up
    FROM (
        SELECT DISTINCT ON (run_id, recipient_id) run_id, state
        FROM deliveries ORDER BY run_id, recipient_id, number DESC
    ) newest GROUP BY run_id
"""

#: Replaced in its place, so that whoever may read it may do so still: what is new stands at its end.
RUN_VIEW = """
    CREATE OR REPLACE VIEW ledger.run AS
    SELECT r.id, r.name AS template, r.version, r.records, r.format, r.asked_by, r.via, r.purpose, r.as_of, r.asked_at,
        r.started_at, r.finished_at,
        round(extract(epoch FROM r.finished_at - r.started_at)::numeric, 3) AS seconds,
        r.status, r.rows_announced, r.rows_written, r.objections, r.verdict, r.personal,
        r.error ->> 'message' AS failure, r.reviewed_by, r.reviewed_at, r.review_reason,
        (SELECT string_agg(target, '; ' ORDER BY position) FROM placings p WHERE p.run_id = r.id AND p.done)
            AS delivered_to,
        r.keep_until, r.template_id, r.person_id, coalesce(f.files, 0) AS files, coalesce(f.bytes, 0)::bigint AS bytes,
        f.names AS file_names, t.owner_id, coalesce(t.standing, '') AS standing, r.scope::text AS scope{sent}
    FROM runs r LEFT JOIN templates t ON t.id = r.template_id LEFT JOIN (
        SELECT run_id, count(*) AS files, sum(size) AS bytes, string_agg(name, '; ' ORDER BY id) AS names
        FROM run_files GROUP BY run_id
    ) f ON f.run_id = r.id{joined}
"""

SENT = (
    ", coalesce(s.arrived, 0) AS arrived, coalesce(s.under_way, 0) AS under_way,"
    " coalesce(s.failed, 0) AS not_delivered, coalesce(s.given_up, 0) AS given_up"
)


def upgrade() -> None:
    op.execute(SENT_VIEW)
    op.execute(RUN_VIEW.format(sent=SENT, joined=" LEFT JOIN ledger.sent s ON s.run_id = r.id"))


def downgrade() -> None:
    op.execute("DROP VIEW ledger.run")
    op.execute(RUN_VIEW.format(sent="", joined=""))
    op.execute("DROP VIEW ledger.sent")
