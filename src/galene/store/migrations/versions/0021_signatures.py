"""signatures that a job had before it was opened again"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0021'
down_revision = '0020'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        'job', sa.Column('signatures', postgresql.JSONB(), nullable=False, server_default='[]')
    )
