"""Uids, entries as one table with their body, captures by purpose, findings split into what they are"""

import json

import sqlalchemy as sa
import uuid_utils
from alembic import op

revision = '0004'
down_revision = '0003'

# A migration stands still: it must not follow what the program becomes, so it knows its own words.
FORMS = ('intake-complaint', 'intake-history', 'shoe-wear-map', 'visit-order', 'balance-feedback')
DECISIONS = ('levels-chain', 'levels-chain-past', 'plate-eye')
SETUP = ('mode', 'position', 'fixation', 'lever_m', 'body_mass_kg', 'task', 'region')


def _uid() -> str:
    return str(uuid_utils.uuid7())


def upgrade() -> None:
    connection = op.get_bind()
    connection.exec_driver_sql('pragma foreign_keys=OFF')
    old = _old(connection)
    for table in ('track', 'finding', 'plan_item', 'safety_screen', 'observation', 'calibration', 'mark', 'capture',
                  'entry', 'media', 'visit', 'patient', 'person'):
        op.drop_table(table)
    _make_tables()
    _fill(connection, old)


def _old(connection) -> dict:
    def rows(table, order='id'):
        found = connection.exec_driver_sql(f'select * from {table} order by {order}')
        return [dict(r._mapping) for r in found]

    old = {t: rows(t) for t in ('person', 'patient', 'visit', 'entry')}
    old['media'] = rows('media', 'added_at, sha256')
    for table in ('capture', 'mark', 'calibration', 'observation', 'track', 'finding', 'safety_screen', 'plan_item'):
        old[table] = {r['id']: r for r in rows(table)}
    return old


def _make_tables() -> None:
    op.create_table('info',
    sa.Column('key', sa.String(length=40), nullable=False),
    sa.Column('value', sa.String(), nullable=False),
    sa.PrimaryKeyConstraint('key')
    )
    op.create_table('person',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('uid', sa.String(length=36), nullable=False),
    sa.Column('name', sa.String(length=120), nullable=False),
    sa.Column('role', sa.String(length=40), nullable=False),
    sa.Column('created_at', sa.DateTime(), nullable=False),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('uid')
    )
    op.create_table('patient',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('uid', sa.String(length=36), nullable=False),
    sa.Column('revision', sa.Integer(), nullable=False),
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
    sa.ForeignKeyConstraint(['created_by'], ['person.id']),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('uid')
    )
    op.create_index(op.f('ix_patient_name'), 'patient', ['name'], unique=False)
    op.create_table('visit',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('uid', sa.String(length=36), nullable=False),
    sa.Column('patient_id', sa.Integer(), nullable=False),
    sa.Column('started_at', sa.DateTime(), nullable=False),
    sa.Column('person_id', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['patient_id'], ['patient.id']),
    sa.ForeignKeyConstraint(['person_id'], ['person.id']),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('uid')
    )
    op.create_index(op.f('ix_visit_patient_id'), 'visit', ['patient_id'], unique=False)
    op.create_table('medium',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('uid', sa.String(length=36), nullable=False),
    sa.Column('sha256', sa.String(length=64), nullable=False),
    sa.Column('suffix', sa.String(length=12), nullable=False),
    sa.Column('original_name', sa.String(), nullable=False),
    sa.Column('size', sa.Integer(), nullable=False),
    sa.Column('added_at', sa.DateTime(), nullable=False),
    sa.Column('person_id', sa.Integer(), nullable=False),
    sa.ForeignKeyConstraint(['person_id'], ['person.id']),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('uid'),
    sa.UniqueConstraint('sha256')
    )
    op.create_table('entry',
    sa.Column('id', sa.Integer(), nullable=False),
    sa.Column('uid', sa.String(length=36), nullable=False),
    sa.Column('kind', sa.String(length=20), nullable=False),
    sa.Column('visit_id', sa.Integer(), nullable=False),
    sa.Column('at', sa.DateTime(), nullable=False),
    sa.Column('person_id', sa.Integer(), nullable=False),
    sa.Column('medium_id', sa.Integer(), nullable=True),
    sa.Column('replaces', sa.String(length=36), nullable=False),
    sa.Column('struck_at', sa.DateTime(), nullable=True),
    sa.Column('body', sa.JSON(), nullable=False),
    sa.ForeignKeyConstraint(['visit_id'], ['visit.id']),
    sa.ForeignKeyConstraint(['person_id'], ['person.id']),
    sa.ForeignKeyConstraint(['medium_id'], ['medium.id']),
    sa.PrimaryKeyConstraint('id'),
    sa.UniqueConstraint('uid')
    )
    op.create_index(op.f('ix_entry_visit_id'), 'entry', ['visit_id'], unique=False)
    op.create_index(op.f('ix_entry_kind'), 'entry', ['kind'], unique=False)
    op.create_table('places',
    sa.Column('entry_id', sa.Integer(), nullable=False),
    sa.Column('data', sa.LargeBinary(), nullable=False),
    sa.ForeignKeyConstraint(['entry_id'], ['entry.id']),
    sa.PrimaryKeyConstraint('entry_id')
    )


