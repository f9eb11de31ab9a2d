"""Ladders, rungs, doses, and whether a rung may be entered."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from tuning.core.gate.permission import GateAct, Permission
from tuning.core.judging.verdict import VerdictWord
from tuning.core.pose import BodyPosition, PoseFrame, at_depth, knee_zone, kneecap_zone
from tuning.core.programme.dose import Dose
from tuning.core.programme.equipment import Equipment, Substitute
from tuning.core.programme.phases import Phase
from tuning.core.types import LEGS, Side, Triage
from tuning.core.units import sentence_case

STEP, STAIR_CM = "step", 17.0
"""The thing that a dose gives a height, and from which height on a bottom stair would serve for it."""
HEAVY_HIP, HEAVY_KNEE, HEAVY_KNEECAP = 3, 2, 3
TRANSITION_PARTS, TRANSITION_LEAP = 2, 2


class Sides(StrEnum):
    """Which legs do a rung."""

    BOTH = "both"
    EACH = "each"
    POORER = "poor+1"
    PATTERN = "pattern"


@dataclass(frozen=True)
class Fault:
    """A fault to watch for and the cue that answers it."""

    id: str
    sign: str
    cue: str


@dataclass(frozen=True)
class Pose:
    """The frames of one variant of a rung (for example one reach direction), from start to end.

    `phase` opens it, `load` says that weight is added, `support` what shares the load in words.
    """

    name: str
    frames: tuple[PoseFrame, ...]
    phase: Phase | None = None
    load: bool = False
    support: str = ""
    step_cm: float | None = None
    shown: int = -1
    """Which frame tells the exercise at a glance."""
    behind: bool = False
    """Whether the free foot goes behind the step: no other stair may be there."""

    @property
    def start(self) -> PoseFrame:
        """First frame."""
        return self.frames[0]

    @property
    def end(self) -> PoseFrame:
        """Last frame."""
        return self.frames[-1]

    @property
    def still(self) -> PoseFrame:
        """The frame of a small picture."""
        return self.frames[self.shown]

    def at(self, depth: float | None) -> tuple[PoseFrame, ...]:
        """The frames with the knee bent no further than `depth` degrees."""
        if depth is None:
            return self.frames
        return tuple(at_depth(self._other(f), f, depth) if f.knee > depth else f for f in self.frames)

    def _other(self, frame: PoseFrame) -> PoseFrame:
        """The straighter frame that a bent one comes from or goes to."""
        return min(self.frames, key=lambda f: f.knee)


@dataclass(frozen=True)
class Demand:
    """What a rung asks at its prescribed depth: toe zone and kneecap, hip and balance, each 0 to 3."""

    knee: int
    kneecap: int
    hip: int
    balance: int


@dataclass(frozen=True)
class Rung:
    """One exercise of a ladder.

    `step_cm` and `seat_cm` are as drawn; `heights_cm`, `holds_s`, `tempos` and `bands` what a climb moves through, the
    easiest first. `line` groups rungs that are climbed in turn; `below` names easier rungs of other ladders; `daily` is
    low load with a pass over three days; `skill` and `primer` are never heavy for the week; `transition` is computed.
    """

    id: str
    name: str
    order: int
    purpose: str
    steps: tuple[str, ...]
    poses: tuple[Pose, ...]
    hip_demand: int
    balance_demand: int
    dose: Dose
    faults: tuple[str, ...]
    feel: tuple[str, ...]
    avoid: tuple[str, ...]
    demands: tuple[str, ...] = ()
    entry: tuple[EntryRule, ...] = ()
    pass_rule: str = ""
    step_cm: float = 0.0
    seat_cm: float = 0.0
    heights_cm: tuple[float, ...] = ()
    holds_s: tuple[int, ...] = ()
    tempos: tuple[str, ...] = ()
    bands: tuple[str, ...] = ()
    position: BodyPosition = BodyPosition.STAND
    view: str = "side"
    side: Sides = Sides.EACH
    props: tuple[str, ...] = ()
    kit: tuple[str, ...] = ()
    line: str = "main"
    below: tuple[str, ...] = ()
    phase: Phase = Phase.RESTORE
    daily: bool = False
    skill: bool = False
    primer: bool = False
    light: bool = False
    close_up: str = ""
    transition: bool = False

    @property
    def knee_demand(self) -> int:
        """Highest toe zone of its frames; computed, never typed."""
        return max(self.demand_of(pose).knee for pose in self.poses)

    @property
    def kneecap_demand(self) -> int:
        """Highest kneecap demand of its frames at full depth."""
        return max(self.demand_of(pose).kneecap for pose in self.poses)

    def pose(self, variant: str = "") -> Pose:
        """A variant by name; the first without one."""
        return next((pose for pose in self.poses if pose.name == variant), self.poses[0])

    def demand_of(self, pose: Pose, depth: float | None = None) -> Demand:
        """Demand of a variant at a prescribed knee flexion (degrees); lying and seated the knee bears nothing."""
        frames = pose.at(depth) if self.position is BodyPosition.STAND else ()
        return Demand(
            max((knee_zone(f) for f in frames), default=0),
            max((kneecap_zone(f) for f in frames), default=0),
            self.hip_demand,
            self.balance_demand,
        )

    def loaded_as(self, pose: Pose, depth: float | None = None, load_kg: float = 0.0) -> bool:
        """Whether a variant counts as loaded: weight, hip 3 (lying only with weight), toe zone 2, kneecap 3."""
        weight = "load" in self.demands or pose.load or load_kg > 0
        if weight or self.light:
            return weight and not self.light
        found = self.demand_of(pose, depth)
        hip = found.hip >= HEAVY_HIP and self.position is BodyPosition.STAND
        return hip or found.knee >= HEAVY_KNEE or found.kneecap >= HEAVY_KNEECAP

    @property
    def loaded(self) -> bool:
        """Whether any variant is loaded at full depth; loaded rungs need a safety screen."""
        return any(self.loaded_as(pose) for pose in self.poses)

    @property
    def heavy(self) -> bool:
        """What needs rest days: loaded, but neither skill nor primer."""
        return self.loaded and not (self.skill or self.primer)

    def phase_of(self, pose: Pose) -> Phase:
        """The phase that opens a variant."""
        return pose.phase or self.phase

    @property
    def sides(self) -> tuple[Side, ...]:
        """Left and right where legs take turns, else one for both."""
        return (Side.NONE,) if self.side in (Sides.BOTH, Sides.PATTERN) else LEGS

    def steps_for(self, side: Side) -> tuple[str, ...]:
        """The steps with left and right filled in; without a side in general words."""
        known = side in LEGS
        words = {"side": side.value if known else "working", "other": side.other.value if known else "other"}
        words["Side"] = sentence_case(words["side"])
        return tuple(step.format(**words) for step in self.steps)

    def pass_words(self, sessions: int, days: int, faulty: float) -> str:
        """What passing asks, in words."""
        more = f"; {self.pass_rule}" if self.pass_rule else ""
        sides = ", both sides" if self.side is not Sides.BOTH else ""
        return f"{sessions} clean sessions over {days} days{sides} (faulty repetitions at most {faulty:.0f} %){more}"


def act_of_rung(rung: Rung, variant: str | None = None, dose: Dose | None = None) -> GateAct:
    """A rung of a ladder at its prescribed depth; without a variant it is judged by its hardest at full depth."""
    loaded, poses, depth = rung.loaded, rung.poses, None
    if variant is not None and dose is not None:
        loaded = rung.loaded_as(rung.pose(variant), dose.depth_deg, dose.load_kg)
        poses, depth = (rung.pose(variant),), dose.depth_deg
    amounts = amounts_of([frame for pose in poses for frame in pose.at(depth)])
    if "weight" not in rung.demands:  # lying, no leg carries the body
        amounts.pop("weight")
    if dose is not None and (dose.load_kg or "load" not in rung.demands):
        amounts["load"] = dose.load_kg
    name = "a loaded exercise" if loaded else rung.name
    return GateAct(name, loaded=loaded, demands=rung.demands, amounts=amounts)


def amounts_of(frames: Sequence[PoseFrame]) -> dict[str, float]:
    """What poses ask of either leg: flexion, dorsiflexion and rotation (degrees), weight on the leg (percent)."""
    legs = [leg for frame in frames for leg in (frame.working, frame.other) if leg is not None]
    return {
        "hip": max((leg.hip for leg in legs), default=0.0),
        "knee": max((leg.knee for leg in legs), default=0.0),
        "ankle": max((leg.ankle for leg in legs), default=0.0),
        "turn": max((abs(leg.turn) for leg in legs), default=0.0),
        "weight": max((frame.share for frame in frames), default=0.0),
    }


@dataclass(frozen=True)
class EntryRule:
    """One condition to enter a rung.

    `kind` is `rung-passed`, `measure-at-least`, `no-side-gap` or `always-ask`.
    """

    kind: str
    text: str
    rung: str = ""
    measure: str = ""
    value: float = 0.0


@dataclass(frozen=True)
class Ladder:
    """A family of rungs from easy to hard, in one line or several."""

    id: str
    name: str
    factors: tuple[str, ...]
    checks: tuple[str, ...]
    rungs: tuple[Rung, ...]
    purpose: str = ""
    kit: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()

    def needs(self, rung: Rung, dose: Dose | None = None, variant: str = "") -> tuple[str, ...]:
        """What a variant of a rung is done with at a dose: the step with its height, of several bands the one."""
        asked = (dose or rung.dose).with_heights_of(rung.dose)
        free = rung.pose(variant).behind and (asked.step_cm or 0.0) >= STAIR_CM
        step = f"{'free-standing step' if free else STEP} of {asked.step_cm:g} cm" if asked.step_cm else STEP
        things = [step if one == STEP else one for one in (*self.kit, *rung.kit)]
        spared = set(rung.bands) - {asked.band}
        return tuple(dict.fromkeys(one for one in things if one not in spared))

    def set_up(self, rung: Rung, dose: Dose | None = None) -> tuple[str, ...]:
        """What is looked at before the first repetition, the height of step or seat first."""
        asked = (dose or rung.dose).with_heights_of(rung.dose)
        heights = (("Step", asked.step_cm), ("Seat", asked.seat_cm))
        return (*(f"{name} {height:g} cm high" for name, height in heights if height), *self.checks)

    def line(self, rung: Rung) -> tuple[Rung, ...]:
        """The rungs of a rung's line, easy first."""
        return tuple(sorted((r for r in self.rungs if r.line == rung.line), key=lambda r: r.order))

    def below(self, rung: Rung) -> Rung | None:
        """The next easier rung of its line, None at the bottom."""
        easier = [r for r in self.line(rung) if r.order < rung.order]
        return easier[-1] if easier else None

    def above(self, rung: Rung) -> Rung | None:
        """The next harder rung of its line, None at the top."""
        harder = [r for r in self.line(rung) if r.order > rung.order]
        return harder[0] if harder else None


