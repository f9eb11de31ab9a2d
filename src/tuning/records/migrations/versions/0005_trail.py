"""A sum on every row, and the trail: who did what when, each line chained to the one before"""

import hashlib
import json
from datetime import UTC, datetime

import sqlalchemy as sa
from alembic import op

revision = '0005'
down_revision = '0004'

ENTRIES = """
    select entry.id, entry.uid, kind, visit.uid as visit, entry.at, person.uid as person, medium.uid as medium,
           replaces, struck_at, body
    from entry join visit on visit_id = visit.id join person on entry.person_id = person.id
         left join medium on medium_id = medium.id
    order by entry.id
"""
PATIENT = ('uid', 'name', 'birth_date', 'sex', 'body_mass_kg', 'stature_m', 'dominant_hand', 'dominant_leg', 'complaint',
           'involved', 'occupation', 'created_at')


def upgrade() -> None:
    for table in ('person', 'patient', 'visit', 'medium', 'entry'):
        op.add_column(table, sa.Column('sum', sa.String(length=32), nullable=False, server_default=''))
    op.create_table('trail',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('at', sa.DateTime(), nullable=False),
    sa.Column('who', sa.String(length=36), nullable=False),
    sa.Column('what', sa.String(length=20), nullable=False),
    sa.Column('subject', sa.String(length=80), nullable=False),
    sa.Column('detail', sa.String(), nullable=False),
    sa.Column('chain', sa.String(length=64), nullable=False),
    sa.PrimaryKeyConstraint('id')
    )
    op.create_index(op.f('ix_trail_subject'), 'trail', ['subject'], unique=False)
    _fill(op.get_bind())


def _fill(connection) -> None:
    def rows(query):
        return [dict(r._mapping) for r in connection.exec_driver_sql(query)]

    def put(table, number, total):
        connection.exec_driver_sql(f'update {table} set sum = ? where id = ?', (total, number))

    told = []
    for row in rows('select * from person order by id'):
        put('person', row['id'], _sum(*(row[k] for k in ('uid', 'name', 'role', 'created_at'))))
    for row in rows('select * from patient order by id'):
        total = _sum(*(row[k] for k in PATIENT))
        put('patient', row['id'], total)
        told.append(('patient', row['uid'], total))
    for row in rows('select visit.id, visit.uid, patient.uid as patient, started_at from visit '
                    'join patient on patient_id = patient.id order by visit.id'):
        total = _sum(row['uid'], row['patient'], row['started_at'])
        put('visit', row['id'], total)
        told.append(('visit', row['uid'], total))
    for row in rows('select * from medium order by id'):
        total = _sum(*(row[k] for k in ('uid', 'sha256', 'suffix', 'original_name', 'size')))
        put('medium', row['id'], total)
        told.append(('medium', row['uid'], total))
    for row in rows(ENTRIES):
        total = _sum(*(row[k] for k in ('uid', 'kind', 'visit', 'at', 'person', 'medium', 'replaces', 'struck_at', 'body')))
        put('entry', row['id'], total)
        told.append(('entry', row['uid'], total))
    at = datetime.now(UTC).strftime('%Y-%m-%d %H:%M:%S.%f')
    chain = ''
    for what, subject, total in told:
        detail = json.dumps({'sum': total})
        chain = hashlib.sha256('\x1f'.join((chain, at, '', f'had {what}', subject, detail)).encode()).hexdigest()
        connection.exec_driver_sql(
            'insert into trail (at, who, what, subject, detail, chain) values (?, ?, ?, ?, ?, ?)',
            (at, '', f'had {what}', subject, detail, chain))


def _sum(*parts) -> str:
    words = '\x1f'.join('' if part is None else str(part) for part in parts)
    return hashlib.sha256(words.encode()).hexdigest()[:32]
