"""
Labels and standing of templates, pins, saved views, preferences
"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("people", sa.Column("preferences", sa.JSON(), nullable=False, server_default="{}"))
    op.add_column("templates", sa.Column("labels", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("templates", sa.Column("standing", sa.Text(), nullable=False, server_default="shared"))
    op.add_column("runs", sa.Column("purpose", sa.Text(), nullable=False, server_default=""))
    op.create_table(
        "pins",
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("template_id", sa.BigInteger(), nullable=False),
        sa.Column("pinned", sa.Boolean(), nullable=False),
        sa.Column("answers", sa.JSON(), nullable=False),
        sa.Column("format", sa.Text(), nullable=True),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_pins_person_id_people"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["template_id"], ["templates.id"], name=op.f("fk_pins_template_id_templates"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("person_id", "template_id", name=op.f("pk_pins")),
    )
    op.create_table(
        "views",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("records", sa.Text(), nullable=False),
        sa.Column("owner_id", sa.BigInteger(), nullable=False),
        sa.Column("shared", sa.Boolean(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("changed_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["owner_id"], ["people.id"], name=op.f("fk_views_owner_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_views")),
    )
    op.create_index("uq_views_name", "views", ["owner_id", "records", sa.text("lower(name)")], unique=True)


def downgrade() -> None:
    op.drop_table("views")
    op.drop_table("pins")
    op.drop_column("runs", "purpose")
    op.drop_column("templates", "standing")
    op.drop_column("templates", "labels")
    op.drop_column("people", "preferences")
