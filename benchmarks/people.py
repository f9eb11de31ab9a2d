"""A large practice: 2,000 people in the day list, 300 visits in one case, against raw SQL in the same run.

`python benchmarks/people.py [PEOPLE] [VISITS]`. Best of several rounds, as ratios; nothing here is a test.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from contextlib import closing
from dataclasses import asdict
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QEvent
from PyQt6.QtWidgets import QApplication

from tuning.core.entries import Done, PlanItem, Screen
from tuning.core.types import Entry, Observation, Side, Triage
from tuning.knowledge import load
from tuning.records import Record, audit_log, entry_codec, new_uid
from tuning.records.dbapi import sqlite
from tuning.ui import theme
from tuning.ui.day_list import DayList
from tuning.ui.window import MainWindow
from tuning.ui.workspace import Workspace

ROUNDS = 1 if "--small" in sys.argv else 5
RAW = """
    select patient.name, patient.birth_date, patient.occupation, patient.complaint, count(distinct visit.id),
           max(started_at), count(entry.id)
    from patient left join visit on visit.patient_id = patient.id left join entry on entry.visit_id = visit.id
    group by patient.id order by patient.name
"""
"""What the list needs at the very least: everybody with visits and how much there is."""


def best(work: Callable[[], object]) -> float:
    times = []
    for _ in range(ROUNDS):
        began = time.perf_counter()
        work()
        times.append(time.perf_counter() - began)
    return min(times)


def fill(folder: Path, people: int, visits: int) -> None:
    """Everybody with two visits; the first person with many. Every visit has a screen, values, a plan, a log."""
    record = Record(folder)
    person = record.add_person("R. Falk", "licensed clinician").uid
    record.close()
    start = datetime(2020, 1, 1, 9, tzinfo=UTC)
    with closing(sqlite.connect(folder / "record.sqlite")) as db, db:

        def insert(table: str, row: dict[str, object], fields: tuple[str, ...], **columns: object) -> int:
            """A row with its sum; `columns` in the place of what stands in other tables."""
            kept = {k: v for k, v in row.items() if k not in ("visit", "person", "patient", "medium")} | columns
            kept["sum"] = audit_log.sum_of(row, fields)
            names, marks = ", ".join(kept), ", ".join("?" * len(kept))
            return int(
                db.execute(f"insert into {table} ({names}) values ({marks})", tuple(kept.values())).lastrowid or 0
            )

        for n in range(people):
            patient = {
                "uid": new_uid(), "name": f"Person {n:04d} Östlund", "sex": "", "body_mass_kg": 70.0, "stature_m": 1.7,
                "birth_date": date(1950 + n % 50, 1 + n % 12, 1 + n % 28).isoformat(), "dominant_hand": "",
                "dominant_leg": "", "complaint": "Left knee aches on stairs", "involved": "left",
                "occupation": "deckhand", "created_at": _stamp(start),
            }  # fmt: skip
            row = insert("patient", patient, audit_log.PATIENT, revision=1, created_by=1)
            for v in range(visits if n == 0 else 2):
                at = _stamp(start + timedelta(days=7 * v))
                visit = {"uid": new_uid(), "patient": patient["uid"], "started_at": at}
                number = insert("visit", visit, audit_log.VISIT, patient_id=row, person_id=1)
                for entry in _entries(n, start):
                    told = {"uid": new_uid(), "kind": entry_codec.NAMES[type(entry)], "visit": visit["uid"], "at": at,
                            "person": person, "medium": None, "replaces": "", "struck_at": None,
                            "body": entry_codec.entry_to_dict(entry)}  # fmt: skip
                    insert("entry", told, audit_log.ENTRY, visit_id=number, person_id=1)


def _stamp(moment: datetime) -> str:
    return moment.strftime("%Y-%m-%d %H:%M:%S.%f")


def _entries(n: int, start: datetime) -> list[Entry]:
    level = Triage.AMBER if n % 10 == 0 else Triage.NONE
    plan = PlanItem("stepdown", "sd-1-hold-taps", asdict(load().rung("sd-1-hold-taps").dose), Side.LEFT)
    values = [Observation(measure_id="knee-to-wall", side=side, value=9.0) for side in (Side.LEFT, Side.RIGHT)]
    done = [Done("sd-1-hold-taps", Side.LEFT, start.date() + timedelta(days=d), pain=1) for d in range(4)]
    return [Screen(level, {}, ("pregnancy",) if level is Triage.AMBER else ()), *values, plan, *done]


def main() -> None:
    numbers = [a for a in sys.argv[1:] if a.isdigit()]
    people, visits = (int(a) for a in (*numbers, *((20, 5) if "--small" in sys.argv else (2000, 300)))[:2])
    app = QApplication([])
    theme.apply(app)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        fill(folder, people, visits)
        record = Record(folder)
        with closing(sqlite.connect(folder / "record.sqlite")) as db:
            raw = best(lambda: db.execute(RAW).fetchall())
        began = time.perf_counter()
        Record(folder).digests()
        first = time.perf_counter() - began
        # Nothing of what a list or a record remembers may help an opening; the sums in the record do.
        tables = load().progression, load().safety
        lists = [DayList(Record(folder), tables) for _ in range(ROUNDS - 1)] + [DayList(record, tables)]
        for one in lists:
            one.resize(1184, 700)
            one.show()
        fresh = iter(lists)

        def opened() -> None:
            next(fresh).refresh()
            app.processEvents()

        opening = best(opened)
        day_list = lists[-1]

        def returned() -> None:
            record._connection.execute("update patient set revision = revision + 1 where id = 5")
            day_list.refresh()
            app.processEvents()

        def searched() -> None:
            for text in ("östlund 17", "0042"):
                day_list.search.setText(text)
                app.processEvents()

        returning, searching = best(returned), best(searched) / 2
        print(f"{people} people, one of them with {visits} visits; raw SQL {1000 * raw:.0f} ms")
        print(f"everybody summed up, once:      {1000 * first:.0f} ms, {first / raw:.1f} of raw SQL")
        print(f"day list opened:                {1000 * opening:.0f} ms, {opening / raw:.1f} of raw SQL")
        print(f"returned to after a change:     {1000 * returning:.0f} ms, {returning / raw:.1f} of raw SQL")
        print(f"one search typed:               {1000 * searching:.0f} ms, {searching / raw:.1f} of raw SQL")
        window = MainWindow(Workspace(record, load()))
        window.workspace.person = record.people()[0]
        one = next(p for p in record.patients("0000"))
        raw_case = best(
            lambda: record._connection.execute(
                "select body from entry join visit on visit_id = visit.id where patient_id = 1"
            ).fetchall()
        )
        whole = best(lambda: window.workspace.open_patient(one))
        print(f"case with {visits} visits opened: {1000 * whole:.0f} ms, {whole / raw_case:.0f} of raw SQL")
        window.close()
        for one in (*lists, window):  # before the application goes that they belong to
            one.deleteLater()
        app.sendPostedEvents(None, QEvent.Type.DeferredDelete)


if __name__ == "__main__":
    main()
