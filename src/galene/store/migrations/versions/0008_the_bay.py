"""the bay: looks at dangerous items, counts, gates, handing over, the pick list, agreed limits, pictures, news of changes"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0008'
down_revision = '0007'
branch_labels = None
depends_on = None


def _record(name: str) -> sa.Column:
    return sa.Column(name, postgresql.JSONB(), nullable=False, server_default='{}')


def upgrade() -> None:
    op.add_column('must_go_back', sa.Column('looked_at', sa.DateTime(timezone=True), nullable=True))
    op.add_column('must_go_back', sa.Column('looked_by_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=True))
    for name in ('gates', 'counted', 'passing', 'pick'):
        op.add_column('job', _record(name))
    op.execute("update job set gates = jsonb_build_object('start', jsonb_build_object('reason', start_override)) where start_override <> ''")
    op.drop_column('job', 'start_override')
    op.add_column('plan', sa.Column('agreed_up_to', sa.Double(), nullable=True))
    op.create_table(
        'job_picture',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('job_id', sa.Integer(), sa.ForeignKey('job.id'), nullable=False, index=True),
        sa.Column('part', sa.Text(), nullable=False),
        sa.Column('phase', sa.Text(), nullable=False),
        sa.Column('digest', sa.Text(), nullable=False, index=True),
        sa.Column('thumbnail', sa.Text(), nullable=False, index=True),
        sa.Column('width', sa.Integer(), nullable=False),
        sa.Column('height', sa.Integer(), nullable=False),
        sa.Column('note', sa.Text(), nullable=False),
        sa.Column('marks', postgresql.JSONB(), nullable=False),
        sa.Column('revision', sa.Integer(), nullable=False),
        sa.Column('at', sa.DateTime(timezone=True), nullable=False),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
    )
    # Every change of a job leaves a trace, so a trace is the news of a change; it is told when its transaction is durable.
    op.execute(
        """create function tell_of_change() returns trigger language plpgsql as $$
        begin perform pg_notify('galene_job', new.job_id::text); return null; end $$"""
    )
    op.execute(
        'create trigger trace_tells after insert on trace for each row when (new.job_id is not null) execute function tell_of_change()'
    )


def downgrade() -> None:
    op.execute('drop trigger trace_tells on trace')
    op.execute('drop function tell_of_change')
    op.drop_table('job_picture')
    op.drop_column('plan', 'agreed_up_to')
    op.add_column('job', sa.Column('start_override', sa.Text(), nullable=False, server_default=''))
    for name in ('gates', 'counted', 'passing', 'pick'):
        op.drop_column('job', name)
    op.drop_column('must_go_back', 'looked_by_id')
    op.drop_column('must_go_back', 'looked_at')
