"""The course of a plan, read from a case: what decides its phase, clean weeks, open goals, the load of each week."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from tuning.core.dates import latest_day
from tuning.core.entries import Decision, Done, Form, NextDayResponse, PlanItem, Screen
from tuning.core.gate.open_findings import SafetyFinding
from tuning.core.gate.triage import SafetyTable, counts_as_yes
from tuning.core.programme.dose import Dose
from tuning.core.programme.joint_load import WeekLoad, by_week, day_load, joint_load, repetitions
from tuning.core.programme.ladders import Rung
from tuning.core.programme.log_mapping import set_of
from tuning.core.programme.open_side_gaps import SideGap, still_open
from tuning.core.programme.phases import FLARE_DAYS, Phase, PhaseFacts
from tuning.core.programme.progression_rules import is_ready
from tuning.core.programme.progression_state import ExerciseState, LoggedSet, PlanContext
from tuning.core.programme.rules import PainPolicy, Rules
from tuning.core.reasoning.progress import TO_PROGRAMME
from tuning.core.types import Entry, Observation, Side, Triage

HISTORY, COMPLAINT, SCORE = "intake-history", "intake-complaint", "intake-goals"
"""Forms that tell of injuries and goals, and the measure of the activity score."""
GOAL_MET = 8.0
"""From where a goal counts as met: the score's error of 2 below "as before" (Stratford 1995)."""
DELOAD_EVERY = 5
"""Every fifth week has fewer sets and no climb (4 to 6, practice judgement, editable)."""
INHIBITED = "pain-inhibition"
GOALS_LOAD, NO_LOAD = "goals-need-load", "no"
"""Decision whether a goal of the patient needs load, and its outcome where none does."""
GOAL_CLOSED, DISCHARGE, OPEN_AGAIN = "goal-closed", "discharge", "open again"
"""Decisions that a goal is given up, and that the plan has ended; both can be opened again."""


@dataclass(frozen=True)
class PlanStatusInputs:
    """What stands around the log on `today`: level of the screen, open findings, side gaps, pain school.

    `planned` are the rungs of the plan, `passed` those left upward, `target` whether the target rung is passed.
    """

    today: date
    triage: Triage | None = None
    gaps: Sequence[SideGap] = ()
    planned: Sequence[Rung] = ()
    passed: frozenset[str] = frozenset()
    school: PainPolicy = PainPolicy.STRICT
    target: bool = False


def facts_of(entries: Sequence[Entry], safety: SafetyTable, around: PlanStatusInputs, rules: Rules) -> PhaseFacts:
    """What decides about the phase."""
    today = around.today
    done = [e for e in entries if isinstance(e, Done) and e.day <= today]
    recent = [d for d in done if d.day >= today - timedelta(days=FLARE_DAYS)]
    week = [d for d in recent if d.day >= today - timedelta(days=7)]
    unquiet = [d.day for d in done if d.morning == NextDayResponse.NOT]
    first = min((d.day for d in done if not d.trial), default=today)
    return PhaseFacts(
        pain_inhibited=INHIBITED in _taken_over(entries),
        flares=len({d.day for d in recent if d.morning == NextDayResponse.NOT or set_of(d).stops(rules)}),
        weeks_since=weeks_since_injury(entries, safety, today),
        trial_pain=max((d.pain for d in recent if d.trial), default=0),
        climb_pain=rules.pain.climb[around.school],
        quiet_days=(today - max(unquiet, default=first)).days,
        worst_pain=max((d.pain for d in week), default=0),
        swelling=any("swelling" in d.alarms for d in week),
        amber=around.triage is Triage.AMBER,
        gaps=still_open(around.gaps, "mobility"),
        weak=still_open(around.gaps, "strength"),
        skills=[rung.name for rung in around.planned if rung.skill and rung.id not in around.passed],
        target=around.target,
        wants_load=wants_load(entries),
    )


def _taken_over(entries: Iterable[Entry]) -> set[str]:
    """Factors that Reasoning gave to the programme."""
    taken = (e for e in entries if isinstance(e, Decision) and e.subject == TO_PROGRAMME)
    return {str(e.inputs.get("factor")) for e in taken}


def wants_load(entries: Iterable[Entry]) -> bool:
    """Whether a goal needs load: yes until somebody decided that none does."""
    told = [e.outcome for e in entries if isinstance(e, Decision) and e.subject == GOALS_LOAD]
    return not told or told[-1] != NO_LOAD


