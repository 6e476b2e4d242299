"""minutes that steps took, and by which figures a plan is priced"""

import sqlalchemy as sa
from alembic import op

revision = '0014'
down_revision = '0013'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'step_time',
        sa.Column('job_id', sa.Integer(), sa.ForeignKey('job.id'), primary_key=True),
        sa.Column('position', sa.Integer(), primary_key=True),
        sa.Column('family_id', sa.Text(), nullable=False),
        sa.Column('step_id', sa.Text(), nullable=False),
        sa.Column('title', sa.Text(), nullable=False),
        sa.Column('book', sa.Double(), nullable=False),
        sa.Column('minutes', sa.Double(), nullable=True),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=True),
    )
    op.create_index('step_time_family', 'step_time', ['family_id', 'step_id'])
    op.add_column(
        'workshop', sa.Column('minutes_by', sa.Text(), nullable=False, server_default='book')
    )
