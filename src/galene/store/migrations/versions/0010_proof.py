"""the proof: checks run again after the work, monitors, what was proven when it was signed"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0010'
down_revision = '0009'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        'check_result', sa.Column('phase', sa.Text(), nullable=False, server_default='before')
    )
    op.add_column('job', sa.Column('monitors_ready', sa.Boolean(), nullable=True))
    op.add_column(
        'job', sa.Column('proof', postgresql.JSONB(), nullable=False, server_default='{}')
    )
