"""people with hours, codes and second factors; known devices; sessions that are seen and end; wrong
tries; the address of a first set-up; what a card's clock said"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = '0020'
down_revision = '0019'
branch_labels = None
depends_on = None


def stamp(name: str, **more: object) -> sa.Column:
    return sa.Column(name, sa.DateTime(timezone=True), **more)


def upgrade() -> None:
    texts = postgresql.ARRAY(sa.Text())
    for column in (
        sa.Column('skills', texts, nullable=False, server_default='{}'),
        sa.Column('hours', postgresql.JSONB(), nullable=False, server_default='{}'),
        sa.Column('code_hash', sa.Text(), nullable=True),
        stamp('code_until', nullable=True),
        sa.Column('totp_secret', sa.Text(), nullable=True),
        sa.Column('totp_used', sa.BigInteger(), nullable=True),
        sa.Column('recovery_hashes', texts, nullable=False, server_default='{}'),
        sa.Column('pin_hash', sa.Text(), nullable=True),
        stamp('left_at', nullable=True),
        sa.Column('revision', sa.Integer(), nullable=False, server_default='1'),
    ):
        op.add_column('person', column)
    op.create_table(
        'device',
        sa.Column('id', sa.Integer(), primary_key=True),
        sa.Column('secret_hash', sa.Text(), nullable=False, unique=True),
        sa.Column('name', sa.Text(), nullable=False),
        sa.Column('person_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=True),
        stamp('made_at', nullable=False),
        sa.Column('made_by_id', sa.Integer(), sa.ForeignKey('person.id'), nullable=False),
        stamp('ended_at', nullable=True),
    )
    op.create_index('ix_device_person_id', 'device', ['person_id'])
    now = sa.func.now()
    for column in (
        sa.Column('device_id', sa.Integer(), sa.ForeignKey('device.id'), nullable=True),
        sa.Column('by_pin', sa.Boolean(), nullable=False, server_default=sa.false()),
        stamp('made_at', nullable=False, server_default=now),
        stamp('seen_at', nullable=False, server_default=now),
        stamp('away_from', nullable=True),
        stamp('away_until', nullable=True),
        stamp('idle_until', nullable=False, server_default=sa.text("now() + interval '4 hours'")),
        sa.Column('address', sa.Text(), nullable=False, server_default=''),
        sa.Column('agent', sa.Text(), nullable=False, server_default=''),
    ):
        op.add_column('web_session', column)
    op.create_index('ix_web_session_person_id', 'web_session', ['person_id'])
    op.create_table(
        'tries',
        sa.Column('key', sa.Text(), primary_key=True),
        sa.Column('count', sa.Integer(), nullable=False),
        stamp('last_at', nullable=False),
        stamp('wait_until', nullable=True),
    )
    op.create_table(
        'set_up_address',
        sa.Column('secret_hash', sa.Text(), primary_key=True),
        stamp('made_at', nullable=False),
    )
    for column in (
        sa.Column('demo', sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column('session_hours', sa.Integer(), nullable=False, server_default='14'),
        sa.Column('idle_minutes', sa.Integer(), nullable=False, server_default='240'),
        sa.Column('shared_idle_minutes', sa.Integer(), nullable=False, server_default='10'),
        sa.Column('second_factor', sa.Boolean(), nullable=False, server_default=sa.false()),
    ):
        op.add_column('workshop', column)
    # A demo of an earlier version is known by its workshop's name: its passwords are published.
    op.execute(
        "update workshop set demo = true"
        " where name = 'Quillness Transport Co-operative, ferry-slip shed'"
    )
    op.add_column('trace', stamp('claimed_at', nullable=True))
