"""Files of the programme: calendar, log page, plan; and the log that comes back."""

from __future__ import annotations

import base64
import json
from collections.abc import Sequence
from dataclasses import replace
from datetime import date, time, timedelta
from itertools import groupby
from pathlib import Path

from tuning.core.entries import Done, PlanItem
from tuning.core.errors import BadInput
from tuning.core.preferences import TELEPHONE
from tuning.core.programme.coaching import coaching_of
from tuning.core.programme.log_mapping import log_of, step_since
from tuning.core.programme.progression_state import PlanContext
from tuning.core.programme.weekly_schedule import retests
from tuning.core.types import LEGS, Entry, Side
from tuning.exchange.files import write_whole
from tuning.ui.exercise_figure import figure_of
from tuning.ui.programme.state import ProgrammeState
from tuning.ui.workspace import Workspace

WEEKS, SESSION_TIME = 4, time(18, 0)


class Exports:
    """Writes what leaves and reads what comes back."""

    def __init__(self, workspace: Workspace, state: ProgrammeState) -> None:
        self._space, self._state = workspace, state

    def calendar(self, target: Path, today: date) -> None:
        """The week for four weeks, with alarms and re-tests. Raises TuningError."""
        from tuning.exchange.ical import Session, calendar_of

        allowed = {item.rung: item for item in self._state.may_print()}
        course = self._state.course
        week, items, status = course.week(), course.items(), course.status
        start, made = today + timedelta(days=1), list[Session]()
        for day in range(7):
            on = [item for item in week.session(day, items) if item.rung in allowed]
            if not on:
                continue
            first, minutes = start + timedelta(days=(day - start.weekday()) % 7), sum(i.minutes for i in on)
            days = [first + timedelta(weeks=n) for n in range(WEEKS)]
            by_week = [tuple(f"{i.name}: {status.dose_on(allowed[i.rung], d).text}" for i in on) for d in days]
            for lines, run in groupby(range(WEEKS), by_week.__getitem__):
                weeks = list(run)
                made.append(Session(day, lines, minutes, weeks[0], len(weeks)))
        if not made:
            raise BadInput("No day of the week holds an exercise.")
        assert self._space.visit is not None
        data = calendar_of(made, start, WEEKS, SESSION_TIME, retests(today), self._space.visit.uid)
        write_whole(data, target, "The calendar")

    def log_page(self, target: Path, today: date) -> None:
        """The page on which the patient keeps the log; it names nobody. Raises TuningError."""
        from tuning.exchange.html.log_page import LogExercise, log_page
        from tuning.exchange.html.svg import svg_of

        made, status = [], self._state.course.status
        for item in self._state.may_print():
            rung, ladder = self._state.named(item.rung), self._space.knowledge.ladder_of(item.rung)
            side = item.first_side if rung.sides == LEGS else Side.NONE
            dose = status.dose_now(item)
            taught = coaching_of(rung, ladder, self._space.knowledge.faults, status.entries, dose=dose)
            pose = rung.pose(item.variant)
            picture = svg_of(figure_of(rung, pose, pose.still, side), side.value if side in LEGS else "")
            sides = tuple(s.value for s in (item.first_side, item.first_side.other)) if side in LEGS else ("none",)
            made.append(
                LogExercise(
                    rung.id, rung.name, dose.text, rung.steps_for(item.first_side), sides,
                    " or ".join(rung.feel[:2]), base64.b64encode(picture.encode()).decode(),
                    taught.set_up, tuple(status.cautions_of(ladder)), tuple(f.cue for f in taught.to_take_home),
                )
            )  # fmt: skip
        cautions = self._space.knowledge.cautions
        telephone = str(self._space.prefer(TELEPHONE)).strip()
        page = log_page(self._owner, made, cautions.stop_now, status.pain_limit, telephone, status.facts.limits.text)
        write_whole(page.encode(), target, "The log page")

    @property
    def _owner(self) -> str:
        from tuning.exchange.json.home_log import owner_mark

        assert self._space.patient is not None
        return owner_mark(self._space.patient.uid)

    def plan(self, target: Path, today: date) -> None:
        """Plan and log as `tuning plan` reads them. Raises TuningError."""
        from tuning.exchange.json.plan_log import plan_data

        course = self._state.course
        entries = self._space.case.entries if self._space.case is not None else ()
        status = course.status
        plan = [(item, status.exercise(item)) for item in self._space.plan()]
        log = [s for item, one in plan for s in log_of(entries, one.line, step_since(item, entries))]
        known = replace(status.standing(plan[0][0]), elsewhere=()) if plan else PlanContext(today, status.triage)
        data = plan_data(known, [one for _, one in plan], log, status.phase[0], status.kit)
        write_whole(json.dumps(data, indent=1).encode(), target, "The plan")

    def read_log(self, source: Path) -> tuple[list[Done], list[tuple[Done, Done]]]:
        """New lines of a home log, and those that change one that is held. Raises BadInput."""
        from tuning.exchange.json.home_log import read_home_log

        return self._not_held(read_home_log(source, self._owner, self._known_rungs, date.today()))

    def read_code(self, text: str) -> tuple[list[Done], list[tuple[Done, Done]]]:
        """The same of a code that the phone page showed. Raises BadInput."""
        from tuning.exchange.json.log_code import read_code

        return self._not_held(read_code(text, self._owner, self._known_rungs, date.today()))

    @property
    def _entries(self) -> Sequence[Entry]:
        return self._space.case.entries if self._space.case is not None else ()

    @property
    def _known_rungs(self) -> set[str]:
        """Exercises of this and of earlier plans: a phone keeps old lines."""
        items = [e for e in self._entries if isinstance(e, PlanItem)]
        return {r.id for item in items for r in self._space.knowledge.ladder_of(item.rung).rungs}

    def _not_held(self, read: list[Done]) -> tuple[list[Done], list[tuple[Done, Done]]]:
        from tuning.exchange.json.home_log import only_new

        return only_new(read, [e for e in self._entries if isinstance(e, Done)])
