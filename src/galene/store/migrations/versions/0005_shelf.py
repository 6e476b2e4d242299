"""the shelf: products, lots, movements, sheets, overrides"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0005'
down_revision = '0004'
branch_labels = None
depends_on = None


def _when(name: str, nullable: bool = False) -> sa.Column:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=nullable)


def _who() -> sa.Column:
    return sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False)


def _product() -> sa.Column:
    return sa.Column('product_id', sa.Integer(), sa.ForeignKey('product.id'), nullable=False, index=True)


def upgrade() -> None:
    op.create_table(
        'product',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('name', sa.Text(), nullable=False, unique=True),
        sa.Column('class_id', sa.Text(), nullable=False),
        sa.Column('properties', postgresql.JSONB(), nullable=False),
        sa.Column('pictograms', postgresql.ARRAY(sa.Text()), nullable=False),
        sa.Column('statements', postgresql.ARRAY(sa.Text()), nullable=False),
        sa.Column('size_ml', sa.Double(), nullable=False),
        sa.Column('price', sa.Double(), nullable=False),
        sa.Column('place', sa.Text(), nullable=False),
        sa.Column('least_ml', sa.Double(), nullable=False),
        sa.Column('note', sa.Text(), nullable=False),
        _when('retired_at', True),
        sa.Column('revision', sa.Integer(), nullable=False),
    )
    op.create_table(
        'lot',
        sa.Column('id', sa.Integer(), primary_key=True),
        _product(),
        sa.Column('number', sa.Text(), nullable=False),
        _when('expires_on', True),
        _when('opened_at', True),
        sa.Column('left_ml', sa.Double(), nullable=False),
        _when('at'),
    )
    op.create_table(
        'movement',
        sa.Column('id', sa.BigInteger(), primary_key=True),
        _product(),
        sa.Column('job_id', sa.Integer(), sa.ForeignKey('job.id'), nullable=True, index=True),
        sa.Column('lot_id', sa.Integer(), sa.ForeignKey('lot.id'), nullable=True),
        sa.Column('step_key', sa.Text(), nullable=False),
        sa.Column('ml', sa.Double(), nullable=False),
        sa.Column('why', sa.Text(), nullable=False),
        _when('at'),
        _who(),
    )
    op.create_table(
        'sheet',
        sa.Column('id', sa.Integer(), primary_key=True),
        _product(),
        sa.Column('kind', sa.Text(), nullable=False),
        sa.Column('name', sa.Text(), nullable=False),
        sa.Column('media', sa.Text(), nullable=False),
        sa.Column('data', sa.LargeBinary(), nullable=False),
        _when('at'),
        _who(),
    )
    op.create_table(
        'override',
        sa.Column('id', sa.Integer(), primary_key=True),
        _product(),
        sa.Column('component', sa.Text(), nullable=False),
        sa.Column('way', sa.Text(), nullable=False),
        sa.Column('verdict', sa.Text(), nullable=False),
        sa.Column('source', sa.Text(), nullable=False),
        _when('at'),
        _who(),
        sa.UniqueConstraint('product_id', 'component', 'way'),
    )


def downgrade() -> None:
    for table in ('override', 'sheet', 'movement', 'lot', 'product'):
        op.drop_table(table)
