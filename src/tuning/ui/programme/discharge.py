"""What stands between a plan and its end: side gaps and goals still open, what was accepted, and the discharge."""

from __future__ import annotations

from tuning.core.entries import Decision
from tuning.core.errors import BadInput, Refused
from tuning.core.programme.open_side_gaps import SideGap, acceptance, side_gaps, still_open, taken_back
from tuning.core.programme.phases import discharge
from tuning.core.programme.plan_facts import (
    DISCHARGE,
    GOAL_CLOSED,
    GOALS_LOAD,
    NO_LOAD,
    OPEN_AGAIN,
    SCORE,
    clean_weeks,
    discharged,
    open_goals,
    wants_load,
)
from tuning.core.types import Observation, Role
from tuning.ui.workspace import Workspace


class Discharge:
    """Reads the case; every change is one action of the workspace."""

    def __init__(self, space: Workspace) -> None:
        self._space = space

    def gaps(self) -> list[SideGap]:
        """Side gaps of the case that were not seen in tune since."""
        case, space = self._space.case, self._space
        return side_gaps(case, space.knowledge.measures, space.rule) if case is not None else []

    def accept(self, gap: SideGap, reason: str) -> None:
        """Let a side gap stand as it is. Raises BadInput without a reason, Refused without a licensed clinician."""
        self._needs("accepts a side gap", reason)
        if gap.rests_on not in {now.rests_on for now in self.gaps()}:
            raise Refused(f"{gap.measure.name} is not as it was when you looked. Look again; nothing was saved.")
        with self._space.action("accept a side gap") as act:
            act.add(acceptance(gap, reason))

    def open_again(self, gap: SideGap) -> None:
        """Take back that a gap was accepted."""
        with self._space.action("open a side gap again") as act:
            act.add(taken_back(gap))

    def goals(self) -> list[str]:
        """Activities of the patient that are not yet as they should be."""
        return open_goals(self._space.case.entries) if self._space.case is not None else []

    def close_goal(self, activity: str, reason: str) -> None:
        """The patient gave a goal up. Raises BadInput without a reason."""
        if not reason.strip():
            raise BadInput("A closed goal needs the patient's reason.")
        with self._space.action("close a goal") as act:
            act.add(Decision(GOAL_CLOSED, "closed", {"activity": activity}, reason=reason.strip()))

    def closed_goals(self) -> dict[str, Decision]:
        """Goals that the patient gave up, with the decision."""
        decided = self._space.case.all(Decision) if self._space.case is not None else ()
        newest = {str(d.inputs["activity"]): d for d in decided if d.subject == GOAL_CLOSED}
        return {activity: d for activity, d in newest.items() if d.outcome != OPEN_AGAIN}

    def open_goal(self, activity: str) -> None:
        """A goal that was given up counts again."""
        with self._space.action("open a goal again") as act:
            act.add(Decision(GOAL_CLOSED, OPEN_AGAIN, {"activity": activity}))

    def needs_load(self) -> bool:
        """Whether a goal of the patient needs load."""
        return self._space.case is None or wants_load(self._space.case.entries)

    def set_needs_load(self, needed: bool) -> None:
        """Say whether a goal needs load; where none does, restore leads on to return."""
        with self._space.action("whether goals need load") as act:
            act.add(Decision(GOALS_LOAD, "yes" if needed else NO_LOAD))

    def missing(self) -> list[str]:
        """What is missing for a discharge."""
        case = self._space.case
        if case is None:
            return []
        asked = any(o.measure_id == SCORE for o in self._space.entries(Observation))
        day = case.visit.started_at.astimezone().date()
        clean = clean_weeks(case.entries, day, self._space.knowledge.progression)
        return discharge(self.goals(), still_open(self.gaps()), clean, asked)

    def discharged(self) -> Decision | None:
        """The decision that ended the plan, where it stands."""
        case = self._space.case
        return discharged(case.entries, case.visit.uid) if case is not None else None

    def discharge(self, reason: str) -> None:
        """End the plan; while something is missing only with a reason. Raises BadInput and Refused."""
        missing = self.missing()
        self._needs("discharges", reason if missing else "all is met")
        with self._space.action("discharge") as act:
            act.add(Decision(DISCHARGE, "discharged", {"missing": missing}, reason=reason.strip()))

    def take_back_discharge(self) -> None:
        """The plan goes on."""
        with self._space.action("take the discharge back") as act:
            act.add(Decision(DISCHARGE, OPEN_AGAIN))

    def _needs(self, deed: str, reason: str) -> None:
        if self._space.role is not Role.CLINICIAN:
            raise Refused(f"Only a licensed clinician {deed}.")
        if not reason.strip():
            raise BadInput("This needs a reason; it is saved with your name.")
