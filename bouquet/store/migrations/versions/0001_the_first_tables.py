"""
The first tables
"""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "people",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("email", sa.Text(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("roles", sa.JSON(), nullable=False),
        sa.Column("password_hash", sa.Text(), nullable=False),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_people")),
        sa.UniqueConstraint("email", name=op.f("uq_people_email")),
    )
    op.create_table(
        "sign_ins",
        sa.Column("token_digest", sa.Text(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("expires_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(
            ["person_id"], ["people.id"], name=op.f("fk_sign_ins_person_id_people"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("token_digest", name=op.f("pk_sign_ins")),
    )
    op.create_table(
        "templates",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("owner_id", sa.BigInteger(), nullable=False),
        sa.Column("draft", sa.JSON(), nullable=False),
        sa.Column("draft_revision", sa.BigInteger(), nullable=False),
        sa.Column("draft_changed_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("draft_changed_by", sa.BigInteger(), nullable=False),
        sa.Column("version", sa.BigInteger(), nullable=False),
        sa.Column("sentence", sa.Text(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["draft_changed_by"], ["people.id"], name=op.f("fk_templates_draft_changed_by_people")),
        sa.ForeignKeyConstraint(["owner_id"], ["people.id"], name=op.f("fk_templates_owner_id_people")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_templates")),
    )
    op.create_index(
        "uq_templates_name",
        "templates",
        [sa.literal_column("lower(name)")],
        unique=True,
        postgresql_where=sa.text("deleted_at IS NULL"),
    )
    op.create_table(
        "rounds",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("template_id", sa.BigInteger(), nullable=False),
        sa.Column("beat", sa.Text(), nullable=False),
        sa.Column("day", sa.BigInteger(), nullable=False),
        sa.Column("at", sa.Time(), nullable=False),
        sa.Column("zone", sa.Text(), nullable=False),
        sa.Column("folder", sa.Text(), nullable=False),
        sa.Column("format", sa.Text(), nullable=False),
        sa.Column("paused", sa.Boolean(), nullable=False),
        sa.Column("next_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("created_by", sa.BigInteger(), nullable=False),
        sa.Column("deleted_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["created_by"], ["people.id"], name=op.f("fk_rounds_created_by_people")),
        sa.ForeignKeyConstraint(["template_id"], ["templates.id"], name=op.f("fk_rounds_template_id_templates")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_rounds")),
    )
    op.create_table(
        "template_versions",
        sa.Column("template_id", sa.BigInteger(), nullable=False),
        sa.Column("number", sa.BigInteger(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("note", sa.Text(), nullable=False),
        sa.Column("saved_by", sa.BigInteger(), nullable=False),
        sa.Column("saved_at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["saved_by"], ["people.id"], name=op.f("fk_template_versions_saved_by_people")),
        sa.ForeignKeyConstraint(
            ["template_id"],
            ["templates.id"],
            name=op.f("fk_template_versions_template_id_templates"),
            ondelete="CASCADE",
        ),
        sa.PrimaryKeyConstraint("template_id", "number", name=op.f("pk_template_versions")),
    )
    op.create_table(
        "runs",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("template_id", sa.BigInteger(), nullable=True),
        sa.Column("version", sa.BigInteger(), nullable=True),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("document", sa.JSON(), nullable=False),
        sa.Column("format", sa.Text(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=True),
        sa.Column("asked_by", sa.Text(), nullable=False),
        sa.Column("via", sa.Text(), nullable=False),
        sa.Column("round_id", sa.BigInteger(), nullable=True),
        sa.Column("as_of", sa.DateTime(timezone=True), nullable=False),
        sa.Column("status", sa.Text(), nullable=False),
        sa.Column("attempt", sa.BigInteger(), nullable=False),
        sa.Column("stage", sa.Text(), nullable=False),
        sa.Column("rows_announced", sa.BigInteger(), nullable=True),
        sa.Column("rows_written", sa.BigInteger(), nullable=False),
        sa.Column("cancel_requested", sa.Boolean(), nullable=False),
        sa.Column("error", sa.JSON(), nullable=True),
        sa.Column("slip", sa.JSON(), nullable=True),
        sa.Column("asked_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("started_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("seen_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("finished_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("delivered_to", sa.Text(), nullable=True),
        sa.Column("idempotency_key", sa.Text(), nullable=True),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_runs_person_id_people")),
        sa.ForeignKeyConstraint(["round_id"], ["rounds.id"], name=op.f("fk_runs_round_id_rounds")),
        sa.ForeignKeyConstraint(["template_id"], ["templates.id"], name=op.f("fk_runs_template_id_templates")),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_runs")),
        sa.UniqueConstraint("person_id", "idempotency_key", name=op.f("uq_runs_person_id")),
    )
    op.create_index(op.f("ix_runs_asked_at"), "runs", ["asked_at"], unique=False)
    op.create_index(op.f("ix_runs_status"), "runs", ["status"], unique=False)
    op.create_index(op.f("ix_runs_template_id"), "runs", ["template_id"], unique=False)
    op.create_table(
        "notices",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("person_id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("text", sa.Text(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("read_at", sa.DateTime(timezone=True), nullable=True),
        sa.ForeignKeyConstraint(["person_id"], ["people.id"], name=op.f("fk_notices_person_id_people")),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_notices_run_id_runs"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_notices")),
        sa.UniqueConstraint("person_id", "run_id", name=op.f("uq_notices_person_id")),
    )
    op.create_index(op.f("ix_notices_person_id"), "notices", ["person_id"], unique=False)
    op.create_table(
        "occurrences",
        sa.Column("round_id", sa.BigInteger(), nullable=False),
        sa.Column("planned_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=True),
        sa.Column("note", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(
            ["round_id"], ["rounds.id"], name=op.f("fk_occurrences_round_id_rounds"), ondelete="CASCADE"
        ),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_occurrences_run_id_runs")),
        sa.PrimaryKeyConstraint("round_id", "planned_at", name=op.f("pk_occurrences")),
    )
    op.create_table(
        "run_files",
        sa.Column("id", sa.BigInteger(), nullable=False),
        sa.Column("run_id", sa.BigInteger(), nullable=False),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("path", sa.Text(), nullable=False),
        sa.Column("media_type", sa.Text(), nullable=False),
        sa.Column("size", sa.BigInteger(), nullable=False),
        sa.Column("rows", sa.BigInteger(), nullable=False),
        sa.Column("sha256", sa.Text(), nullable=False),
        sa.ForeignKeyConstraint(["run_id"], ["runs.id"], name=op.f("fk_run_files_run_id_runs"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_run_files")),
    )
    op.create_index(op.f("ix_run_files_run_id"), "run_files", ["run_id"], unique=False)
