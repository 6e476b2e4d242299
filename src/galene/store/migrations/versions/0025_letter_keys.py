"""Whether letters are commands, by person."""

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "person", sa.Column("letter_keys", sa.Boolean(), server_default=sa.true(), nullable=False)
    )

