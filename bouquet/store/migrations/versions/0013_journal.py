"""
The journal: entries that nothing changes, and the seals that chain them. Sessions that can be listed, and end when
nobody uses them.
"""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None

number, text, moment = sa.BigInteger(), sa.Text(), sa.DateTime(timezone=True)

REFUSE = """
CREATE FUNCTION journal_is_kept() RETURNS trigger LANGUAGE plpgsql AS
$$ BEGIN RAISE EXCEPTION 'The journal is only added to.' USING ERRCODE = 'insufficient_privilege'; END $$
"""

TABLES = ("journal", "journal_seals", "journal_sealed")


def upgrade() -> None:
    op.add_column("sign_ins", sa.Column("number", number, sa.Identity(), nullable=False))
    op.create_unique_constraint("uq_sign_ins_number", "sign_ins", ["number"])
    op.add_column("sign_ins", sa.Column("created_at", moment, nullable=True))
    op.add_column("sign_ins", sa.Column("seen_at", moment, nullable=True))
    op.add_column("sign_ins", sa.Column("address", text, nullable=False, server_default=""))
    op.add_column("sign_ins", sa.Column("agent", text, nullable=False, server_default=""))
    op.create_table(
        "journal",
        sa.Column("id", number, nullable=False, autoincrement=True),
        sa.Column("at", moment, nullable=False),
        sa.Column("person_id", number, nullable=True),
        sa.Column("who", text, nullable=False),
        sa.Column("via", text, nullable=False),
        sa.Column("address", text, nullable=False, server_default=""),
        sa.Column("act", text, nullable=False),
        sa.Column("thing", text, nullable=False, server_default=""),
        sa.Column("thing_id", text, nullable=False, server_default=""),
        sa.Column("name", text, nullable=False, server_default=""),
        sa.Column("facts", sa.JSON(), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_journal"),
    )
    op.create_index("ix_journal_at", "journal", ["at"])
    op.create_index("ix_journal_person_id", "journal", ["person_id"])
    op.create_index("ix_journal_thing", "journal", ["thing", "thing_id"])
    op.create_table(
        "journal_seals",
        sa.Column("id", number, nullable=False, autoincrement=True),
        sa.Column("at", moment, nullable=False),
        sa.Column("entries", number, nullable=False),
        sa.Column("previous", text, nullable=False),
        sa.Column("digest", text, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_journal_seals"),
    )
    op.create_table(
        "journal_sealed",
        sa.Column("entry_id", number, nullable=False),
        sa.Column("seal_id", number, nullable=False),
        sa.PrimaryKeyConstraint("entry_id", name="pk_journal_sealed"),
        sa.ForeignKeyConstraint(["entry_id"], ["journal.id"], name="fk_journal_sealed_entry_id_journal"),
        sa.ForeignKeyConstraint(["seal_id"], ["journal_seals.id"], name="fk_journal_sealed_seal_id_journal_seals"),
    )
    op.create_index("ix_journal_sealed_seal_id", "journal_sealed", ["seal_id"])
    op.execute(REFUSE)
    for table in TABLES:
        op.execute(
            f"CREATE TRIGGER {table}_is_kept BEFORE UPDATE OR DELETE OR TRUNCATE ON {table}"
            " FOR EACH STATEMENT EXECUTE FUNCTION journal_is_kept()"
        )


def downgrade() -> None:
    for table in reversed(TABLES):
        op.drop_table(table)
    op.execute("DROP FUNCTION journal_is_kept()")
    for column in ("agent", "address", "seen_at", "created_at", "number"):
        op.drop_column("sign_ins", column)
