"""
The newest runs of a template or round are found without reading the others.
"""

from alembic import op

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None

_OF = ("template_id", "round_id")


def upgrade() -> None:
    for column in _OF:
        op.create_index(f"ix_runs_{column}_id", "runs", [column, "id"])
        op.drop_index(f"ix_runs_{column}", "runs")


def downgrade() -> None:
    for column in _OF:
        op.create_index(f"ix_runs_{column}", "runs", [column])
        op.drop_index(f"ix_runs_{column}_id", "runs")
