"""calendars of what is due, each at a secret address that can be closed"""

import sqlalchemy as sa
from alembic import op

revision = '0012'
down_revision = '0011'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'calendar_feed',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('secret_hash', sa.Text(), nullable=False, unique=True),
        sa.Column('keeper', sa.Text(), nullable=False, server_default=''),
        sa.Column('made_at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('made_by_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
        sa.Column('closed_at', sa.DateTime(timezone=True), nullable=True),
    )