def _fill(connection, old) -> None:
    def insert(table, **values):
        names = ', '.join(f'"{n}"' for n in values)
        marks = ', '.join('?' for _ in values)
        connection.exec_driver_sql(f'insert into {table} ({names}) values ({marks})', tuple(values.values()))

    insert('info', key='kind', value='own')
    for table in ('person', 'patient', 'visit'):
        for row in old[table]:
            more = {'revision': 0} if table == 'patient' else {}
            insert(table, uid=_uid(), **more, **row)
    media = {}
    for n, row in enumerate(old['media'], start=1):
        insert('medium', id=n, uid=_uid(), **row)
        media[row['sha256']] = n
    uids = {row['id']: _uid() for row in old['entry']}
    new = _Bodies(old, uids)
    for row in old['entry']:
        made = new.of(row)
        if made is None:
            continue
        kind, body = made
        sha256 = old['capture'][row['id']]['sha256'] if kind == 'capture' else None
        insert('entry', id=row['id'], uid=uids[row['id']], kind=kind, visit_id=row['visit_id'], at=row['at'],
               person_id=row['person_id'], medium_id=media.get(sha256), replaces='', struck_at=row['struck_at'],
               body=json.dumps(body, ensure_ascii=False))
        if kind == 'track':
            insert('places', entry_id=row['id'], data=old['track'][row['id']]['places'])


