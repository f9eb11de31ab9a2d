"""From the entries of a case to what is decided: the sets of a line, where an exercise may go, what was passed."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime

from tuning.core.entries import Decision, Done, PlanItem, Screen
from tuning.core.programme.dose import MOVED, Dose
from tuning.core.programme.ladders import Ladder, Rung
from tuning.core.programme.progression_state import ExerciseState, LoggedSet, ProgressionMove
from tuning.core.programme.rules import Clock, PainPolicy, Rules
from tuning.core.types import Entry

SUBJECT = "programme"
"""Subject of the decisions about exercises."""
ALARMS = ("giving way", "catch", "swelling", "numb", "dizzy", "painkiller")
FLARE_ROWS = (2, 4, 5)
"""Rows whose step back is one of a flare-up; no other is."""
FILLED_IN = "Row "
"""How a reason begins that older versions filled in by themselves: nobody typed it."""


def set_of(done: Done, answered: bool = False, past: bool = False) -> LoggedSet:
    """A line of the log as the decision table reads it; a try-out is no session, what alarms in it counts."""
    told = {name.replace(" ", "_"): name in done.alarms for name in ALARMS}
    return LoggedSet(
        done.day, done.side, done.rung, done.pain, done.morning, done.morning_pain, done.faulty, done.felt,
        done.wrong, supervised=done.supervised, after_cut=done.after_cut, answered=answered, past=past or done.trial,
        **told,
    )  # fmt: skip


def amended(old: Done, new: Done, rules: Rules) -> Done:
    """A line put right: what it told before was told when it first was; what alarms newly is told now."""
    before, now = set_of(old), set_of(new)
    worse = set(new.alarms) > set(old.alarms) or (now.stops(rules) and not before.stops(rules))
    return replace(new, first_at=None if worse else old.first_at or old.at)


def log_of(entries: Sequence[Entry], rungs: Iterable[str], since: datetime | None = None) -> list[LoggedSet]:
    """The sets of some rungs, try-outs too, oldest first, each with whether a screen was saved after it.

    `since` is the moment of the present step: what was done earlier on its day is past.
    """
    wanted = set(rungs)
    screens = [(n, e.at) for n, e in enumerate(entries) if isinstance(e, Screen) and not e.again]
    made = []
    for n, one in enumerate(entries):
        if isinstance(one, Done) and one.rung in wanted:
            told = one.first_at or one.at
            answered = any(_is_after(at, place, one, n) for place, at in screens)
            same_day = since is not None and one.day == local_day(since)
            past = same_day and since is not None and told < since
            made.append(set_of(one, answered, past))
    return sorted(made, key=lambda one: one.day)


def _is_after(at: datetime, place: int, done: Done, n: int) -> bool:
    """Whether a screen answers what a line told: saved after it, and not dated before it. Either alone lies where a
    clock was set back, or an older record was taken in. The place of a line that was put right tells nothing."""
    return at > done.first_at if done.first_at is not None else place > n and at >= done.at


def sessions(entries: Iterable[Entry], rungs: Iterable[str]) -> list[Done]:
    """What was done of some rungs, oldest first; try-outs are left out."""
    wanted = set(rungs)
    return sorted(
        (e for e in entries if isinstance(e, Done) and e.rung in wanted and not e.trial), key=lambda e: (e.day, e.at)
    )


def passed(entries: Iterable[Entry]) -> frozenset[str]:
    """Rungs that were left upward by a decision."""
    return frozenset(str(e.inputs.get("from")) for e in _moves(entries) if e.outcome == ProgressionMove.CLIMB.value)


def local_day(moment: datetime) -> date:
    """The day on which something was, where the program runs."""
    return moment.astimezone().date()


def _moves(entries: Iterable[Entry]) -> Iterator[Decision]:
    return (e for e in entries if isinstance(e, Decision) and e.subject == SUBJECT)


def _row_of(decision: Decision) -> int:
    """The row a decision was by; older records say it in words only, one that was overruled has none."""
    row = decision.inputs.get("row")
    if isinstance(row, int):
        return row
    words = str(decision.inputs.get("why", "")).removeprefix("Row ").split(":")[0]
    return int(words) if words.isdigit() else 0


@dataclass(frozen=True)
class NextStepState:
    """What lies ahead of one exercise: why its next step is locked and what lifts it, the step within the rung."""

    locked: str = ""
    lifted: str = ""
    within: str = ""
    loads: bool = False


@dataclass(frozen=True)
class Pace:
    """The rules, the clinic's step clock, and the moment from which a licensed clinician's reason counts."""

    rules: Rules
    clock: Clock = Clock.USUAL
    asked_since: datetime | None = None


def exercise_of(
    item: PlanItem, rung: Rung, ladder: Ladder, entries: Sequence[Entry], ahead: NextStepState, pace: Pace
) -> ExerciseState:
    """An item of the plan as the decision table reads it."""
    ids = tuple(r.id for r in ladder.line(rung))
    dose, above = Dose(**item.dose), ladder.above(rung)
    moves = [e for e in _moves(entries) if e.inputs.get("from") in ids]
    here = [e for e in moves if e.inputs.get("from") == rung.id]
    flares = [
        e
        for e in moves
        if e.outcome in (ProgressionMove.BACK.value, ProgressionMove.STOP.value) and _row_of(e) in FLARE_ROWS
    ]
    stops = [e for e in moves if e.outcome == ProgressionMove.STOP.value]
    return ExerciseState(
        rung=rung.id,
        line=ids,
        since=local_day(step_since(item, entries)),
        sides=rung.sides,
        ladder=ladder.id,
        loaded=rung.loaded_as(rung.pose(item.variant), dose.depth_deg, dose.load_kg),
        sessions=pace.rules.sessions.rung,
        days=pace.rules.clock.days(rung.daily, pace.clock),
        per_week=float(dose.days),
        changed=_newest(e for e in here if e.outcome == ProgressionMove.CHANGE.value),
        locked=ahead.locked,
        lifted=ahead.lifted,
        transition=above is not None and above.transition,
        tried=above is not None and tried_clean(entries, above, pace.rules.pain.most[PainPolicy.STRICT]),
        held=_held(moves, ids),
        within=ahead.within,
        loads=ahead.loads,
        stopped=_newest(stops),
        stops=sum(e.inputs.get("from") == rung.id for e in stops),
        backed=_newest(flares),
        retested=_newest(e for e in here if e.outcome == ProgressionMove.RETEST.value),
        reason=reason_given(item, pace.asked_since),
    )


def reason_given(item: PlanItem, since: datetime | None) -> bool:
    """Whether a reason was typed for an item while what now asks for one stood already."""
    typed = bool(item.reason.strip()) and not item.reason.startswith(FILLED_IN)
    return typed and since is not None and item.at >= since


def _newest(decisions: Iterable[Decision]) -> date | None:
    return max((local_day(e.at) for e in decisions), default=None)


def _held(moves: Sequence[Decision], line: Sequence[str]) -> str:
    """The highest rung that a flare-up led away from and that was not regained; any other step back gives it up."""
    held = ""
    for one in moves:
        before, to = str(one.inputs.get("from")), str(one.inputs.get("to"))
        if one.outcome in (ProgressionMove.BACK.value, ProgressionMove.STOP.value) and to != before:
            flare = _row_of(one) in FLARE_ROWS
            higher = held if held and line.index(held) > line.index(before) else before
            held = higher if flare else ""
        elif one.outcome == ProgressionMove.REPLACE.value or _regained(one, to, held, line):
            held = ""
    return held


def _regained(one: Decision, to: str, held: str, line: Sequence[str]) -> bool:
    climbed = one.outcome == ProgressionMove.CLIMB.value and held in line and to in line
    return climbed and line.index(to) >= line.index(held)


def step_since(item: PlanItem, entries: Iterable[Entry]) -> datetime:
    """When the present step began: an earlier stay at the same rung is another one."""
    begun = item.at
    for one in reversed([e for e in entries if isinstance(e, PlanItem) and e.ladder == item.ladder]):
        if one.rung == item.rung and one.withdrawn:
            break
        if one.rung == item.rung and not _same_step(one, item):
            break
        if one.rung == item.rung:
            begun = min(begun, one.at)
    return begun


def _same_step(one: PlanItem, other: PlanItem) -> bool:
    """Whether two items ask the same of the same rung: variant, and all of the dose that a climb moves."""
    told = [key for key in MOVED if key in one.dose and key in other.dose]
    asked = [[entry.dose[key] or 0 for key in told] for entry in (one, other)]
    return (one.rung, one.variant, asked[0]) == (other.rung, other.variant, asked[1])


def tried_clean(entries: Iterable[Entry], rung: Rung, pain_limit: int) -> bool:
    """Whether the newest supervised try-out of each side was clean; home logs never open a transition."""
    newest = {d.side: d for d in entries if isinstance(d, Done) and d.rung == rung.id and d.trial and d.supervised}
    return all(side in newest and _is_clean_try(newest[side], pain_limit) for side in rung.sides)


def _is_clean_try(done: Done, pain_limit: int) -> bool:
    return done.felt and not (done.wrong or done.faults or done.alarms) and done.pain <= pain_limit


def alarms_open(entries: Sequence[Entry], rules: Rules, today: date) -> list[LoggedSet]:
    """What alarmed anywhere, clinic or home, and has not been answered by a screen saved after it, newest first."""
    rungs = {e.rung for e in entries if isinstance(e, Done)}
    found = [one for one in log_of(entries, rungs) if one.day <= today and one.alarms(rules) and not one.answered]
    return sorted(found, key=lambda one: one.day, reverse=True)
