"""Tracks of marks through a clip"""

import sqlalchemy as sa
from alembic import op

revision = '0003'
down_revision = '0002'


def upgrade() -> None:
    op.create_table('track',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('capture_id', sa.Integer(), nullable=False),
    sa.Column('task', sa.String(length=30), nullable=False),
    sa.Column('side', sa.String(length=10), nullable=False),
    sa.Column('names', sa.JSON(), nullable=False),
    sa.Column('moved', sa.JSON(), nullable=False),
    sa.Column('places', sa.LargeBinary(), nullable=False),
    sa.ForeignKeyConstraint(['capture_id'], ['capture.id'], ),
    sa.ForeignKeyConstraint(['id'], ['entry.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_track_capture_id'), 'track', ['capture_id'], unique=False)
