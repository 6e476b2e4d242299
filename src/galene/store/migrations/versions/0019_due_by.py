"""whether a part is due by its grade or by what waiting costs"""

import sqlalchemy as sa
from alembic import op

revision = '0019'
down_revision = '0018'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        'workshop', sa.Column('due_by', sa.Text(), nullable=False, server_default='grade')
    )
