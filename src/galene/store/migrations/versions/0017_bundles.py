"""which jobs came in by a bundle, by their content"""

import sqlalchemy as sa
from alembic import op

revision = '0017'
down_revision = '0016'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'bundled_job',
        sa.Column('digest', sa.Text(), primary_key=True),
        sa.Column('job_id', sa.Integer(), sa.ForeignKey('job.id'), nullable=False),
        sa.Column('workshop', sa.Text(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
    )
