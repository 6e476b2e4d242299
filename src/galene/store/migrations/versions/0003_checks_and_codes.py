"""kept results of checks; the workshop's own words for makers' codes"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0003'
down_revision = '0002'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'check_result',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('job_id', sa.Integer(), sa.ForeignKey('job.id'), nullable=False, index=True),
        sa.Column('check_id', sa.Text(), nullable=False),
        sa.Column('given', postgresql.JSONB(), nullable=False),
        sa.Column('result', postgresql.JSONB(), nullable=False),
        sa.Column('said', postgresql.JSONB(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
    )
    op.create_table(
        'maker_code',
        sa.Column('code', sa.Text(), primary_key=True),
        sa.Column('text', sa.Text(), nullable=False),
        sa.Column('evidence', sa.Text(), nullable=True),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
    )


def downgrade() -> None:
    op.drop_table('maker_code')
    op.drop_table('check_result')
