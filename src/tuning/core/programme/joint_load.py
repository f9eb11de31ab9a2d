"""Load ledger: what joints bear in a week, the last tolerated load, and the order of rungs by what the knee bears.

Moments by the planar model of movement.load_share; the kneecap's load is the knee moment times (1 + flexion / 90).
Growth of at most 10 % a week is practice judgement, editable.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from functools import lru_cache

from tuning.core.movement.load_share import SidePose, moments
from tuning.core.pose import ANKLE_ALONG_FOOT, BALL_ALONG_FOOT, FOOT, BodyPosition, PoseFrame
from tuning.core.programme.body_model import body_of, pressure_percent
from tuning.core.programme.dose import Dose
from tuning.core.programme.ladders import Pose, Rung
from tuning.core.units import GRAVITY

USUAL_STATURE_M = 1.72
"""Stature where the patient's is not known; screens say so (practice judgement, editable)."""
REGIONS = ("kneecap", "knee", "hip", "calf")
HOLD_COUNTS_S = 3.0
"""A hold of so long counts as one repetition."""
MOST_GROWTH, TOLERATED_WEEKS = 0.10, 6


@dataclass(frozen=True)
class Joint:
    """Peak net moments in one repetition, Nm per kg of body mass; `known` False where only a grade can be told."""

    hip: float
    knee: float
    kneecap: float
    calf: float
    known: bool = True


def joint_load(rung: Rung, pose: Pose, stature_m: float, depth: float | None = None) -> Joint:
    """What the working leg bears at the prescribed depth; supported, seated or lying it is the judged grade."""
    frames = pose.at(depth)
    demand = rung.demand_of(pose, depth)
    if rung.position is not BodyPosition.STAND or any(f.support for f in frames):
        grade = float(demand.hip)
        return Joint(grade, float(demand.kneecap), float(demand.kneecap), _calf(frames, stature_m), False)
    found = [_moments(frame, stature_m) for frame in frames]
    hip = max(max(m[0], 0.0) for m in found)
    knee = max(max(m[1], 0.0) for m in found)
    kneecap = max(max(m[1], 0.0) * (1 + f.knee / 90) for m, f in zip(found, frames, strict=True))
    return Joint(hip, knee, kneecap, _calf(frames, stature_m))


@lru_cache(maxsize=1024)
def _moments(frame: PoseFrame, stature_m: float) -> tuple[float, float]:
    """Hip and knee moment of the working leg, Nm/kg: its share of what both legs together would bear."""
    leg = body_of(frame).working
    at = [float(p[0]) * stature_m for p in (leg.hip, leg.knee, leg.ankle, leg.heel, leg.toe)]
    support = at[3] + pressure_percent(replace(frame, heel=0.0)) / 100 * (at[4] - at[3])
    both = moments(SidePose(*at), support=min(max(support, at[3]), at[4]))
    share = frame.share / 100
    return both.hip * share, both.knee * share


def _calf(frames: Sequence[PoseFrame], stature_m: float) -> float:
    """Moment that holds a raised heel: the share of weight times the way from ankle to ball, Nm/kg."""
    raised = max((abs(f.heel) for f in frames), default=0.0)
    if not raised:
        return 0.0
    lever = (BALL_ALONG_FOOT - ANKLE_ALONG_FOOT) * FOOT * stature_m * math.cos(math.radians(min(raised, 40.0)))
    return max(f.share for f in frames) / 100 * GRAVITY * lever


def repetitions(dose: Dose, sets: int | None = None, reps: int | None = None) -> float:
    """Repetitions of one side in a session; 3 s of a hold count as one."""
    count = dose.sets if sets is None else sets
    each = reps if reps else dose.reps
    return float(count * each) if each else count * dose.set_s / HOLD_COUNTS_S


