"""logs of scan tools and data loggers, and what their columns stood for"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0004'
down_revision = '0003'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'log_file',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('job_id', sa.Integer(), sa.ForeignKey('job.id'), nullable=False),
        sa.Column('name', sa.Text(), nullable=False),
        sa.Column('kind', sa.Text(), nullable=False),
        sa.Column('digest', sa.Text(), nullable=False),
        sa.Column('rows', sa.Integer(), nullable=False),
        sa.Column('columns', postgresql.JSONB(), nullable=False),
        sa.Column('remarks', postgresql.ARRAY(sa.Text()), nullable=False),
        sa.Column('heading_key', sa.Text(), nullable=False),
        sa.Column('mapping', postgresql.JSONB(), nullable=False),
        sa.Column('mapped', sa.Boolean(), nullable=False),
        sa.Column('stretches', postgresql.JSONB(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
        sa.UniqueConstraint('job_id', 'digest'),
    )
    op.create_table(
        'log_values',
        sa.Column('log_id', sa.Integer(), sa.ForeignKey('log_file.id', ondelete='CASCADE'), primary_key=True),
        sa.Column('position', sa.Integer(), primary_key=True),
        sa.Column('data', sa.LargeBinary(), nullable=False),
    )
    # Deflated already: the server need not try again.
    op.execute('ALTER TABLE log_values ALTER COLUMN data SET STORAGE EXTERNAL')
    op.create_table(
        'log_mapping',
        sa.Column('heading_key', sa.Text(), primary_key=True),
        sa.Column('mapping', postgresql.JSONB(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
    )


def downgrade() -> None:
    op.drop_table('log_mapping')
    op.drop_table('log_values')
    op.drop_table('log_file')
