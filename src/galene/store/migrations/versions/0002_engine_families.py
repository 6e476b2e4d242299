"""engine families with versions and drafts, bulletins, bores of a look"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0002'
down_revision = '0001'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'family_version',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('family_id', sa.Text(), nullable=False),
        sa.Column('version', sa.Integer(), nullable=False),
        sa.Column('digest', sa.Text(), nullable=False),
        sa.Column('document', postgresql.JSONB(), nullable=False),
        sa.Column('note', sa.Text(), nullable=False),
        sa.Column('made_at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=True),
        sa.UniqueConstraint('family_id', 'version'),
    )
    op.create_table(
        'family',
        sa.Column('id', sa.Text(), primary_key=True),
        sa.Column('current_id', sa.Integer(), sa.ForeignKey('family_version.id'), nullable=True),
    )
    op.create_table(
        'family_draft',
        sa.Column('id', sa.BigInteger(), primary_key=True),
        sa.Column('family_id', sa.Text(), sa.ForeignKey('family.id'), nullable=False, index=True),
        sa.Column('document', postgresql.JSONB(), nullable=False),
        sa.Column('what', sa.Text(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
    )
    op.create_table(
        'bulletin',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('family_id', sa.Text(), nullable=True, index=True),
        sa.Column('vehicle_id', sa.Integer(), sa.ForeignKey('vehicle.id'), nullable=True, index=True),
        sa.Column('kind', sa.Text(), nullable=False),
        sa.Column('title', sa.Text(), nullable=False),
        sa.Column('source', sa.Text(), nullable=False),
        sa.Column('outcome', sa.Text(), nullable=False),
        sa.Column('checked_at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('checked_by_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
        sa.CheckConstraint('(family_id is null) <> (vehicle_id is null)', name='bulletin_for_one'),
    )
    op.add_column('job', sa.Column('family_version_id', sa.Integer(), sa.ForeignKey('family_version.id'), nullable=True))
    op.create_index('job_finished', 'job', ['state', 'finished_at'])
    op.add_column('look', sa.Column('bores', postgresql.JSONB(), nullable=False, server_default='[]'))
    op.add_column('look', sa.Column('open_area_percent', sa.Double(), nullable=True))


def downgrade() -> None:
    op.drop_column('look', 'open_area_percent')
    op.drop_column('look', 'bores')
    op.drop_index('job_finished', table_name='job')
    op.drop_column('job', 'family_version_id')
    op.drop_table('bulletin')
    op.drop_table('family_draft')
    op.drop_table('family')
    op.drop_table('family_version')
