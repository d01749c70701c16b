"""
Groups of people, codes as a second step of signing in, sign-in by the house's own service, links for who is invited or
forgot a password, and with whom templates are shared.
"""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None

number, text, moment = sa.BigInteger(), sa.Text(), sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "groups",
        sa.Column("id", number, nullable=False, autoincrement=True),
        sa.Column("name", text, nullable=False),
        sa.Column("meaning", text, nullable=False, server_default=""),
        sa.Column("roles", sa.JSON(), nullable=False),
        sa.Column("scope", sa.JSON(none_as_null=True), nullable=True),
        sa.Column("claim", text, nullable=False, server_default=""),
        sa.PrimaryKeyConstraint("id", name="pk_groups"),
    )
    op.create_index("uq_groups_name", "groups", [sa.text("lower(name)")], unique=True)
    op.create_table(
        "group_members",
        sa.Column("group_id", number, nullable=False),
        sa.Column("person_id", number, nullable=False),
        sa.Column("by_claim", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.PrimaryKeyConstraint("group_id", "person_id", name="pk_group_members"),
        sa.ForeignKeyConstraint(
            ["group_id"], ["groups.id"], name="fk_group_members_group_id_groups", ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name="fk_group_members_person_id_people", ondelete="CASCADE"
        ),
    )
    op.create_index("ix_group_members_person_id", "group_members", ["person_id"])
    op.create_table(
        "person_links",
        sa.Column("digest", text, nullable=False),
        sa.Column("person_id", number, nullable=False),
        sa.Column("what_for", text, nullable=False),
        sa.Column("expires_at", moment, nullable=False),
        sa.PrimaryKeyConstraint("digest", name="pk_person_links"),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name="fk_person_links_person_id_people", ondelete="CASCADE"
        ),
        sa.CheckConstraint("what_for IN ('invite', 'recover')", name="what_for"),
    )
    op.create_index("ix_person_links_person_id", "person_links", ["person_id"])
    op.add_column("people", sa.Column("own_roles", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("people", sa.Column("own_scope", sa.JSON(none_as_null=True), nullable=True))
    op.add_column("people", sa.Column("as_groups", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("people", sa.Column("group_ids", sa.JSON(), nullable=False, server_default="[]"))
    op.execute("UPDATE people SET own_roles = roles, own_scope = scope")
    op.add_column("people", sa.Column("codes_sealed", text, nullable=False, server_default=""))
    op.add_column("people", sa.Column("codes_used", number, nullable=False, server_default="0"))
    op.add_column("people", sa.Column("spare_codes", sa.JSON(), nullable=False, server_default="[]"))
    op.add_column("people", sa.Column("subject", text, nullable=True))
    op.create_unique_constraint("uq_people_subject", "people", ["subject"])
    op.add_column("templates", sa.Column("shared_with", sa.JSON(), nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("templates", "shared_with")
    for column in (
        "subject",
        "spare_codes",
        "codes_used",
        "codes_sealed",
        "group_ids",
        "as_groups",
        "own_scope",
        "own_roles",
    ):
        op.drop_column("people", column)
    for table in ("person_links", "group_members", "groups"):
        op.drop_table(table)
