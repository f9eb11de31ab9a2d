"""What the day list tells of a patient is kept until something is written about that patient"""

import sqlalchemy as sa
from alembic import op

revision = '0006'
down_revision = '0005'

OF_AN_ENTRY = '(SELECT patient_id FROM visit WHERE id = {row}.visit_id)'
OF_A_VISIT = '{row}.patient_id'


def upgrade() -> None:
    op.create_table('digest',
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('stamp', sa.String(length=16), nullable=False),
    sa.Column('asked', sa.String(length=16), nullable=False),
    sa.Column('visits', sa.Integer(), nullable=False),
    sa.Column('last', sa.DateTime(), nullable=True),
    sa.Column('measured', sa.Integer(), nullable=False),
    sa.Column('found', sa.Integer(), nullable=False),
    sa.Column('rungs', sa.Integer(), nullable=False),
    sa.Column('since', sa.DateTime(), nullable=True),
    sa.Column('logged', sa.Date(), nullable=True),
    sa.Column('alarm', sa.Date(), nullable=True),
    sa.Column('factors', sa.Integer(), nullable=False),
    sa.Column('ended', sa.DateTime(), nullable=True),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], ),
    sa.PrimaryKeyConstraint('patient_id')
    )
    for table, patient in (('visit', OF_A_VISIT), ('entry', OF_AN_ENTRY)):
        for what, row in (('insert', 'new'), ('update', 'new'), ('delete', 'old')):
            op.execute(f'CREATE TRIGGER {table}_{what} AFTER {what.upper()} ON {table} BEGIN\n'
                       f'    DELETE FROM digest WHERE patient_id = {patient.format(row=row)};\nEND')
