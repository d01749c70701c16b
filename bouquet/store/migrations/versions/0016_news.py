"""
What is new for a person is said on a channel, so that nobody has to ask for it again and again.
"""

from alembic import op

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None

#: Tables whose rows name the person that they are news for, and the one that names a run of theirs.
OWN = ("runs", "notices")
OF_A_RUN = "run_files"


def upgrade() -> None:
    op.execute(
        """
        CREATE FUNCTION say_news() RETURNS trigger LANGUAGE plpgsql AS $$
        DECLARE whose bigint;
        BEGIN
            IF TG_TABLE_NAME = 'run_files' THEN
                SELECT person_id INTO whose FROM runs WHERE id = COALESCE(NEW.run_id, OLD.run_id);
            ELSE
                whose := COALESCE(NEW.person_id, OLD.person_id);
            END IF;
            IF whose IS NOT NULL THEN
                PERFORM pg_notify('bouquet_news', whose::text);
            END IF;
            RETURN NULL;
        END $$
        """
    )
    for table in (*OWN, OF_A_RUN):
        op.execute(
            f"CREATE TRIGGER say_news AFTER INSERT OR UPDATE OR DELETE ON {table} "
            "FOR EACH ROW EXECUTE FUNCTION say_news()"
        )


def downgrade() -> None:
    for table in (*OWN, OF_A_RUN):
        op.execute(f"DROP TRIGGER say_news ON {table}")
    op.execute("DROP FUNCTION say_news()")
