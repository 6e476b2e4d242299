"""the card as a plan: what a card holds beside its steps, parts in stock and reserved"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0009'
down_revision = '0008'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column('job', sa.Column('card', postgresql.JSONB(), nullable=False, server_default='{}'))
    # A card that was in work keeps its steps; its round began at the first of them.
    op.create_table(
        'spare_stock',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('number', sa.Text(), nullable=False, unique=True),
        sa.Column('name', sa.Text(), nullable=False),
        sa.Column('pieces', sa.Integer(), nullable=False, server_default='0'),
        sa.Column('place', sa.Text(), nullable=False, server_default=''),
        sa.Column('least', sa.Integer(), nullable=False, server_default='0'),
        sa.Column('revision', sa.Integer(), nullable=False, server_default='1'),
    )
    op.create_table(
        'spare_reserved',
        sa.Column('job_id', sa.Integer(), sa.ForeignKey('job.id'), primary_key=True),
        sa.Column('number', sa.Text(), primary_key=True),
        sa.Column('pieces', sa.Integer(), nullable=False, server_default='1'),
        sa.Column('taken_at', sa.DateTime(timezone=True), nullable=True),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
    )