@dataclass(frozen=True)
class DayLoad:
    """Load of one leg on a day by region (Nm/kg times repetitions), and whether the next morning was settled.

    `graded` are grades times repetitions where no moment is known: another unit, never added to `regions`.
    """

    day: date
    regions: Mapping[str, float]
    settled: bool | None = None
    graded: Mapping[str, float] = field(default_factory=dict)


@dataclass(frozen=True)
class WeekLoad:
    """A week from its Monday: the sums, and whether every morning after was settled (None: not all known)."""

    monday: date
    regions: Mapping[str, float]
    settled: bool | None
    graded: Mapping[str, float] = field(default_factory=dict)

    def load(self, region: str, graded: bool = False) -> float:
        """The sum of a region, of moments or of grades."""
        return (self.graded if graded else self.regions).get(region, 0.0)


def day_load(day: date, joint: Joint, count: float, settled: bool | None) -> DayLoad:
    """One exercise on one day."""
    loads = {name: getattr(joint, name) * count for name in REGIONS}
    if joint.known:
        return DayLoad(day, loads, settled)
    return DayLoad(day, {"calf": loads["calf"]}, settled, {name: loads[name] for name in REGIONS[:3]})


def by_week(days: Iterable[DayLoad]) -> list[WeekLoad]:
    """Sums by week; a morning that was not settled marks its week, an unknown one leaves it open."""
    weeks: dict[date, list[DayLoad]] = {}
    for one in days:
        weeks.setdefault(one.day - timedelta(days=one.day.weekday()), []).append(one)
    made = []
    for monday, found in sorted(weeks.items()):
        regions = {name: sum(d.regions.get(name, 0.0) for d in found) for name in REGIONS}
        told = [d.settled for d in found]
        settled = False if False in told else None if None in told else True
        graded = {name: sum(d.graded.get(name, 0.0) for d in found) for name in REGIONS}
        made.append(WeekLoad(monday, regions, settled, graded))
    return made


@dataclass(frozen=True)
class ToleratedLoad:
    """The greatest weekly load of a region after which every morning was settled, and what may come next."""

    region: str
    load: float
    monday: date
    most_next: float


def last_tolerated(weeks: Sequence[WeekLoad], region: str, today: date, graded: bool = False) -> ToleratedLoad | None:
    """Of the last six weeks; None where no week with load was wholly settled.

    Weeks with an unknown morning count neither way.
    """
    start = today - timedelta(weeks=TOLERATED_WEEKS)
    good = [w for w in weeks if w.settled and start <= w.monday <= today and w.load(region, graded) > 0]
    if not good:
        return None
    best = max(good, key=lambda w: w.load(region, graded))
    load = best.load(region, graded)
    return ToleratedLoad(region, load, best.monday, load * (1 + MOST_GROWTH))


@dataclass(frozen=True)
class DialPosition:
    """A place on the knee dial: a variant of a rung with what it asks of the knee."""

    rung: str
    variant: str
    kneecap: int
    knee: int
    moment: float | None


@dataclass(frozen=True)
class LoadDial:
    """All notches from low to high."""

    notches: tuple[DialPosition, ...] = field(default=())

    def up_to(self, kneecap: int, knee: int) -> list[DialPosition]:
        """What lies within caps of kneecap demand and toe zone."""
        return [n for n in self.notches if n.kneecap <= kneecap and n.knee <= knee]


def dial(rungs: Iterable[Rung], stature_m: float = USUAL_STATURE_M) -> LoadDial:
    """Standing rungs by kneecap demand, then toe zone, then knee moment where it is known."""
    made = []
    for rung in rungs:
        if rung.position is not BodyPosition.STAND:
            continue
        for pose in rung.poses:
            demand, joint = rung.demand_of(pose), joint_load(rung, pose, stature_m)
            made.append(
                DialPosition(rung.id, pose.name, demand.kneecap, demand.knee, joint.knee if joint.known else None)
            )
    return LoadDial(tuple(sorted(made, key=lambda n: (n.kneecap, n.knee, n.moment or 0.0, n.rung))))