def is_transition(rung: Rung, easier: Sequence[Rung]) -> bool:
    """Whether a rung raises two of knee, hip and balance, or one of them by two, over an easier neighbour."""
    own = rung.demand_of(rung.poses[0])
    for other in easier:
        below = other.demand_of(other.poses[0])
        gains = [own.knee - below.knee, own.hip - below.hip, own.balance - below.balance]
        if sum(g > 0 for g in gains) >= TRANSITION_PARTS or max(gains) >= TRANSITION_LEAP:
            return True
    return False


@dataclass(frozen=True)
class SideTrial:
    """Placement trial on one side: 3-5 repetitions, were they clean, peak pain 0-10, felt there and nowhere else."""

    clean: bool
    pain: int
    felt: bool = True
    wrong: bool = False

    def good(self, pain_limit: int) -> bool:
        """Clean, felt where it is meant and nowhere else, within the pain limit."""
        return self.clean and self.felt and not self.wrong and self.pain <= pain_limit


@dataclass(frozen=True)
class EntryContext:
    """What is on record when a rung is considered.

    `permission` is the gate's answer for the rung, `screened` the level of the
    safety screen, None without one. `measured` holds values per measure and side,
    `verdicts` the side comparisons so far. `phase` is that of the plan, None while it has
    none; `caps` are toe zone and kneecap demand that the dial allows; `kit` what is at hand.
    """

    permission: Permission
    screened: Triage | None
    passed: frozenset[str]
    measured: Mapping[tuple[str, Side], float]
    verdicts: Mapping[str, VerdictWord]
    trials: Mapping[Side, SideTrial]
    pain_limit: int = 2
    phase: Phase | None = None
    caps: tuple[int, int] = (3, 3)
    kit: Equipment = Equipment()
    tried: bool = False
    """Whether a supervised try-out of the rung, clean on both sides, is on record."""
    barred: str = ""
    """Why its ladder is not for this person now: a caution that placement names."""
    entered: bool = False
    """Whether it is a step within a rung that is in the plan already: its way in is not asked again."""


