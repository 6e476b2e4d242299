"""fills of fuel by vehicle, and what a litre costs"""

import sqlalchemy as sa
from alembic import op

revision = '0015'
down_revision = '0014'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'fuel_fill',
        sa.Column('id', sa.BigInteger(), primary_key=True),
        sa.Column('vehicle_id', sa.Integer(), sa.ForeignKey('vehicle.id'), nullable=False),
        sa.Column('day', sa.Date(), nullable=False),
        sa.Column('litres', sa.Double(), nullable=False),
        sa.Column('km', sa.Double(), nullable=True),
        sa.Column('hours', sa.Double(), nullable=True),
        sa.Column('full', sa.Boolean(), nullable=False),
        sa.Column('load', sa.Text(), nullable=False, server_default=''),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
        sa.UniqueConstraint('vehicle_id', 'km'),
        sa.UniqueConstraint('vehicle_id', 'hours'),
    )
    op.create_index('fuel_fill_vehicle', 'fuel_fill', ['vehicle_id', 'day'])
    op.add_column('workshop', sa.Column('fuel_price', sa.Double(), nullable=True))
