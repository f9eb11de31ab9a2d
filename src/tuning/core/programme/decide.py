"""Up, hold or back: the decision for one exercise from its log, by the table of the programme; the first row counts.

The rows and their numbers are practice judgement, editable; pain up to 5 that settles by next morning after Thomee
(1997) and Silbernagel (2007).
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from enum import StrEnum

from tuning.core.types import LEGS, Side, Triage


class School(StrEnum):
    """How much pain an exercise may give."""

    STRICT = "strict"
    MONITORED = "monitored"


class Move(StrEnum):
    """What happens to the exercise."""

    ASK = "ask first"
    STOP = "stop"
    REFER = "refer"
    BACK = "step back"
    REPLACE = "place anew"
    SECOND = "second-choice ladder"
    HOLD = "hold"
    CHANGE = "change one thing"
    RETEST = "re-test the cause"
    CLIMB = "climb"


class Morning(StrEnum):
    """How the morning after was."""

    SETTLED = "settled"
    NOT = "not settled"
    UNKNOWN = "unknown"


CLIMB_PAIN = {School.STRICT: 2, School.MONITORED: 3}
MOST_PAIN = {School.STRICT: 2, School.MONITORED: 5}
STOP_PAIN = 5
CLEAN_FAULTS, MANY_FAULTS = 10.0, 30.0
SETTLING_DAYS, MOST_SETTLING_DAYS, SETTLED_PAIN = 3, 7, 2
SHORT_MISS, LONG_MISS, LOST = 7, 14, 28
LEAST_ADHERENCE, ADHERENCE_DAYS = 60.0, 14
PLATEAU_DAYS, CHANGED_DAYS = 21, 14
FELT_LADDERS = ("shift", "slide")


@dataclass(frozen=True)
class Set:
    """What one side of an exercise was like on a day: peak pain 0-10, share of faulty repetitions in percent.

    Without a rung it is one of the rung that is decided about.
    """

    day: date
    side: Side
    rung: str = ""
    pain: int = 0
    morning: Morning = Morning.UNKNOWN
    morning_pain: int | None = None
    faulty: float = 0.0
    felt: bool = True
    wrong: bool = False
    giving_way: bool = False
    catch: bool = False
    swelling: bool = False
    numb: bool = False
    dizzy: bool = False
    painkiller: bool = False
    supervised: bool = False

    @property
    def alarming(self) -> bool:
        """What ends the exercise at once, under any school."""
        return self.pain > STOP_PAIN or self.giving_way or self.catch or self.swelling


@dataclass(frozen=True)
class Exercise:
    """An exercise of the plan, and where it can go.

    `line` are the rungs from easy to hard. `sessions` and `days` are what a climb asks for. `locked` says why the
    next step may not be taken (surgeon's limit, gate, phase, kit, cap), empty where it may; `transition` that it must
    be tried under supervision first, `tried` that it was, clean on both sides. `held` is the rung before a flare-up.
    `within` names a step that the rung itself still has: more range, the next variant.
    """

    rung: str
    line: tuple[str, ...]
    since: date
    sides: tuple[Side, ...] = LEGS
    ladder: str = ""
    loaded: bool = False
    sessions: int = 3
    days: int = 14
    per_week: float = 3.0
    changed: date | None = None
    locked: str = ""
    transition: bool = False
    tried: bool = False
    held: str = ""
    within: str = ""

    @property
    def place(self) -> int:
        """Which rung of its line it is, from 0."""
        return self.line.index(self.rung)

    @property
    def above(self) -> str:
        """The next rung; empty at the top."""
        return self.line[self.place + 1] if self.place + 1 < len(self.line) else ""

    @property
    def below(self) -> str:
        """The rung below; empty at the bottom."""
        return self.line[self.place - 1] if self.place else ""


@dataclass(frozen=True)
class Standing:
    """What stands around the exercises today."""

    today: date
    triage: Triage | None = None
    cleared: bool = False
    overruled: bool = False
    school: School = School.STRICT
    bone_stress: bool = False
    deload: bool = False

    @property
    def pain_school(self) -> School:
        """Where bone stress is suspected only the strict school is followed."""
        return School.STRICT if self.bone_stress else self.school


@dataclass(frozen=True)
class Inputs:
    """What the rows look at, worked out of the log once."""

    exercise: Exercise
    standing: Standing
    last: tuple[Set, ...]
    before: tuple[Set, ...]
    clean: Mapping[Side, int]
    at_rung: int
    missed: int
    adherence: float
    alarms: tuple[date, ...]
    rising: bool
    flare: str
    since_climb: int
    since_change: int | None

    @property
    def pain(self) -> int:
        """Peak pain of the last session, either side."""
        return max((one.pain for one in self.last), default=0)

    @property
    def faulty(self) -> float:
        """Faulty repetitions of the last session, the poorer side, percent."""
        return max((one.faulty for one in self.last), default=0.0)

    @property
    def climb_pain(self) -> int:
        """Pain up to which a climb may follow."""
        return CLIMB_PAIN[self.standing.pain_school]

    def ready(self, side: Side) -> bool:
        """Whether a side has its clean sessions and its days."""
        return self.clean.get(side, 0) >= self.exercise.sessions and self.at_rung >= self.exercise.days

    @property
    def morning(self) -> Morning:
        """The worst that is known of the morning after the last session."""
        told = {one.morning for one in self.last}
        return Morning.NOT if Morning.NOT in told else Morning.UNKNOWN if Morning.UNKNOWN in told else Morning.SETTLED


@dataclass(frozen=True)
class Decision:
    """The row that counts, what to do, to which rung, why, and what would reverse it."""

    row: int
    move: Move
    to: str
    reason: str
    reverses: str
    also: tuple[str, ...] = field(default=())
    override: str = "a licensed clinician, with a reason"


def is_clean(one: Set, school: School) -> bool:
    """Few faults, felt where meant, nowhere else, pain within the school during and on the next morning."""
    within = one.pain <= MOST_PAIN[school] and (one.morning_pain or 0) <= MOST_PAIN[school]
    return one.faulty <= CLEAN_FAULTS and one.felt and not one.wrong and within and one.morning is not Morning.NOT


def inputs_of(exercise: Exercise, log: Sequence[Set], standing: Standing) -> Inputs:
    """Everything that the rows need, from the sets of one line; what lies ahead is left out.

    Sessions are those of the present rung; alarms and flare-ups count wherever in the line they came.
    """
    line = sorted((one for one in log if one.day <= standing.today), key=lambda one: (one.day, one.side.value))
    known = [one for one in line if one.rung in ("", exercise.rung) and one.day >= exercise.since]
    days = sorted({one.day for one in known})
    by_day = {day: tuple(one for one in known if one.day == day) for day in days}
    last = by_day[days[-1]] if days else ()
    before = by_day[days[-2]] if len(days) > 1 else ()
    clean = {side: _clean_in_a_row(known, side, standing.pain_school) for side in exercise.sides}
    start = standing.today - timedelta(days=ADHERENCE_DAYS)
    wanted = exercise.per_week * min(ADHERENCE_DAYS, max(1, (standing.today - exercise.since).days)) / 7
    done = sum(start < day for day in days)
    alarms = tuple(sorted({one.day for one in line if one.alarming}))
    flared = sorted({one.day for one in line if one.alarming or one.morning is Morning.NOT})
    return Inputs(
        exercise,
        standing,
        last,
        before,
        clean,
        (standing.today - exercise.since).days,
        (standing.today - (days[-1] if days else exercise.since)).days,
        100.0 * min(1.0, done / wanted) if wanted >= 1 else 100.0,  # before a session was due nothing was missed
        alarms,
        _rising(line, standing.today),
        _flare(exercise, flared, last, standing.today),
        (standing.today - exercise.since).days,
        (standing.today - exercise.changed).days if exercise.changed is not None else None,
    )


def _clean_in_a_row(log: Sequence[Set], side: Side, school: School) -> int:
    count = 0
    for one in reversed([one for one in log if one.side is side]):
        if not is_clean(one, school):
            break
        count += 1
    return count


def _rising(log: Sequence[Set], today: date) -> bool:
    """Whether the mean morning pain went up two weeks running."""
    means = []
    for back in (2, 1, 0):
        first, end = today - timedelta(days=7 * (back + 1)), today - timedelta(days=7 * back)
        told = [one.morning_pain for one in log if one.morning_pain is not None and first < one.day <= end]
        if not told:
            return False
        means.append(sum(told) / len(told))
    return means[0] < means[1] < means[2]


def _flare(exercise: Exercise, flared: Sequence[date], last: Sequence[Set], today: date) -> str:
    """`settling` for three days, up to seven while mornings are not quiet; then `returning` to the rung held before."""
    if flared:
        since = (today - flared[-1]).days
        quiet = all(s.morning is Morning.SETTLED and (s.morning_pain or 0) <= SETTLED_PAIN for s in last)
        if since < SETTLING_DAYS or (since <= MOST_SETTLING_DAYS and not quiet):
            return "settling"
    return "returning" if exercise.held and exercise.held in exercise.line[exercise.place + 1 :] else ""


def decide(exercise: Exercise, log: Sequence[Set], standing: Standing) -> Decision:
    """The first row of the table that matches."""
    found = inputs_of(exercise, log, standing)
    for row in ROWS:
        decision = row(found)
        if decision is not None:
            return decision
    raise AssertionError("the last row always matches")


def is_ready(exercise: Exercise, log: Sequence[Set], standing: Standing) -> bool:
    """Whether all sides have their clean sessions and days, with pain that lets climb."""
    return _ready(inputs_of(exercise, log, standing))


def _back(row: int, x: Inputs, reason: str, reverses: str, *also: str) -> Decision:
    """One rung down; at the bottom it is held, with less."""
    if x.exercise.below:
        return Decision(row, Move.BACK, x.exercise.below, reason, reverses, also)
    return Decision(
        row, Move.HOLD, x.exercise.rung, f"{reason}; it is the lowest rung", reverses, ("half the sets", *also)
    )


def _hold(row: int, x: Inputs, reason: str, reverses: str, *also: str) -> Decision:
    return Decision(row, Move.HOLD, x.exercise.rung, reason, reverses, also)


def _row_1(x: Inputs) -> Decision | None:
    if x.standing.triage is None:
        return Decision(1, Move.ASK, x.exercise.rung, "no safety screen is on record", "ask the safety screen",
                        override="nobody")  # fmt: skip
    if x.standing.triage is Triage.RED and not x.standing.cleared:
        return Decision(1, Move.REFER, x.exercise.rung, "a red flag stands: stop and refer", "a clearance on record",
                        ("testing and loading locked",), "nobody")  # fmt: skip
    return None


def _row_2(x: Inputs) -> Decision | None:
    if not any(one.alarming for one in x.last):
        return None
    why = ", ".join(
        words
        for words, told in (
            (f"pain {x.pain}/10 (limit {STOP_PAIN})", x.pain > STOP_PAIN),
            ("giving way", any(s.giving_way for s in x.last)),
            ("a catch", any(s.catch for s in x.last)),
            ("new swelling", any(s.swelling for s in x.last)),
        )
        if told
    )
    again = [day for day in x.alarms if x.last[0].day - timedelta(days=14) <= day < x.last[0].day]
    ask = "ask the safety screen again at once"
    if again:
        return Decision(
            2, Move.REFER, x.exercise.rung, f"{why}, the second time in 14 days", "a clearance on record", (ask,)
        )
    below = x.exercise.below or x.exercise.rung
    return Decision(2, Move.STOP, below, why, "48 hours off this ladder, then one rung down", (ask,))


def _row_3(x: Inputs) -> Decision | None:
    if any(one.numb or one.dizzy for one in x.last):
        told = "numb" if any(one.numb for one in x.last) else "dizzy"
        return Decision(3, Move.REFER, x.exercise.rung, f"{told} during the exercise: end the session", "examined",
                        ("ask the safety screen again",))  # fmt: skip
    amber = x.standing.triage is Triage.AMBER and not (x.standing.cleared or x.standing.overruled)
    if amber and x.exercise.loaded:
        return Decision(3, Move.REFER, x.exercise.rung, "AMBER stands and the rung is loaded: held, promptly looked at",
                        "cleared, or overruled with a reason")  # fmt: skip
    return None


def _row_4(x: Inputs) -> Decision | None:
    if x.morning is not Morning.NOT:
        return None
    twice = any(one.morning is Morning.NOT for one in x.before)
    also = ("one extra rest day", "review: twice running") if twice else ("one extra rest day",)
    return _back(4, x, "the morning after had not settled", "settled mornings", *also)


def _row_5(x: Inputs) -> Decision | None:
    return (
        _back(5, x, "mean morning pain rose two weeks running", "a week without a rise", "review") if x.rising else None
    )


def _row_6(x: Inputs) -> Decision | None:
    limit = MOST_PAIN[School.STRICT]
    if x.standing.pain_school is not School.STRICT or x.pain <= limit:
        return None
    reason = f"pain {x.pain}/10 (strict limit {limit})"
    if any(one.pain > limit for one in x.before):
        return _back(6, x, f"{reason}, again after less range", f"pain at most {limit}")
    return _hold(6, x, reason, f"pain at most {limit}", "cut range or zone now")


def _row_7(x: Inputs) -> Decision | None:
    if not (any(one.wrong for one in x.last) and any(one.wrong for one in x.before)):
        return None
    reason = "felt in an unwanted place in two sessions"
    if not x.exercise.below:
        return Decision(7, Move.SECOND, x.exercise.rung, reason, "felt where it is meant")
    return _back(7, x, reason, "felt where it is meant")


def _row_8(x: Inputs) -> Decision | None:
    if x.faulty <= MANY_FAULTS:
        return None
    return _back(8, x, f"faulty repetitions {x.faulty:.0f} % (limit {MANY_FAULTS:.0f})", "at most 30 % faulty")


def _row_9(x: Inputs) -> Decision | None:
    if x.missed <= SHORT_MISS:
        return None
    reason = f"{x.missed} days since the last session"
    if x.missed <= LONG_MISS:
        return _hold(9, x, reason, "a session", "one set fewer")
    if x.missed <= LOST:
        return _back(9, x, reason, "regular sessions")
    return Decision(9, Move.REPLACE, x.exercise.rung, reason, "a new try-out")


def _row_10(x: Inputs) -> Decision | None:
    return _hold(10, x, "a flare-up is settling", "quiet mornings", "half the sets") if x.flare == "settling" else None


def _row_11(x: Inputs) -> Decision | None:
    if x.adherence >= LEAST_ADHERENCE:
        return None
    reason = f"{x.adherence:.0f} % of the planned sessions were done"
    return _hold(11, x, reason, f"at least {LEAST_ADHERENCE:.0f} %", "shorten the plan")


def _returning(x: Inputs) -> bool:
    clean = all(x.clean.get(side, 0) >= 2 for side in x.exercise.sides)
    return x.flare == "returning" and clean and x.pain <= x.climb_pain


def _ready(x: Inputs) -> bool:
    return all(x.ready(side) for side in x.exercise.sides) and x.pain <= x.climb_pain


def _row_12(x: Inputs) -> Decision | None:
    """What would climb is held while something is not known, or the next step may not be taken."""
    if not (_returning(x) or _ready(x)):
        return None
    one = x.exercise
    untried = one.transition and not one.tried and not one.within
    for told, reason, lifted in (
        (x.morning is Morning.UNKNOWN, "the morning after is not known", "tell how the morning was"),
        (any(s.painkiller for s in x.last), "a painkiller was taken", "a session without one"),
        (bool(one.locked), one.locked, "the limit lifted"),
        (untried, "the next rung is a transition that was not tried", "a supervised try-out, clean on both sides"),
        (x.standing.deload, "a deload week", "the week after"),
        (not (one.above or one.within), "the top of the line is reached", "another goal"),
    ):
        if told:
            return _hold(12, x, f"ready, but {reason}", lifted)
    return None


def _row_13(x: Inputs) -> Decision | None:
    if not _returning(x):
        return None
    return Decision(13, Move.CLIMB, x.exercise.above, "back after a flare-up: two clean sessions on both sides",
                    "pain over the limit")  # fmt: skip


def _row_14(x: Inputs) -> Decision | None:
    if not _ready(x):
        return None
    reason = f"{x.exercise.sessions} clean sessions over {x.at_rung} days on both sides, pain {x.pain}/10"
    to = x.exercise.rung if x.exercise.within else x.exercise.above
    also = (x.exercise.within,) if x.exercise.within else ()
    return Decision(14, Move.CLIMB, to, reason, "a session that is not clean", also)


def _row_15(x: Inputs) -> Decision | None:
    reverses = "three clean sessions"
    if x.since_change is None and x.since_climb >= PLATEAU_DAYS:
        reason = f"no climb for {x.since_climb} days"
        return Decision(
            15, Move.CHANGE, x.exercise.rung, reason, reverses, ("tempo, sets, cue or sister rung: one of them",)
        )
    if x.since_change is not None and x.since_change >= CHANGED_DAYS:
        reason = f"no climb {x.since_change} days after a change"
        return Decision(15, Move.RETEST, x.exercise.rung, reason, reverses, ("back to Reasoning",))
    return None


def _row_16(x: Inputs) -> Decision | None:
    if x.standing.pain_school is not School.MONITORED or not x.climb_pain < x.pain <= STOP_PAIN:
        return None
    return _hold(16, x, f"pain {x.pain}/10 is accepted, not enough to climb", f"pain at most {x.climb_pain}")


def _row_17(x: Inputs) -> Decision | None:
    if not CLEAN_FAULTS < x.faulty <= MANY_FAULTS:
        return None
    reason = f"faulty repetitions {x.faulty:.0f} % (limit {CLEAN_FAULTS:.0f})"
    return _hold(17, x, reason, f"{x.exercise.sessions} sessions at 10 % or less", "one cue only")


def _row_18(x: Inputs) -> Decision | None:
    ready = [side for side in x.exercise.sides if x.ready(side)]
    if len(ready) != 1 or len(x.exercise.sides) < 2:
        return None
    return _hold(18, x, f"only the {ready[0].value} side is ready", f"the {ready[0].other.value} side ready, too",
                 f"one extra set on the {ready[0].other.value} side")  # fmt: skip


def _row_19(x: Inputs) -> Decision | None:
    if x.exercise.ladder not in FELT_LADDERS or all(one.felt for one in x.last):
        return None
    return _hold(19, x, "not felt where it is meant", "felt", "repeat the set-up; after three sessions another ladder")


def _row_20(x: Inputs) -> Decision:
    least = min((x.clean.get(side, 0) for side in x.exercise.sides), default=0)
    reason = f"{least} of {x.exercise.sessions} clean sessions, {x.at_rung} of {x.exercise.days} days"
    return _hold(20, x, reason, f"{x.exercise.sessions} clean sessions over {x.exercise.days} days, both sides")


ROWS: tuple[Callable[[Inputs], Decision | None], ...] = (
    _row_1, _row_2, _row_3, _row_4, _row_5, _row_6, _row_7, _row_8, _row_9, _row_10, _row_11, _row_12, _row_13, _row_14,
    _row_15, _row_16, _row_17, _row_18, _row_19, _row_20,
)  # fmt: skip
