"""
Each recipient of a round has a memory of their own: what arrived with one of them says nothing of the others.
"""

import sqlalchemy as sa
from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None

number = sa.BigInteger()

#: By table, what its rows are known by besides the recipient.
KEYS = {
    "remembered": ("template_id", "round_id", "key"),
    "remembering": ("run_id", "key"),
    "sent_keys": ("run_id", "records"),
}

#: That a round `o` gives everybody their own part: it has one memory for all, as before.
OWN_PART = "o.own_part IS NOT NULL"

#: That a round `o` also puts its files into a folder, or mails them: that has a memory, too.
OTHERWISE = "o.folder <> '' OR o.mail_to::text <> '[]'"


def upgrade() -> None:
    for table, columns in KEYS.items():
        op.add_column(table, sa.Column("recipient_id", number, nullable=False, server_default="0"))
        op.drop_constraint(f"pk_{table}", table)
        op.create_primary_key(f"pk_{table}", table, [*columns[:-1], "recipient_id", columns[-1]])
    op.add_column("memory_changes", sa.Column("recipient_id", number, nullable=False, server_default="0"))
    op.add_column("round_recipients", sa.Column("only", sa.Text(), nullable=True))
    values = "'everything', 'new', 'new_or_changed'"
    op.create_check_constraint("only", "round_recipients", f'"only" IN ({values})')
    op.execute(
        "INSERT INTO remembered (template_id, round_id, recipient_id, key, row, sent_at, run_id, texts)"
        " SELECT m.template_id, m.round_id, r.recipient_id, m.key, m.row, m.sent_at, m.run_id, m.texts"
        " FROM remembered m JOIN rounds o ON o.id = m.round_id JOIN round_recipients r ON r.round_id = o.id"
        f" WHERE NOT ({OWN_PART})"
    )
    op.execute(
        "INSERT INTO remembering (run_id, recipient_id, key, row, texts, gone)"
        " SELECT m.run_id, r.recipient_id, m.key, m.row, m.texts, m.gone FROM remembering m"
        " JOIN runs n ON n.id = m.run_id JOIN rounds o ON o.id = n.round_id"
        f" JOIN round_recipients r ON r.round_id = o.id WHERE NOT ({OWN_PART})"
    )
    theirs = f"EXISTS (SELECT FROM round_recipients r WHERE r.round_id = o.id) AND NOT ({OWN_PART} OR {OTHERWISE})"
    op.execute(f"DELETE FROM remembered m USING rounds o WHERE o.id = m.round_id AND m.recipient_id = 0 AND {theirs}")
    op.execute(
        "DELETE FROM remembering m USING runs n, rounds o"
        f" WHERE n.id = m.run_id AND o.id = n.round_id AND m.recipient_id = 0 AND {theirs}"
    )


def downgrade() -> None:
    # Who got something and who did not cannot be told apart any more: what arrived with anybody counts as sent.
    for table, columns in KEYS.items():
        same = " AND ".join(f"a.{c} = b.{c}" for c in columns)
        op.execute(f"DELETE FROM {table} a USING {table} b WHERE {same} AND a.recipient_id < b.recipient_id")
        op.drop_constraint(f"pk_{table}", table)
        op.drop_column(table, "recipient_id")
        op.create_primary_key(f"pk_{table}", table, list(columns))
    op.drop_constraint("only", "round_recipients")
    op.drop_column("round_recipients", "only")
    op.drop_column("memory_changes", "recipient_id")