def weeks_since_injury(entries: Iterable[Entry], safety: SafetyTable, today: date) -> float | None:
    """Weeks since the newest injury or operation, at least; None where none is told with a date.

    The history tells dates; a safety screen that was answered "injured in the last days" counts from its own day.
    """
    history: Form | None = None
    days: list[date] = []
    asked = [q.id for q in safety.questions if q.recent]
    for entry in entries:
        if isinstance(entry, Form) and entry.kind == HISTORY:
            history = entry
        elif isinstance(entry, Screen) and any(counts_as_yes(safety, entry.answers, q) for q in asked):
            days.append(entry.at.astimezone().date())
    told = history.data.get("injuries") or () if history is not None else ()
    days += [day for row in told if (day := latest_day(str(row.get("date") or ""), today)) is not None]
    return (today - max(days)).days / 7 if days else None


def suspects_bone(open_findings: Iterable[SafetyFinding], safety: SafetyTable) -> bool:
    """Whether a finding stands under which only the strict pain school is followed."""
    strict = {rule.id for rule in safety.rules if rule.strict}
    return any(found.id in strict for found in open_findings)


def target_passed(
    rung: Rung, exercise: ExerciseState, log: Sequence[LoggedSet], standing: PlanContext, rules: Rules
) -> bool:
    """Whether an exercise of phase load, the last of its line and in its whole range, is passed on all sides."""
    at_top = rung.phase is Phase.LOAD and not (exercise.above or exercise.within)
    return at_top and is_ready(exercise, log, standing, rules)


def deload_week(entries: Iterable[Entry], today: date) -> bool:
    """Whether the week of `today`, counted from the first exercise, is one with fewer sets."""
    starts = [e.at.astimezone().date() for e in entries if isinstance(e, PlanItem)]
    return bool(starts) and ((today - min(starts)).days // 7 + 1) % DELOAD_EVERY == 0


def clean_weeks(entries: Iterable[Entry], today: date, rules: Rules) -> int:
    """Weeks back from today, without a break, in which something was done, every morning settled, nothing alarmed."""
    done = [e for e in entries if isinstance(e, Done) and not e.trial]
    count = 0
    while True:
        end = today - timedelta(days=7 * count)
        week = [d for d in done if end - timedelta(days=7) < d.day <= end]
        if not week or any(d.morning != NextDayResponse.SETTLED or set_of(d).alarms(rules) for d in week):
            return count
        count += 1


def scores(seen: Iterable[Observation]) -> list[float]:
    """The activity score of every visit at which it was asked, oldest first."""
    return [o.measured for o in seen if o.measure_id == SCORE and o.measured is not None]


def open_goals(entries: Iterable[Entry]) -> list[str]:
    """Goals of the newest complaint that are neither met nor closed by the patient."""
    newest: Mapping[str, Any] = {}
    closed: dict[str, bool] = {}
    for entry in entries:
        if isinstance(entry, Form) and entry.kind == COMPLAINT:
            newest = entry.data
        elif isinstance(entry, Decision) and entry.subject == GOAL_CLOSED:
            closed[str(entry.inputs["activity"])] = entry.outcome != OPEN_AGAIN
    unmet = [g["activity"] for g in newest.get("goals") or () if (g.get("score") or 0) < GOAL_MET]
    return [activity for activity in unmet if activity and not closed.get(activity)]


def discharged(entries: Iterable[Entry], visit: str) -> Decision | None:
    """The decision of a visit that ended the plan; None where it was taken back. A later visit begins anew."""
    found = [e for e in entries if isinstance(e, Decision) and e.subject == DISCHARGE and e.visit == visit]
    last = found[-1] if found else None
    return last if last is not None and last.outcome != OPEN_AGAIN else None


def weekly_load(
    entries: Sequence[Entry], rung_of: Callable[[str], Rung], stature_m: float, side: Side
) -> list[WeekLoad]:
    """What one leg bore in every week: its own turns and those of both legs together; try-outs are left out.

    The dose is the one of the plan item that stood on the day, or the rung's own.
    """
    days = []
    items = [e for e in entries if isinstance(e, PlanItem)]
    settled = {NextDayResponse.SETTLED: True, NextDayResponse.NOT: False}
    for one in entries:
        if isinstance(one, Done) and not one.trial and one.side in (side, Side.NONE):
            rung = rung_of(one.rung)
            dose = _dose_on(items, one, rung)
            joint = joint_load(rung, rung.pose(one.variant), stature_m, dose.depth_deg)
            count = repetitions(dose, one.sets or None, one.reps or None)
            days.append(day_load(one.day, joint, count, settled.get(one.morning)))
    return by_week(days)


def _dose_on(items: Sequence[PlanItem], done: Done, rung: Rung) -> Dose:
    """The dose that was asked for; else the one of the plan on that day, or the first where it was logged before."""
    if done.dose:
        return Dose(**done.dose)
    of_rung = [e for e in items if e.rung == done.rung]
    before = [e for e in of_rung if e.at.astimezone().date() <= done.day]
    found = (before[-1:] or of_rung[:1]) if of_rung else []
    return Dose(**found[0].dose) if found else rung.dose
