"""What the rules read off a log: clean sessions, days, faults, pain, mornings, alarms, a flare-up."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from tuning.core.entries import NextDayResponse
from tuning.core.programme.progression_state import (
    ExerciseState,
    LoggedSet,
    PlanContext,
)
from tuning.core.programme.rules import PainPolicy, Rules
from tuning.core.types import Side


@dataclass(frozen=True)
class RuleInputs:
    """What the rows look at, worked out of the log once."""

    exercise: ExerciseState
    standing: PlanContext
    rules: Rules
    line: tuple[LoggedSet, ...]
    last: tuple[LoggedSet, ...]
    before: tuple[LoggedSet, ...]
    recent: tuple[tuple[LoggedSet, ...], ...]
    clean: Mapping[Side, int]
    at_rung: int
    missed: int
    adherence: float
    flared: tuple[date, ...]
    rising: bool
    flare: str
    since_climb: int
    since_change: int | None

    @property
    def pain(self) -> int:
        """Peak pain of the last session that is known, either side."""
        return max((one.pain or 0 for one in self.last), default=0)

    @property
    def faulty(self) -> float:
        """Faulty repetitions of the last session, the poorer side, percent."""
        return max((one.faulty for one in self.last), default=0.0)

    @property
    def climb_pain(self) -> int:
        """Pain up to which a climb may follow."""
        return self.rules.pain.climb[self.standing.pain_school]

    @property
    def everything(self) -> tuple[LoggedSet, ...]:
        """Sets of this line and all others."""
        return (*self.line, *(one for one in self.standing.elsewhere if one.day <= self.standing.today))

    def ready(self, side: Side) -> bool:
        """Whether a side has its clean sessions and its days for the next step."""
        if self.exercise.small:
            return self.clean.get(side, 0) >= self.rules.sessions.step
        return self.clean.get(side, 0) >= self.exercise.sessions and self.at_rung >= self.exercise.days

    @property
    def morning(self) -> NextDayResponse:
        """The worst that is known of the morning after the last session."""
        told = {one.morning for one in self.last}
        return (
            NextDayResponse.NOT
            if NextDayResponse.NOT in told
            else NextDayResponse.UNKNOWN
            if NextDayResponse.UNKNOWN in told
            else NextDayResponse.SETTLED
        )


def is_clean(one: LoggedSet, school: PainPolicy, rules: Rules) -> bool:
    """Whether a session counts.

    Few faults, felt where meant, nowhere else, pain within the school during and on the next morning; nothing alarmed,
    no painkiller, the morning settled.
    """
    most = rules.pain.most[school]
    within = one.pain is not None and one.pain <= most and (one.morning_pain or 0) <= most
    quiet = one.morning is NextDayResponse.SETTLED and not (one.painkiller or one.alarms(rules))
    return one.faulty <= rules.faults.clean and one.felt and not one.wrong and within and quiet


def inputs_of(exercise: ExerciseState, log: Sequence[LoggedSet], standing: PlanContext, rules: Rules) -> RuleInputs:
    """Everything that the rows need, from the sets of one line; what lies ahead is left out.

    Sessions are those of the present step; alarms and flare-ups count wherever in the line they came.
    """
    today = standing.today
    line = sorted((one for one in log if one.day <= today), key=lambda one: (one.day, one.side.value))
    known = [one for one in line if one.rung in ("", exercise.rung) and one.day >= exercise.since and not one.past]
    days = sorted({one.day for one in known})
    by_day = [tuple(one for one in known if one.day == day) for day in days]
    alarmed = {one.day for one in line if one.stops(rules)} | ({exercise.backed} if exercise.backed else set())
    flared = tuple(sorted(alarmed | {one.day for one in line if one.morning is NextDayResponse.NOT}))
    last = by_day[-1] if by_day else ()
    climbed = max(filter(None, (exercise.since, exercise.retested)))
    changed = exercise.changed if exercise.changed is not None and exercise.changed > climbed else None
    return RuleInputs(
        exercise,
        standing,
        rules,
        tuple(line),
        last,
        by_day[-2] if len(by_day) > 1 else (),
        tuple(by_day[-rules.sessions.unfelt :]),
        {side: _clean_in_a_row(known, side, standing, rules, flared) for side in exercise.sides},
        (today - exercise.since).days,
        (today - (days[-1] if days else exercise.since)).days,
        _adherence(exercise, days, today, rules),
        flared,
        _rising(line, exercise, today),
        _flare(exercise, flared, last, today, rules),
        (today - climbed).days,
        (today - changed).days if changed is not None else None,
    )


def _clean_in_a_row(
    log: Sequence[LoggedSet], side: Side, standing: PlanContext, rules: Rules, flared: Sequence[date]
) -> int:
    """Clean days of a side up to today, none of them before or on the day of a flare-up.

    A morning that is not due yet leaves the count as it is; one that was missed ends the run.
    """
    start, count = flared[-1] if flared else date.min, 0
    own = [one for one in log if one.side is side and one.day > start]
    for day in sorted({one.day for one in own}, reverse=True):
        sets = [one for one in own if one.day == day]
        due = day < standing.today - timedelta(days=1)
        waits = not due and any(one.morning is NextDayResponse.UNKNOWN for one in sets)
        if waits:
            sets = [
                replace(one, morning=NextDayResponse.SETTLED) if one.morning is NextDayResponse.UNKNOWN else one
                for one in sets
            ]
        if not all(is_clean(one, standing.pain_school, rules) for one in sets):
            break
        count += not waits
    return count


def _adherence(exercise: ExerciseState, days: Sequence[date], today: date, rules: Rules) -> float:
    """Share of the planned sessions that were done, percent; before one was due nothing was missed."""
    start = today - timedelta(days=rules.adherence.days)
    wanted = exercise.per_week * min(rules.adherence.days, max(1, (today - exercise.since).days)) / 7
    done = sum(start < day for day in days)
    return 100.0 * min(1.0, done / wanted) if wanted >= 1 else 100.0


def _rising(log: Sequence[LoggedSet], exercise: ExerciseState, today: date) -> bool:
    """Whether the mean morning pain went up two weeks running; what was stepped back for is not asked again at once."""
    if exercise.backed is not None and (today - exercise.backed).days < 7:
        return False
    means = []
    for back in (2, 1, 0):
        first, end = today - timedelta(days=7 * (back + 1)), today - timedelta(days=7 * back)
        told = [one.morning_pain for one in log if one.morning_pain is not None and first < one.day <= end]
        if not told:
            return False
        means.append(sum(told) / len(told))
    return means[0] < means[1] < means[2]


def _flare(
    exercise: ExerciseState, flared: Sequence[date], last: Sequence[LoggedSet], today: date, rules: Rules
) -> str:
    """`settling` at first, longer while mornings are not quiet; then `returning` to the rung held before."""
    if flared:
        since = (today - flared[-1]).days
        quiet = bool(last) and all(
            s.morning is NextDayResponse.SETTLED and (s.morning_pain or 0) <= rules.pain.settled for s in last
        )
        if since < rules.flare.settling or (since <= rules.flare.most_settling and not quiet):
            return "settling"
    return "returning" if exercise.held and exercise.held in exercise.line[exercise.place + 1 :] else ""
