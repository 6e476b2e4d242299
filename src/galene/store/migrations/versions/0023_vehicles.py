"""vehicles that are changed, merged and retired; the plates that they had"""

import sqlalchemy as sa
from alembic import op

revision = '0023'
down_revision = '0022'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('vehicle', sa.Column('contact', sa.Text(), nullable=False, server_default=''))
    op.add_column('vehicle', sa.Column('retired_at', sa.DateTime(timezone=True), nullable=True))
    op.add_column('vehicle', sa.Column('revision', sa.Integer(), nullable=False, server_default='1'))
    op.create_table(
        'former_plate',
        sa.Column('plate_key', sa.Text(), primary_key=True),
        sa.Column('plate', sa.Text(), nullable=False),
        sa.Column('vehicle_id', sa.Integer(), sa.ForeignKey('vehicle.id'), nullable=False),
        sa.Column('until', sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index('ix_former_plate_vehicle_id', 'former_plate', ['vehicle_id'])
