"""
Rhythms of any kind, and the days on which the house does not work
"""

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("rounds", sa.Column("rhythm", sa.JSON(), nullable=True))
    op.execute(
        """
        UPDATE rounds SET rhythm = (CASE beat
            WHEN 'daily' THEN jsonb_build_object('every', 'day')
            WHEN 'weekdays' THEN jsonb_build_object('every', 'week', 'weekdays', jsonb_build_array(0, 1, 2, 3, 4))
            ELSE jsonb_build_object('every', 'week', 'weekdays', jsonb_build_array(day)) END
            || jsonb_build_object('times', jsonb_build_array(to_char(at, 'HH24:MI'))))::json
        """
    )
    op.alter_column("rounds", "rhythm", nullable=False)
    for column in ("beat", "day", "at"):
        op.drop_column("rounds", column)
    op.create_table(
        "house",
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("value", sa.JSON(), nullable=False),
        sa.Column("changed_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("name", name=op.f("pk_house")),
    )


def downgrade() -> None:
    op.drop_table("house")
    op.add_column("rounds", sa.Column("beat", sa.Text(), nullable=False, server_default="daily"))
    op.add_column("rounds", sa.Column("day", sa.BigInteger(), nullable=False, server_default="0"))
    op.add_column("rounds", sa.Column("at", sa.Time(), nullable=False, server_default="06:00"))
    op.execute(
        """
        UPDATE rounds SET at = coalesce((rhythm -> 'times' ->> 0)::time, '06:00'),
            beat = CASE WHEN rhythm ->> 'every' <> 'week' THEN 'daily'
                WHEN json_array_length(rhythm -> 'weekdays') = 1 THEN 'weekly' ELSE 'weekdays' END,
            day = coalesce((rhythm -> 'weekdays' ->> 0)::bigint, 0)
        """
    )
    for column in ("beat", "day", "at"):
        op.alter_column("rounds", column, server_default=None)
    op.drop_column("rounds", "rhythm")
