"""
A view may be shared with some people and groups.
"""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("views", sa.Column("shared_with", sa.JSON(), nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("views", "shared_with")
