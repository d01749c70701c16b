"""
Rounds that send their files by mail
"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("rounds", sa.Column("mail_to", sa.JSON(), nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("rounds", "mail_to")
