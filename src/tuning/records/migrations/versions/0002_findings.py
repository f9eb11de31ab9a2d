"""Findings: test endings, chosen words, forms, trails"""

import sqlalchemy as sa
from alembic import op

revision = '0002'
down_revision = '0001'


def upgrade() -> None:
    op.create_table('finding',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('test_id', sa.String(length=60), nullable=False),
    sa.Column('side', sa.String(length=10), nullable=False),
    sa.Column('status', sa.String(length=20), nullable=False),
    sa.Column('data', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['id'], ['entry.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_finding_test_id'), 'finding', ['test_id'], unique=False)
