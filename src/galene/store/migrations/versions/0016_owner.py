"""addresses at which an owner reads one job, and what owners say there"""

import sqlalchemy as sa
from alembic import op

revision = '0016'
down_revision = '0015'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'owner_link',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('job_id', sa.Integer(), sa.ForeignKey('job.id'), nullable=False),
        sa.Column('secret_hash', sa.Text(), nullable=False, unique=True),
        sa.Column('made_at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('made_by_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
        sa.Column('expires_at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('closed_at', sa.DateTime(timezone=True), nullable=True),
        sa.Column('seen_at', sa.DateTime(timezone=True), nullable=True),
    )
    op.create_index('owner_link_job', 'owner_link', ['job_id'])
    op.create_table(
        'owner_word',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('link_id', sa.Integer(), sa.ForeignKey('owner_link.id'), nullable=False),
        sa.Column('once', sa.Text(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('kind', sa.Text(), nullable=False),
        sa.Column('name', sa.Text(), nullable=False),
        sa.Column('words', sa.Text(), nullable=False, server_default=''),
        sa.Column('plan_version', sa.Integer(), nullable=True),
        sa.Column('reply', sa.Text(), nullable=False, server_default=''),
        sa.Column('replied_at', sa.DateTime(timezone=True), nullable=True),
        sa.Column('replied_by_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=True),
        sa.UniqueConstraint('link_id', 'once'),
    )
