"""
What limits people's acts: which templates they use, and where files may go.
"""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for table, column in (("people", "limits"), ("people", "own_limits"), ("groups", "limits")):
        op.add_column(table, sa.Column(column, sa.JSON(none_as_null=True), nullable=True))


def downgrade() -> None:
    for table, column in (("groups", "limits"), ("people", "own_limits"), ("people", "limits")):
        op.drop_column(table, column)