class ConditionState(StrEnum):
    """How a condition stands."""

    MET = "met"
    NOT_MET = "not met"
    UNKNOWN = "not known yet"
    LOCKED = "locked"


@dataclass(frozen=True)
class EntryCondition:
    """One condition and how it stands now."""

    state: ConditionState
    text: str
    asks: bool = False
    """Whether it is the gate that asks for a licensed clinician's reason."""

    @property
    def lifts(self) -> str:
        """What would let it be met."""
        if self.state is ConditionState.LOCKED:
            return "a clearance on record"
        return "a licensed clinician's reason" if self.asks else "this met, or a licensed clinician's reason"


def entry_checks(
    rung: Rung, ladder: Ladder, now: EntryContext, variant: str = "", dose: Dose | None = None
) -> list[EntryCondition]:
    """Every condition for entering a variant of `rung` at a prescribed dose (its own without one), safety first.

    A rung may be written to the plan when no check is LOCKED and the rest are
    MET, or when a named person gives a reason for the others.
    """
    pose, asked = rung.pose(variant), dose or rung.dose
    never = [EntryCondition(ConditionState.NOT_MET, f"not with: {now.barred}")] if now.barred else []
    checks = [
        _safety(now),
        *never,
        *([] if now.entered else _way_in(rung, ladder, now)),
        *(_rule(r, now) for r in rung.entry),
    ]
    depth, needed = asked.depth_deg, ladder.needs(rung, asked, pose.name)
    return [*checks, *_phase(rung, pose, depth, now), *_caps(rung, pose, depth, now), *_kit(needed, now)]


