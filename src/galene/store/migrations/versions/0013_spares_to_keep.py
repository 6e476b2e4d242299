"""a part's price, its days until it comes and what is on order; a day off the road"""

import sqlalchemy as sa
from alembic import op

revision = '0013'
down_revision = '0012'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('spare_stock', sa.Column('price', sa.Double(), nullable=True))
    op.add_column('spare_stock', sa.Column('lead_days', sa.Double(), nullable=True))
    op.add_column(
        'spare_stock', sa.Column('on_order', sa.Integer(), nullable=False, server_default='0')
    )
    op.add_column('spare_stock', sa.Column('ordered_at', sa.DateTime(timezone=True), nullable=True))
    op.add_column(
        'spare_stock', sa.Column('expected_on', sa.DateTime(timezone=True), nullable=True)
    )
    op.add_column(
        'workshop', sa.Column('off_road_per_day', sa.Double(), nullable=False, server_default='180')
    )
