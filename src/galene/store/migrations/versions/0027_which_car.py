"""the number by which a job's car names itself, and that of another one on its line"""

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None


def upgrade() -> None:
    for name in ("serial", "stranger"):
        op.add_column("bridge", sa.Column(name, sa.Text(), nullable=False, server_default=""))
        op.alter_column("bridge", name, server_default=None)
