"""
Answers of runs, saved lists of records, and what a person's rights leave of the source
"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("people", sa.Column("scope", sa.JSON(none_as_null=True), nullable=True))
    op.add_column("runs", sa.Column("answers", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("runs", sa.Column("scope", sa.JSON(none_as_null=True), nullable=True))
    op.create_table(
        "picks",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("records", sa.Text(), nullable=False),
        sa.Column("keys", sa.JSON(), nullable=False),
        sa.Column("owner_id", sa.BigInteger(), nullable=False),
        sa.Column("changed_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["owner_id"], ["people.id"], name=op.f("fk_picks_owner_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_picks")),
    )
    op.create_index("uq_picks_name", "picks", [sa.text("lower(name)")], unique=True)


def downgrade() -> None:
    op.drop_table("picks")
    op.drop_column("runs", "scope")
    op.drop_column("runs", "answers")
    op.drop_column("people", "scope")
