"""
A recipient may be for some people and groups only, and a list of records may be kept by some beside its owner.
"""

import sqlalchemy as sa
from alembic import op

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("recipients", sa.Column("for_all", sa.Boolean(), nullable=False, server_default=sa.true()))
    op.add_column("recipients", sa.Column("shared_with", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("picks", sa.Column("shared_with", sa.JSON(), nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("picks", "shared_with")
    op.drop_column("recipients", "shared_with")
    op.drop_column("recipients", "for_all")
