"""First record"""

import sqlalchemy as sa
from alembic import op

revision = '0001'
down_revision = None


def upgrade() -> None:

    op.create_table('person',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('role', sa.String(length=40), nullable=False),
    sa.Column('created_at', sa.DateTime(), nullable=False),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_table('media',
    sa.Column('sha256', sa.String(length=64), nullable=False),
    sa.Column('suffix', sa.String(length=12), nullable=False),
    sa.Column('original_name', sa.String(), nullable=False),
    sa.Column('size', sa.Integer(), nullable=False),
    sa.Column('added_at', sa.DateTime(), nullable=False),
    sa.Column('person_id', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], ),
    sa.PrimaryKeyConstraint('sha256')
    )
    op.create_table('patient',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('birth_date', sa.Date(), nullable=False),
    sa.Column('sex', sa.String(length=20), nullable=False),
    sa.Column('body_mass_kg', sa.Double(), nullable=True),
    sa.Column('stature_m', sa.Double(), nullable=True),
    sa.Column('dominant_hand', sa.String(length=10), nullable=False),
    sa.Column('dominant_leg', sa.String(length=10), nullable=False),
    sa.Column('complaint', sa.String(), nullable=False),
    sa.Column('involved', sa.String(length=10), nullable=False),
    sa.Column('occupation', sa.String(), nullable=False),
    sa.Column('created_at', sa.DateTime(), nullable=False),
    sa.Column('created_by', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['created_by'], ['person.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_patient_name'), 'patient', ['name'], unique=False)
    op.create_table('visit',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('started_at', sa.DateTime(), nullable=False),
    sa.Column('person_id', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id'], ),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_visit_patient_id'), 'visit', ['patient_id'], unique=False)
    op.create_table('entry',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('kind', sa.String(length=20), nullable=False),
    sa.Column('visit_id', sa.Integer(), nullable=False),
    sa.Column('at', sa.DateTime(), nullable=False),
    sa.Column('person_id', sa.Integer(), nullable=False),
    sa.Column('struck_at', sa.DateTime(), nullable=True),
    sa.ForeignKeyConstraint(['person_id'], ['person.id'], ),
    sa.ForeignKeyConstraint(['visit_id'], ['visit.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_entry_visit_id'), 'entry', ['visit_id'], unique=False)
    op.create_table('capture',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('sha256', sa.String(length=64), nullable=False),
    sa.Column('view', sa.String(length=10), nullable=False),
    sa.ForeignKeyConstraint(['id'], ['entry.id'], ),
    sa.ForeignKeyConstraint(['sha256'], ['media.sha256'], ),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_table('observation',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('measure_id', sa.String(length=60), nullable=False),
    sa.Column('side', sa.String(length=10), nullable=False),
    sa.Column('value', sa.Double(), nullable=True),
    sa.Column('not_measured', sa.String(), nullable=False),
    sa.Column('detail', sa.String(), nullable=False),
    sa.Column('trials', sa.JSON(), nullable=False),
    sa.Column('summary_rule', sa.String(length=20), nullable=False),
    sa.Column('method', sa.String(length=20), nullable=False),
    sa.Column('marking_sd', sa.Double(), nullable=True),
    sa.Column('quality', sa.Double(), nullable=False),
    sa.Column('quality_reason', sa.String(), nullable=False),
    sa.Column('evidence', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['id'], ['entry.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_observation_measure_id'), 'observation', ['measure_id'], unique=False)
    op.create_table('plan_item',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('ladder_id', sa.String(length=40), nullable=False),
    sa.Column('rung_id', sa.String(length=60), nullable=False),
    sa.Column('dose', sa.JSON(), nullable=False),
    sa.Column('first_side', sa.String(length=10), nullable=False),
    sa.Column('checks', sa.JSON(), nullable=False),
    sa.Column('override_reason', sa.String(), nullable=False),
    sa.Column('withdrawn', sa.Boolean(), nullable=False),
    sa.ForeignKeyConstraint(['id'], ['entry.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_table('safety_screen',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('level', sa.String(length=10), nullable=False),
    sa.Column('note', sa.String(), nullable=False),
    sa.Column('cleared_by', sa.String(), nullable=False),
    sa.Column('cleared_on', sa.Date(), nullable=True),
    sa.Column('cleared_result', sa.String(), nullable=False),
    sa.ForeignKeyConstraint(['id'], ['entry.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_table('calibration',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('capture_id', sa.Integer(), nullable=False),
    sa.Column('what', sa.String(length=20), nullable=False),
    sa.Column('ax_px', sa.Double(), nullable=True),
    sa.Column('ay_px', sa.Double(), nullable=True),
    sa.Column('bx_px', sa.Double(), nullable=True),
    sa.Column('by_px', sa.Double(), nullable=True),
    sa.Column('length_m', sa.Double(), nullable=True),
    sa.Column('sd_px', sa.Double(), nullable=False),
    sa.ForeignKeyConstraint(['capture_id'], ['capture.id'], ),
    sa.ForeignKeyConstraint(['id'], ['entry.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_calibration_capture_id'), 'calibration', ['capture_id'], unique=False)
    op.create_table('mark',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('capture_id', sa.Integer(), nullable=False),
    sa.Column('frame', sa.Integer(), nullable=False),
    sa.Column('name', sa.String(length=40), nullable=False),
    sa.Column('x_px', sa.Double(), nullable=True),
    sa.Column('y_px', sa.Double(), nullable=True),
    sa.Column('sd_px', sa.Double(), nullable=False),
    sa.ForeignKeyConstraint(['capture_id'], ['capture.id'], ),
    sa.ForeignKeyConstraint(['id'], ['entry.id'], ),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_mark_capture_id'), 'mark', ['capture_id'], unique=False)

