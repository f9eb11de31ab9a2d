"""Up, hold or back: the decision for one exercise from its log, by the table of the programme.

Rows 1 to 12 and the careful half of row 19 are all looked at and the most careful one wins; the others stand beside it.
Where none speaks, the first of rows 13 to 20 that fits. Two laws hold over the whole table: more pain, more faults or
more alarms never make it more daring, and what is not known neither climbs nor answers an alarm.

The numbers are those of knowledge/progression.toml.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from datetime import timedelta

from tuning.core.entries import NextDayResponse
from tuning.core.programme.progression_inputs import RuleInputs, inputs_of
from tuning.core.programme.progression_state import (
    STOPS,
    ExerciseState,
    LoggedSet,
    PlanContext,
    ProgressionDecision,
    ProgressionMove,
)
from tuning.core.programme.rules import PainPolicy, Rules
from tuning.core.types import Triage


def decide(
    exercise: ExerciseState, log: Sequence[LoggedSet], standing: PlanContext, rules: Rules
) -> ProgressionDecision:
    """The most careful of the careful rows; where none speaks, the first of the others."""
    x = inputs_of(exercise, log, standing, rules)
    careful = sorted(filter(None, (row(x) for row in CAREFUL)), key=lambda found: (found.move.care, found.row))
    if careful:
        first, *others = careful
        beside = [f"row {one.row}, {one.move.value}: {one.reason}" for one in others]
        return replace(first, also=(*first.also, *beside))
    return next(found for row in OTHERS if (found := row(x)) is not None)


def is_ready(exercise: ExerciseState, log: Sequence[LoggedSet], standing: PlanContext, rules: Rules) -> bool:
    """Whether all sides have their clean sessions and days, with pain that lets climb."""
    return _ready(inputs_of(exercise, log, standing, rules))


def _back(row: int, x: RuleInputs, reason: str, reverses: str, *also: str) -> ProgressionDecision:
    """One rung down; at the bottom it is held, with less."""
    if x.exercise.below:
        return ProgressionDecision(row, ProgressionMove.BACK, x.exercise.below, reason, reverses, also)
    return ProgressionDecision(
        row,
        ProgressionMove.HOLD,
        x.exercise.rung,
        f"{reason}; it is the lowest rung",
        reverses,
        ("half the sets", *also),
    )


def _hold(row: int, x: RuleInputs, reason: str, reverses: str, *also: str) -> ProgressionDecision:
    return ProgressionDecision(row, ProgressionMove.HOLD, x.exercise.rung, reason, reverses, also)


def _unanswered(x: RuleInputs, sets: Iterable[LoggedSet]) -> list[LoggedSet]:
    """What alarmed and has not been answered: by a screen after it, and rest where it stopped the exercise."""
    return [one for one in sets if not (one.answered and _rested(x, one))]


def _rested(x: RuleInputs, alarm: LoggedSet) -> bool:
    """Whether the line rested as long as it must, at any time since."""
    days = sorted({one.day for one in x.line if one.day >= alarm.day} | {alarm.day, x.standing.today})
    return any((later - day).days >= x.rules.alarms.rest for day, later in zip(days, days[1:], strict=False))


def _signs(sets: Sequence[LoggedSet], rules: Rules) -> str:
    """What stopped the exercise, in words."""
    pain, limit = max(one.pain or 0 for one in sets), rules.pain.stop
    signs = [words for name, words in STOPS.items() if any(getattr(one, name) for one in sets)]
    return ", ".join(([f"pain {pain}/10 (limit {limit})"] if pain > limit else []) + signs)


ASK_AGAIN = "ask the safety screen again at once"


def _refer_on_red_flag(x: RuleInputs) -> ProgressionDecision | None:
    if x.standing.triage is None:
        return ProgressionDecision(
            1,
            ProgressionMove.ASK,
            x.exercise.rung,
            "no safety screen is on record",
            "ask the safety screen",
            override="nobody",
        )
    if x.standing.triage is Triage.RED and not x.standing.cleared:
        return ProgressionDecision(
            1,
            ProgressionMove.REFER,
            x.exercise.rung,
            "a red flag is open: stop and refer",
            "a clearance on record",
            ("testing and loading locked",),
            "nobody",
        )
    return None


def _stop_on_alarm(x: RuleInputs) -> ProgressionDecision | None:
    alarming = [one for one in x.line if one.stops(x.rules)]
    found = _unanswered(x, alarming)
    if not found:
        return None
    newest = max(one.day for one in found)
    reason = f"{_signs([one for one in found if one.day == newest], x.rules)} on {newest:%-d %b}"
    lifts = f"a safety screen saved after it, and {24 * x.rules.alarms.rest} hours of rest"
    window = newest - timedelta(days=x.rules.alarms.again)
    if any(window <= one.day < newest for one in alarming):
        again = f"{reason}, the second time in {x.rules.alarms.again} days"
        return ProgressionDecision(2, ProgressionMove.REFER, x.exercise.rung, again, lifts, (ASK_AGAIN,))
    if x.exercise.stopped is not None and x.exercise.stopped >= newest:  # acted on already: it only rests
        return ProgressionDecision(2, ProgressionMove.STOP, x.exercise.rung, reason, lifts, (ASK_AGAIN,))
    if x.exercise.below:
        return ProgressionDecision(
            2, ProgressionMove.STOP, x.exercise.below, reason, lifts, (ASK_AGAIN, "then one rung down")
        )
    if x.exercise.stops:
        out = f"{reason}, again at the lowest rung"
        return ProgressionDecision(
            2, ProgressionMove.OUT, x.exercise.rung, out, "another ladder", (ASK_AGAIN, "take this ladder out")
        )
    light = "then the lightest form of it, at half the sets"
    return ProgressionDecision(2, ProgressionMove.STOP, x.exercise.rung, reason, lifts, (ASK_AGAIN, light))


def _refer_on_nerve_signs(x: RuleInputs) -> ProgressionDecision | None:
    found = [one for one in x.everything if one.nervous and not one.answered]
    if not found:
        return None
    newest = max(one.day for one in found)
    told = "numb" if any(one.numb for one in found if one.day == newest) else "dizzy"
    return ProgressionDecision(
        3,
        ProgressionMove.REFER,
        x.exercise.rung,
        f"{told} during exercise on {newest:%-d %b}: end the session",
        "a safety screen saved after it",
        (ASK_AGAIN,),
    )


def _refer_on_amber(x: RuleInputs) -> ProgressionDecision | None:
    settled = x.standing.cleared or x.standing.overruled or x.exercise.reason
    if x.standing.triage is not Triage.AMBER or settled or not x.exercise.loaded:
        return None
    lifts = "cleared, or a licensed clinician's reason for this exercise"
    if not x.standing.prompt:
        return _hold(3, x, "AMBER is open and this is a loaded exercise", lifts)
    reason = "AMBER is open and this is a loaded exercise: hold, have it checked promptly"
    return ProgressionDecision(3, ProgressionMove.REFER, x.exercise.rung, reason, lifts)


def _back_after_unsettled_morning(x: RuleInputs) -> ProgressionDecision | None:
    if x.morning is not NextDayResponse.NOT:
        return None
    days = sorted({one.day for one in x.line})
    before = {one.morning for one in x.line if len(days) > 1 and one.day == days[-2]}
    also = ("one extra rest day", *(["review: twice running"] if NextDayResponse.NOT in before else []))
    return _back(4, x, "the morning after had not settled", "settled mornings", *also)


def _back_on_rising_mornings(x: RuleInputs) -> ProgressionDecision | None:
    if not x.rising:
        return None
    return _back(5, x, "mean morning pain rose two weeks running", "a week without a rise", "review")


def _back_when_felt_elsewhere(x: RuleInputs) -> ProgressionDecision | None:
    sessions = x.recent[-x.rules.sessions.wrong :]
    if len(sessions) < x.rules.sessions.wrong or not all(any(one.wrong for one in sets) for sets in sessions):
        return None
    reason = f"felt in an unwanted place in {x.rules.sessions.wrong} sessions"
    if not x.exercise.below:
        return ProgressionDecision(6, ProgressionMove.SECOND, x.exercise.rung, reason, "felt where it is meant")
    return _back(6, x, reason, "felt where it is meant")


def _back_on_many_faults(x: RuleInputs) -> ProgressionDecision | None:
    many = x.rules.faults.many
    if x.faulty <= many:
        return None
    return _back(7, x, f"faulty repetitions {x.faulty:.0f} % (limit {many:.0f})", f"at most {many:.0f} % faulty")


def _back_after_a_break(x: RuleInputs) -> ProgressionDecision | None:
    if x.missed <= x.rules.missed.fewer:
        return None
    reason = f"{x.missed} days since the last session"
    if x.missed <= x.rules.missed.back:
        return _hold(8, x, reason, "a session", "one set fewer")
    if x.missed <= x.rules.missed.replace:
        return _back(8, x, reason, "regular sessions")
    return ProgressionDecision(8, ProgressionMove.REPLACE, x.exercise.below or x.exercise.rung, reason, "a new try-out")


def _cut_or_back_over_strict_pain(x: RuleInputs) -> ProgressionDecision | None:
    limit = x.rules.pain.most[PainPolicy.STRICT]
    if x.standing.pain_school is not PainPolicy.STRICT or x.pain <= limit:
        return None
    reason = f"pain {x.pain}/10 (strict limit {limit})"
    after = max((one.after_cut for one in x.last if one.after_cut is not None), default=None)
    if after is not None and after > limit:
        return _back(9, x, f"{reason}, still {after}/10 after the cut", f"pain at most {limit}")
    if after is not None:
        return _hold(9, x, f"{reason}, {after}/10 after the cut", f"pain at most {limit}")
    return _hold(9, x, reason, f"pain at most {limit}", "cut range or zone now, and ask again at once")


def _hold_while_settling(x: RuleInputs) -> ProgressionDecision | None:
    if x.flare != "settling":
        return None
    return _hold(10, x, "a flare-up is settling", "quiet mornings", "half the sets", "toe zone one lower")


def _hold_when_little_is_done(x: RuleInputs) -> ProgressionDecision | None:
    least = x.rules.adherence.least
    if x.adherence >= least:
        return None
    reason = f"{x.adherence:.0f} % of the planned sessions were done"
    return _hold(11, x, reason, f"at least {least:.0f} %", "shorten the plan")


def _returning(x: RuleInputs) -> bool:
    clean = all(x.clean.get(side, 0) >= x.rules.sessions.back for side in x.exercise.sides)
    return x.flare == "returning" and clean and x.pain <= x.climb_pain


def _ready(x: RuleInputs) -> bool:
    return all(x.ready(side) for side in x.exercise.sides) and x.pain <= x.climb_pain


def _blocked(x: RuleInputs) -> tuple[str, str] | None:
    """What keeps everything from climbing, ready or not, and what lifts it."""
    one, days = x.exercise, x.rules.alarms.no_climb
    start = x.standing.today - timedelta(days=days)
    alarmed = max((s.day for s in x.everything if s.alarms(x.rules) and s.day >= start), default=None)
    untried = one.transition and not one.tried and not one.within
    reasons = (
        (x.morning is NextDayResponse.UNKNOWN, "the morning after is not known", "how the morning was"),
        (any(s.pain is None for s in x.last), "the pain of the last session is not known", "the pain of a session"),
        (any(s.painkiller for s in x.last), "a painkiller was taken", "a session without one"),
        (alarmed is not None, f"an alarm on {alarmed:%-d %b}" if alarmed else "", f"{days} days without an alarm"),
        (bool(one.locked), one.locked, one.lifted or "the limit lifted"),
        (untried, "the next rung is a transition that was not tried", "a supervised try-out, clean on both sides"),
        (x.standing.deload, "a deload week", "the week after"),
        (not (one.above or one.within), "the top of the line is reached", "another goal"),
    )
    return next(((reason, lifts) for true, reason, lifts in reasons if true), None)


def _hold_what_would_climb(x: RuleInputs) -> ProgressionDecision | None:
    found = _blocked(x) if _returning(x) or _ready(x) else None
    return _hold(12, x, f"ready, but {found[0]}", found[1]) if found is not None else None


def _another_ladder_when_never_felt(x: RuleInputs) -> ProgressionDecision | None:
    sessions = x.recent
    unfelt = len(sessions) == x.rules.sessions.unfelt and all(not any(s.felt for s in sets) for sets in sessions)
    if x.exercise.ladder not in x.rules.school.felt or not unfelt:
        return None
    reason = f"not felt where it is meant in {len(sessions)} sessions"
    return ProgressionDecision(19, ProgressionMove.SECOND, x.exercise.rung, reason, "felt where it is meant")


def _climb_back(x: RuleInputs) -> ProgressionDecision | None:
    if not _returning(x):
        return None
    reason = f"back after a flare-up: {x.rules.sessions.back} clean sessions on both sides"
    return ProgressionDecision(13, ProgressionMove.CLIMB, x.exercise.above, reason, "pain over the limit")


def _climb(x: RuleInputs) -> ProgressionDecision | None:
    if not _ready(x):
        return None
    if x.exercise.small:
        reason = f"{x.rules.sessions.step} clean sessions on both sides, pain {x.pain}/10: a step within the exercise"
    else:
        reason = f"{x.exercise.sessions} clean sessions over {x.at_rung} days on both sides, pain {x.pain}/10"
    to = x.exercise.rung if x.exercise.within else x.exercise.above
    also = (x.exercise.within,) if x.exercise.within else ()
    return ProgressionDecision(14, ProgressionMove.CLIMB, to, reason, "a session that is not clean", also)


def _change_or_retest_on_plateau(x: RuleInputs) -> ProgressionDecision | None:
    """Only where nothing else keeps it from climbing: otherwise more pain would change what less pain holds."""
    if _blocked(x) is not None:
        return None
    reverses = f"{x.exercise.sessions} clean sessions"
    if x.since_change is None and x.since_climb >= x.rules.plateau.change:
        one_of = "tempo, sets, cue or sister rung: one of them"
        return ProgressionDecision(
            15, ProgressionMove.CHANGE, x.exercise.rung, f"no climb for {x.since_climb} days", reverses, (one_of,)
        )
    if x.since_change is not None and x.since_change >= x.rules.plateau.retest:
        reason = f"no climb {x.since_change} days after a change"
        return ProgressionDecision(
            15, ProgressionMove.RETEST, x.exercise.rung, reason, reverses, ("back to Reasoning",)
        )
    return None


def _hold_accepted_pain(x: RuleInputs) -> ProgressionDecision | None:
    if x.standing.pain_school is not PainPolicy.MONITORED or not x.climb_pain < x.pain <= x.rules.pain.stop:
        return None
    return _hold(16, x, f"pain {x.pain}/10 is accepted, not enough to climb", f"pain at most {x.climb_pain}")


def _hold_on_some_faults(x: RuleInputs) -> ProgressionDecision | None:
    clean = x.rules.faults.clean
    if not clean < x.faulty <= x.rules.faults.many:
        return None
    reason = f"faulty repetitions {x.faulty:.0f} % (limit {clean:.0f})"
    return _hold(17, x, reason, f"{x.exercise.sessions} sessions at {clean:.0f} % or less", "one cue only")


def _hold_for_the_other_side(x: RuleInputs) -> ProgressionDecision | None:
    ready = [side for side in x.exercise.sides if x.ready(side)]
    if len(ready) != 1 or len(x.exercise.sides) < 2:
        return None
    behind = ready[0].other
    held = _hold(18, x, f"only the {ready[0].value} side is ready", f"the {behind.value} side ready, too",
                 f"one extra set on the {behind.value} side")  # fmt: skip
    return replace(held, poorer=behind)


def _hold_when_not_felt(x: RuleInputs) -> ProgressionDecision | None:
    if x.exercise.ladder not in x.rules.school.felt or all(one.felt for one in x.last):
        return None
    return _hold(19, x, "not felt where it is meant", "felt", "repeat the set-up")


def _hold_otherwise(x: RuleInputs) -> ProgressionDecision:
    one, least = x.exercise, min((x.clean.get(side, 0) for side in x.exercise.sides), default=0)
    if one.small:
        wanted = x.rules.sessions.step
        return _hold(20, x, f"{least} of {wanted} clean sessions", f"{wanted} clean sessions, both sides")
    reason = f"{least} of {one.sessions} clean sessions, {x.at_rung} of {one.days} days"
    return _hold(20, x, reason, f"{one.sessions} clean sessions over {one.days} days, both sides")


Row = Callable[[RuleInputs], ProgressionDecision | None]
CAREFUL: tuple[Row, ...] = (
    _refer_on_red_flag, _stop_on_alarm, _refer_on_nerve_signs, _refer_on_amber, _back_after_unsettled_morning,
    _back_on_rising_mornings, _back_when_felt_elsewhere, _back_on_many_faults, _back_after_a_break,
    _cut_or_back_over_strict_pain, _hold_while_settling, _hold_when_little_is_done, _hold_what_would_climb,
    _another_ladder_when_never_felt,
)  # fmt: skip
"""Rows 1 to 12, and the half of row 19 that leaves a ladder."""
OTHERS: tuple[Row, ...] = (
    _climb_back, _climb, _change_or_retest_on_plateau, _hold_accepted_pain, _hold_on_some_faults,
    _hold_for_the_other_side, _hold_when_not_felt, _hold_otherwise,
)  # fmt: skip
"""Rows 13 to 20."""
