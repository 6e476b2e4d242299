"""backups that were made or failed"""

import sqlalchemy as sa
from alembic import op

revision = '0022'
down_revision = '0021'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        'backup_run',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('began_at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('ended_at', sa.DateTime(timezone=True), nullable=True),
        sa.Column('file', sa.Text(), nullable=False, server_default=''),
        sa.Column('bytes', sa.BigInteger(), nullable=False, server_default='0'),
        sa.Column('fault', sa.Text(), nullable=False, server_default=''),
        sa.Column('nightly', sa.Boolean(), nullable=False, server_default=sa.false()),
    )
    op.create_index('backup_run_ended', 'backup_run', ['ended_at'])