def _way_in(rung: Rung, ladder: Ladder, now: EntryContext) -> list[EntryCondition]:
    """The rung below or a clean try-out; of a transition the try-out anyway."""
    below = ladder.below(rung)
    passed = below is not None and below.id in now.passed
    checks = [
        EntryCondition(ConditionState.MET, f"rung below passed: {below.name}")
        if passed and below
        else _placement(rung, now)
    ]
    if rung.transition:
        state = ConditionState.MET if now.tried else ConditionState.NOT_MET
        checks.append(EntryCondition(state, "a transition: supervised try-out on record, clean on both sides"))
    return checks


def _phase(rung: Rung, pose: Pose, depth: float | None, now: EntryContext) -> list[EntryCondition]:
    if now.phase is None:
        return []
    opens, needed = rung.phase_of(pose), rung.demand_of(pose, depth).kneecap
    if opens.place > now.phase.place:
        return [
            EntryCondition(ConditionState.NOT_MET, f"opens in phase {opens.value}; the plan is in {now.phase.value}")
        ]
    if needed > now.phase.most_kneecap:
        return [
            EntryCondition(
                ConditionState.NOT_MET,
                f"bends the knee further than phase {now.phase.value} allows: prescribe less depth",
            )
        ]
    return [EntryCondition(ConditionState.MET, f"open in phase {now.phase.value}")]


def _caps(rung: Rung, pose: Pose, depth: float | None, now: EntryContext) -> list[EntryCondition]:
    found, (knee, kneecap) = rung.demand_of(pose, depth), now.caps
    if found.knee <= knee and found.kneecap <= kneecap:
        return []
    return [
        EntryCondition(
            ConditionState.NOT_MET,
            f"above the knee dial: toe zone {found.knee} of {knee}, kneecap {found.kneecap} of {kneecap}",
        )
    ]


def _kit(needed: Sequence[str], now: EntryContext) -> list[EntryCondition]:
    missing, swaps = now.kit.missing(needed), now.kit.swaps(needed)
    never = [words for item in missing for words in now.kit.table.get(item, Substitute()).never]
    if missing:
        warned = f" (never: {'; '.join(never)})" if never else ""
        return [EntryCondition(ConditionState.NOT_MET, f"not at hand: {', '.join(missing)}{warned}")]
    return [EntryCondition(ConditionState.MET, "; ".join(swaps))] if swaps else []


def _safety(now: EntryContext) -> EntryCondition:
    found = now.permission
    if found.locked:
        return EntryCondition(ConditionState.LOCKED, found.sentence)
    if found.asks:
        return EntryCondition(ConditionState.NOT_MET, found.sentence, asks=True)
    if now.screened is None:
        return EntryCondition(
            ConditionState.UNKNOWN, "no safety screen on record; loaded rungs stay locked without one"
        )
    return EntryCondition(ConditionState.MET, f"safety screen: {now.screened.value}")


def _placement(rung: Rung, now: EntryContext) -> EntryCondition:
    limit, sides = now.pain_limit, rung.sides
    each = " each side" if len(sides) > 1 else ""
    work = "2 clean breaths" if rung.dose.breaths else "3-5 clean repetitions"
    rule = f"placement trial of {work}{each}, pain at most {limit}/10"
    if any(side not in now.trials for side in sides):
        return EntryCondition(ConditionState.UNKNOWN, rule)
    good = all(now.trials[side].good(limit) for side in sides)
    return EntryCondition(ConditionState.MET if good else ConditionState.NOT_MET, rule)


def _rule(rule: EntryRule, now: EntryContext) -> EntryCondition:
    if rule.kind == "rung-passed":
        return EntryCondition(ConditionState.MET if rule.rung in now.passed else ConditionState.NOT_MET, rule.text)
    if rule.kind == "measure-at-least":
        values = [now.measured.get((rule.measure, side)) for side in LEGS]
        known = [v for v in values if v is not None]
        if len(known) < len(LEGS):
            return EntryCondition(ConditionState.UNKNOWN, rule.text)
        return EntryCondition(ConditionState.MET if min(known) >= rule.value else ConditionState.NOT_MET, rule.text)
    if rule.kind == "no-side-gap":
        word = now.verdicts.get(rule.measure)
        if word is None or word is VerdictWord.CANNOT_TELL:
            return EntryCondition(ConditionState.UNKNOWN, rule.text)
        return EntryCondition(ConditionState.MET if word is VerdictWord.IN_TUNE else ConditionState.NOT_MET, rule.text)
    return EntryCondition(ConditionState.UNKNOWN, rule.text)
