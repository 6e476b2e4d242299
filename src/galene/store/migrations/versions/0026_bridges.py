"""bridges, the codes that pair them, what they read and what they were asked to do"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import ARRAY, JSONB

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "bridge",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("secret_hash", sa.Text(), nullable=False, unique=True),
        sa.Column("name", sa.Text(), nullable=False),
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("job.id"), nullable=False),
        sa.Column("bay", sa.Text(), nullable=False),
        sa.Column("paired_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("paired_by_id", sa.Integer(), sa.ForeignKey("person.id"), nullable=False),
        sa.Column("seen_at", sa.DateTime(timezone=True)),
        sa.Column("last_seq", sa.BigInteger(), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("words", sa.Text(), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True)),
        sa.Column("ended_why", sa.Text(), nullable=False),
    )
    op.create_index("bridge_job", "bridge", ["job_id", "ended_at"])
    op.create_table(
        "pairing_code",
        sa.Column("code_hash", sa.Text(), primary_key=True),
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("job.id"), nullable=False, index=True),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("made_by_id", sa.Integer(), sa.ForeignKey("person.id"), nullable=False),
        sa.Column("until", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_table(
        "live_batch",
        sa.Column("bridge_id", sa.Integer(), sa.ForeignKey("bridge.id"), primary_key=True),
        sa.Column("seq", sa.BigInteger(), primary_key=True),
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("job.id"), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("state", sa.Text(), nullable=False),
        sa.Column("columns", ARRAY(sa.Text()), nullable=False),
        sa.Column("rows", JSONB(), nullable=False),
    )
    op.create_index("live_batch_job", "live_batch", ["job_id", "at"])
    op.create_table(
        "live_command",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("bridge_id", sa.Integer(), sa.ForeignKey("bridge.id"), nullable=False),
        sa.Column("job_id", sa.Integer(), sa.ForeignKey("job.id"), nullable=False),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id"), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("do", sa.Text(), nullable=False),
        sa.Column("fields", JSONB(), nullable=False),
        sa.Column("began_at", sa.DateTime(timezone=True)),
        sa.Column("answered_at", sa.DateTime(timezone=True)),
        sa.Column("answer", JSONB()),
    )
    op.create_index("live_command_job", "live_command", ["job_id"])
