"""What is worn while testing: a level found with a lift or brace on says nothing about the leg without it."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

from tuning.core.case import Case
from tuning.core.entries import Form
from tuning.core.errors import BadInput
from tuning.core.types import LEGS, Observation, Side

KIND = "worn-in-tests"
NOTHING = "nothing"
THINGS = ("shoe lift", "knee brace", "ankle brace", "foot orthosis", "hip brace", "tape", "prosthesis")


def worn_words(what: str, side: Side) -> str:
    """The tag of a value; empty for nothing."""
    if what in ("", NOTHING):
        return ""
    return f"{what}, {' and '.join(leg.value for leg in LEGS) if side is Side.BOTH else side.value}"


def worn_now(case: Case) -> tuple[str, Side]:
    """What was last said to be worn in the open visit, and on which side; a new visit begins without."""
    forms = [form for form in case.today(Form) if form.kind == KIND]
    data = forms[-1].data if forms else {}
    what, side = str(data.get("what") or ""), str(data.get("side") or Side.BOTH.value)
    return ("", Side.NONE) if what in ("", NOTHING) else (what, Side(side))


def tag_of(case: Case) -> str:
    """What every value taken now is tagged with."""
    return worn_words(*worn_now(case))


def tagged(seen: Observation, before: Observation | None, now: str) -> Observation:
    """A value with what is worn now; what only puts right an earlier one keeps the tag of that.

    Raises BadInput where new trials would stand beside trials that were taken with something else on.
    """
    if seen.capture or seen.setup.worn:
        return seen
    tag = now
    if before is not None and before.setup.worn != now:
        old, new = (Counter(one.trials.tolist()) for one in (before, seen))
        if not new - old:
            tag = before.setup.worn
        elif new & old:
            worn = before.setup.worn or NOTHING
            raise BadInput(
                f"The other trials were taken with {worn} worn, now it is {now or NOTHING}: strike them first."
            )
    return replace(seen, setup=replace(seen.setup, worn=tag))
