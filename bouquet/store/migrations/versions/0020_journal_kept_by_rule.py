"""
What is older than the house's rule leaves the journal, whole seals at a time; its seals stay. The database itself lets
nothing go that is younger than a year, or has an older seal before it.
"""

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None

number, moment = sa.BigInteger(), sa.DateTime(timezone=True)

RETIRES = """
CREATE FUNCTION journal_retires() RETURNS trigger LANGUAGE plpgsql AS
$$ BEGIN
    IF EXISTS (SELECT 1 FROM journal_seals WHERE id = NEW.seal_id AND at > now() - interval '365 days')
        OR EXISTS (
            SELECT 1 FROM journal_seals s WHERE s.id < NEW.seal_id
            AND NOT EXISTS (SELECT 1 FROM journal_retired r WHERE r.seal_id = s.id)
        )
    THEN
        RAISE EXCEPTION 'The journal keeps a year, and lets go of its beginning only.'
            USING ERRCODE = 'insufficient_privilege';
    END IF;
    RETURN NEW;
END $$
"""

DROPS = """
CREATE FUNCTION journal_drops() RETURNS trigger LANGUAGE plpgsql AS
$$ BEGIN
    IF NOT EXISTS (
        SELECT 1 FROM journal_retired r JOIN journal_sealed s ON s.seal_id = r.seal_id
        WHERE s.entry_id = (to_jsonb(OLD) ->> TG_ARGV[0])::bigint
    ) THEN
        RAISE EXCEPTION 'The journal is only added to.' USING ERRCODE = 'insufficient_privilege';
    END IF;
    RETURN OLD;
END $$
"""

#: Tables of which rows go with their seal, and the column that names the entry.
DROPPED = {"journal": "id", "journal_sealed": "entry_id"}

FOREIGN = "fk_journal_sealed_entry_id_journal"


def upgrade() -> None:
    op.create_table(
        "journal_retired",
        sa.Column("seal_id", number, nullable=False),
        sa.Column("at", moment, nullable=False),
        sa.PrimaryKeyConstraint("seal_id", name="pk_journal_retired"),
        sa.ForeignKeyConstraint(["seal_id"], ["journal_seals.id"], name="fk_journal_retired_seal_id_journal_seals"),
    )
    op.execute(RETIRES)
    op.execute(DROPS)
    _keep("journal_retired", "UPDATE OR DELETE OR TRUNCATE")
    op.execute(
        "CREATE TRIGGER journal_retired_is_old BEFORE INSERT ON journal_retired"
        " FOR EACH ROW EXECUTE FUNCTION journal_retires()"
    )
    for table, column in DROPPED.items():
        op.execute(f"DROP TRIGGER {table}_is_kept ON {table}")
        _keep(table, "UPDATE OR TRUNCATE")
        op.execute(
            f"CREATE TRIGGER {table}_is_retired BEFORE DELETE ON {table}"
            f" FOR EACH ROW EXECUTE FUNCTION journal_drops('{column}')"
        )
    op.drop_constraint(FOREIGN, "journal_sealed", type_="foreignkey")
    op.create_foreign_key(FOREIGN, "journal_sealed", "journal", ["entry_id"], ["id"], ondelete="CASCADE")


def downgrade() -> None:
    op.drop_constraint(FOREIGN, "journal_sealed", type_="foreignkey")
    op.create_foreign_key(FOREIGN, "journal_sealed", "journal", ["entry_id"], ["id"])
    for table in DROPPED:
        op.execute(f"DROP TRIGGER {table}_is_retired ON {table}")
        op.execute(f"DROP TRIGGER {table}_is_kept ON {table}")
        _keep(table, "UPDATE OR DELETE OR TRUNCATE")
    op.drop_table("journal_retired")
    op.execute("DROP FUNCTION journal_drops()")
    op.execute("DROP FUNCTION journal_retires()")


def _keep(table: str, acts: str) -> None:
    op.execute(
        f"CREATE TRIGGER {table}_is_kept BEFORE {acts} ON {table} FOR EACH STATEMENT EXECUTE FUNCTION journal_is_kept()"
    )
