"""
A recipient may receive by several ways: deliveries say by which, and are counted and ordered for each. They also say
who sends, where that is not who the run is of.
"""

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None

number = sa.BigInteger()

#: What counts is the newest delivery to each recipient of a run, by each of their ways.
SENT_VIEW = """
    CREATE OR REPLACE VIEW ledger.sent AS
    SELECT run_id, count(*) FILTER (WHERE state = 'arrived') AS arrived,
        count(*) FILTER (WHERE state IN ('waiting', 'sending', 'trying', 'offered')) AS under_way,
        count(*) FILTER (WHERE state = 'failed') AS failed,
        count(*) FILTER (WHERE state IN ('waived', 'withdrawn')) AS given_up
    FROM (
        SELECT DISTINCT ON (run_id, {each}) run_id, state
        FROM deliveries ORDER BY run_id, {each}, number DESC
    ) newest GROUP BY run_id
"""

UNIQUE = "uq_deliveries_run_id"


def upgrade() -> None:
    op.create_table(
        "recipient_ways",
        sa.Column("id", number, nullable=False),
        sa.Column("recipient_id", number, nullable=False),
        sa.Column("position", number, nullable=False),
        sa.Column("means_id", number, nullable=False),
        sa.Column("address", sa.JSON(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True)),
        sa.PrimaryKeyConstraint("id", name="pk_recipient_ways"),
        sa.ForeignKeyConstraint(["recipient_id"], ["recipients.id"], name="fk_recipient_ways_recipient_id_recipients"),
        sa.ForeignKeyConstraint(["means_id"], ["means.id"], name="fk_recipient_ways_means_id_means"),
    )
    for column in ("recipient_id", "means_id"):
        op.create_index(f"ix_recipient_ways_{column}", "recipient_ways", [column])
    op.add_column("deliveries", sa.Column("way_id", number))
    op.create_foreign_key("fk_deliveries_way_id_recipient_ways", "deliveries", "recipient_ways", ["way_id"], ["id"])
    op.add_column("deliveries", sa.Column("person_id", number))
    op.create_foreign_key("fk_deliveries_person_id_people", "deliveries", "people", ["person_id"], ["id"])
    op.drop_constraint(UNIQUE, "deliveries", type_="unique")
    op.create_unique_constraint(
        UNIQUE,
        "deliveries",
        ["run_id", "recipient_id", "way_id", "number"],
        postgresql_nulls_not_distinct=True,
    )
    op.execute(SENT_VIEW.format(each="recipient_id, way_id"))


def downgrade() -> None:
    op.execute(SENT_VIEW.format(each="recipient_id"))
    op.execute("DELETE FROM deliveries WHERE way_id IS NOT NULL")
    op.drop_constraint(UNIQUE, "deliveries", type_="unique")
    op.drop_column("deliveries", "way_id")
    op.drop_column("deliveries", "person_id")
    op.create_unique_constraint(UNIQUE, "deliveries", ["run_id", "recipient_id", "number"])
    op.drop_table("recipient_ways")
