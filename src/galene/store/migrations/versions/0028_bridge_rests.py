"""how long a bridge said that it rests before it speaks again"""

import sqlalchemy as sa
from alembic import op

revision = "0028"
down_revision = "0027"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("bridge", sa.Column("rests_s", sa.Float(), nullable=False, server_default="0"))
    op.alter_column("bridge", "rests_s", server_default=None)
