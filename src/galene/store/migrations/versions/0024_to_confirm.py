"""what is still to be confirmed is found without reading every finished job"""

from alembic import op

revision = '0024'
down_revision = '0023'
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute(
        "create index job_to_confirm on job ((proof ->> 'recheck_on')) where state = 'finished'"
        " and proof ->> 'recheck_on' is not null and proof ->> 'confirmed_at' is null"
    )
