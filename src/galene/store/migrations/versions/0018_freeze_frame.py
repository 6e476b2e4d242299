"""the frame that was stored with a code"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0018'
down_revision = '0017'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        'job_code', sa.Column('frame', postgresql.JSONB(), nullable=False, server_default='{}')
    )