class _Bodies:
    """What each old row says, in the words of the new table."""

    def __init__(self, old, uids) -> None:
        self.old, self.uids = old, uids
        self.screen_of = self._screens()

    def _screens(self) -> dict:
        """The answers that were kept beside each safety screen: the next finding of the same visit and moment."""
        found = {}
        rows = self.old['entry']
        for n, row in enumerate(rows):
            if row['kind'] != 'safety' or self.old['safety_screen'][row['id']]['cleared_by']:
                continue
            for later in rows[n + 1:n + 3]:
                finding = self.old['finding'].get(later['id'])
                if finding is not None and finding['test_id'] == 'safety-screen' and later['visit_id'] == row['visit_id']:
                    found[row['id']] = later['id']
                    break
        return found

    def of(self, row):
        return getattr(self, f"_{row['kind']}")(row)

    def _ref(self, number) -> str:
        return self.uids.get(number, '')

    def _capture(self, row):
        view = self.old['capture'][row['id']]['view']
        if view.startswith('plates:'):
            _, test, side = view.split(':')
            return 'capture', _tidy({'purpose': 'plates', 'test': test, 'side': side}, side='none')
        if view == 'ground':
            return 'capture', {'purpose': 'plates'}
        if view == 'shoes':
            return 'capture', {'purpose': 'shoes'}
        return 'capture', {'view': view}

    def _mark(self, row):
        mark = self.old['mark'][row['id']]
        place = None if mark['x_px'] is None or mark['y_px'] is None else [mark['x_px'], mark['y_px']]
        return 'mark', {'capture': self._ref(mark['capture_id']), 'frame': mark['frame'], 'name': mark['name'],
                        'place': place, 'sd_px': mark['sd_px']}

    def _calibration(self, row):
        c = self.old['calibration'][row['id']]
        if c['what'] == 'rate':
            return 'clip', {'capture': self._ref(c['capture_id']), 'frames_per_second': c['length_m'] or 0.0}
        ends = None if c['ax_px'] is None else [[c['ax_px'], c['ay_px']], [c['bx_px'], c['by_px']]]
        return 'calibration', {'capture': self._ref(c['capture_id']), 'what': c['what'], 'ends': ends,
                               'sd_px': c['sd_px'], **_tidy({'length_m': c['length_m']})}

    def _observation(self, row):
        o = self.old['observation'][row['id']]
        said = json.loads(o['evidence'])
        value = {'reason': o['not_measured'], 'detail': o['detail']} if o['value'] is None else o['value']
        body = {'measure_id': o['measure_id'], 'side': o['side'], 'value': value, 'trials': json.loads(o['trials'])}
        body |= _tidy({'summary_rule': o['summary_rule'], 'method': o['method'], 'marking_sd': o['marking_sd'],
                       'quality': o['quality'], 'quality_reason': o['quality_reason'], 'pain': said.get('pain'),
                       'reason': said.get('caution_reason')},
                      summary_rule='single', method='typed', quality=1.0)
        setup = _tidy({k: said.get(k) for k in SETUP} | {'region': said.get('region') or said.get('zone')})
        if setup:
            body['setup'] = setup
        evidence = self._evidence(said)
        if evidence is not None:
            body['evidence'] = evidence
        return 'observation', body

    def _evidence(self, said):
        if 'capture' in said:
            frame = {'of': 'frame', 'capture': self._ref(said['capture'])}
            return frame | _tidy({k: said.get(k) for k in (
                'frame', 'time_s', 'frames', 'marks', 'level', 'roll_deg', 'cutoff_hz')}, frame=0, time_s=0.0)
        if 'typed' in said or 'recording' in said:
            return {'of': 'trace'} | _tidy({
                'typed': said.get('typed'), 'traces': said.get('traces'), 'recording': said.get('recording'),
                'test': said.get('plate_test'), 'source': said.get('source'), 'filter': said.get('filter')})
        if 'items' in said or 'readings_kg' in said:
            return {'of': 'form'} | _tidy({'items': said.get('items'), 'pairs': said.get('readings_kg')})
        return None

    def _track(self, row):
        t = self.old['track'][row['id']]
        moved = json.loads(t['moved'])
        events = [{'kind': k, 'side': s, 'found_s': a, 'put_s': b} for k, s, a, b in moved if k not in ('cut-off', 'plates')]
        cutoff = [b for k, _, _, b in moved if k == 'cut-off']
        plates = [{'capture': self._ref(int(a)), **_tidy({'heel_mm': b}, heel_mm=0.0)} for k, _, a, b in moved if k == 'plates']
        return 'track', {'capture': self._ref(t['capture_id']), 'task': t['task'], 'side': t['side'],
                         'names': json.loads(t['names']),
                         **_tidy({'moved': events, 'cutoff_hz': cutoff[-1] if cutoff else None,
                                  'plates': plates[-1] if plates else None})}

    def _finding(self, row):
        f = self.old['finding'][row['id']]
        data, test, side = json.loads(f['data']), f['test_id'], f['side']
        if f['status'] != 'done':
            return 'ending', {'test': test, 'side': side, 'status': f['status']}
        if test == 'safety-screen':
            return None if row['id'] in self.screen_of.values() else ('form', {'kind': test, 'data': data})
        if test == 'shift-cause-finder' and 'clip' in data:
            return 'clip', {'capture': self._ref(data['clip']), 'setup': {'changed': data['changed']}}
        if test in FORMS:
            return 'form', {'kind': test, 'data': data}
        if test in DECISIONS:
            outcome = str(data.get('outcome', data.get('answer', data.get('guess', ''))))
            return 'decision', {'subject': test, 'outcome': outcome, 'inputs': data, **_tidy({'side': side}, side='none')}
        if 'key' in data:
            capture = self._ref(data['capture']) if 'capture' in data else ''
            return 'answer', {'test': test, 'question': data['key'], 'side': side, 'option': str(data['answer']),
                              **_tidy({'looks': data.get('looks', 1), 'ticked': data.get('reps'),
                                       'out_of': data.get('of'), 'capture': capture,
                                       'reason': data.get('caution_reason')}, looks=1)}
        return 'form', {'kind': test, 'data': data}

    def _safety(self, row):
        s = self.old['safety_screen'][row['id']]
        if s['cleared_by']:
            return 'clearance', {'screen': self._cleared(row), 'by': s['cleared_by'], 'on': s['cleared_on'],
                                 'result': s['cleared_result']}
        beside = self.old['finding'].get(self.screen_of.get(row['id']))
        data = json.loads(beside['data']) if beside is not None else {}
        return 'screen', {'level': s['level'],
                          **_tidy({'answers': data.get('answers'), 'rules': data.get('hits'), 'note': s['note'],
                                   'said': data.get('said'), 'again': data.get('again')}, again=False)}

    def _cleared(self, row) -> str:
        """The screen that stood when somebody cleared: the newest of the patient before it that was none itself."""
        patient = {v['id']: v['patient_id'] for v in self.old['visit']}
        before = [e for e in self.old['entry']
                  if e['id'] < row['id'] and e['kind'] == 'safety' and patient[e['visit_id']] == patient[row['visit_id']]
                  and not self.old['safety_screen'][e['id']]['cleared_by']
                  and self.old['safety_screen'][e['id']]['level'] == self.old['safety_screen'][row['id']]['level']]
        return self._ref(before[-1]['id']) if before else ''

    def _plan(self, row):
        p = self.old['plan_item'][row['id']]
        return 'plan', {'ladder': p['ladder_id'], 'rung': p['rung_id'], 'dose': json.loads(p['dose']),
                        'first_side': p['first_side'],
                        **_tidy({'checks': json.loads(p['checks']), 'reason': p['override_reason'],
                                 'withdrawn': bool(p['withdrawn'])}, withdrawn=False)}


def _tidy(values, **usual):
    """Without what is not said, or is as usual."""
    empty = (None, '', [], {})
    return {k: v for k, v in values.items() if v not in empty and not (k in usual and v == usual[k])}
