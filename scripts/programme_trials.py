"""The decision table against steps by the calendar: `python scripts/programme_trials.py [--runs 200]`.

Simulated patients (programme_world.py) train for 26 weeks; days above the pain limit, and the rung that they truly
stand at the end. Writes docs/programme.md.
"""

from __future__ import annotations

from datetime import date, timedelta
from pathlib import Path

import click
import numpy as np
from programme_world import GROUPS, PER_WEEK, RUNGS, Patient

from tuning.core.entries import NextDayResponse
from tuning.core.programme.progression_rules import decide
from tuning.core.programme.progression_state import ExerciseState, LoggedSet, PlanContext, ProgressionMove
from tuning.core.types import LEGS, Triage
from tuning.knowledge import load

WEEKS, RULES = 26, load().progression
LIMIT = 2
DAYS = (0, 2, 4)
START = date(2026, 1, 5)
LINE = tuple(f"rung-{n:02d}" for n in range(RUNGS))
TARGET = Path(__file__).parent.parent / "docs" / "programme.md"
DOWN = (ProgressionMove.BACK, ProgressionMove.STOP)


def by_table(patient: Patient) -> tuple[int, float]:
    """Days above the limit and the rung at the end, decided by the table before every session."""
    place, since, held, log, above, rest = 0, START, "", list[LoggedSet](), 0, 0
    new = True
    for day in range(7 * WEEKS):
        today = START + timedelta(days=day)
        patient.night()
        rest = max(0, rest - 1)
        if day % 7 not in DAYS or rest or not patient.comes(day):
            continue
        exercise = ExerciseState(LINE[place], LINE, since, sessions=3, days=10, per_week=PER_WEEK, held=held)
        found = decide(exercise, log, PlanContext(today, Triage.NONE), RULES)
        if found.move is ProgressionMove.CLIMB or (found.move in DOWN and found.to != LINE[place]):
            if found.move in DOWN and not held:
                held = LINE[place]
            place, since, new = LINE.index(found.to), today, True
            held = "" if held and LINE.index(held) <= place else held
        if found.move is ProgressionMove.STOP:
            rest = 2
            continue
        if found.move is ProgressionMove.REFER:  # looked at by somebody, two weeks off, begun anew one rung down
            rest, place, since, log = 14, max(0, place - 1), today + timedelta(days=14), []
            continue
        told = patient.session(place, new)
        new = False
        above += told.true_pain > LIMIT + 0.5
        morning = NextDayResponse.SETTLED if told.settled else NextDayResponse.NOT
        log += [LoggedSet(today, side, LINE[place], told.pain, morning, told.morning_pain, told.faulty, told.felt,
                    swelling=told.swelling, painkiller=told.painkiller) for side in LEGS]  # fmt: skip
    return above, _stood(patient)


def by_calendar(patient: Patient, weeks: int) -> tuple[int, float]:
    """One step up every so many weeks, whatever it is like."""
    above, place, before = 0, 0, -1
    for day in range(7 * WEEKS):
        patient.night()
        place = min(RUNGS - 1, day // (7 * weeks))
        if day % 7 not in DAYS or not patient.comes(day):
            continue
        told = patient.session(place, place != before)
        before = place
        above += told.true_pain > LIMIT + 0.5
    return above, _stood(patient)


def _stood(patient: Patient) -> float:
    """The highest rung that is truly stood without pain over the limit."""
    return float(np.clip(patient.capacity + LIMIT / patient.irritable, 0, RUNGS))


PAGE = """# What the decision table does

Written by `python scripts/programme_trials.py --runs {runs}`. Simulated patients train three times a week for {weeks}
weeks, strict school: by the table, by one step up every week, and by one every third week. Medians with quartiles.

| group | | by the table | every week | every third week |
|---|---|---|---|---|
{rows}

The world is a simple one: capacity grows by work near it and falls by work far above it. It shows that the table keeps
its own promises, not how people are.
"""


def _told(values: list[float]) -> str:
    low, middle, high = np.percentile(values, [25, 50, 75])
    return f"{middle:.1f} ({low:.1f} to {high:.1f})"


@click.command()
@click.option("--runs", default=200)
@click.option("--write/--no-write", default=True, help="Write docs/programme.md.")
def main(runs: int, write: bool) -> None:
    """Run, print, write."""
    rows = []
    for group in GROUPS:
        ways = (by_table, lambda p: by_calendar(p, 1), lambda p: by_calendar(p, 3))
        results = [[way(Patient(group, seed)) for seed in range(runs)] for way in ways]
        for k, what in enumerate(("days above the limit", "rungs stood at the end")):
            cells = [_told([float(one[k]) for one in way]) for way in results]
            rows.append(f"| {group} | {what} | {' | '.join(cells)} |")
            click.echo(rows[-1])
    if write:
        TARGET.write_text(PAGE.format(runs=runs, weeks=WEEKS, rows="\n".join(rows)))


if __name__ == "__main__":
    main()
