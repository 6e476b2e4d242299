"""templates of steps and relearns that the workshop has changed"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0007'
down_revision = '0006'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'template_version',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('kind', sa.Text(), nullable=False),
        sa.Column('template_id', sa.Text(), nullable=False),
        sa.Column('family_id', sa.Text(), nullable=False),
        sa.Column('version', sa.Integer(), nullable=False),
        sa.Column('document', postgresql.JSONB(), nullable=True),
        sa.Column('note', sa.Text(), nullable=False),
        sa.Column('made_at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
        sa.UniqueConstraint('kind', 'template_id', 'family_id', 'version'),
    )


def downgrade() -> None:
    op.drop_table('template_version')
