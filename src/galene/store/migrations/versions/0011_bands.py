"""known-good bands out of own work: one sample a job and quantity"""

import sqlalchemy as sa
from alembic import op

revision = '0011'
down_revision = '0010'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'band_sample',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('family_id', sa.Text(), nullable=False),
        sa.Column('metric', sa.Text(), nullable=False),
        sa.Column('value', sa.Double(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('job_id', sa.Integer(), sa.ForeignKey('job.id'), nullable=True),
        sa.Column('source', sa.Text(), nullable=False),
        sa.Column('set_aside_at', sa.DateTime(timezone=True), nullable=True),
        sa.Column('set_aside_why', sa.Text(), nullable=False, server_default=''),
        sa.Column('set_aside_by_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=True),
        sa.UniqueConstraint('job_id', 'metric'),
        sa.UniqueConstraint('family_id', 'metric', 'at', 'value', 'source'),
    )
    op.create_index('band_sample_family', 'band_sample', ['family_id', 'metric'])
