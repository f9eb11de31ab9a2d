"""Side gaps over the visits of a case: what is still open, what was accepted, and until when."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.case import Case, Patient, Visit
from tuning.core.entries import Decision, Form
from tuning.core.judging.verdict import VerdictWord
from tuning.core.programme.open_side_gaps import acceptance, side_gaps, still_open, taken_back
from tuning.core.programme.plan_facts import discharged, open_goals, wants_load
from tuning.core.types import LEGS, Observation, Setup, Side
from tuning.knowledge import load

M = load().measures
REACH, STRONG = "knee-to-wall", "hip-abd-torque"
FIRST = datetime(2026, 10, 1, 9, tzinfo=UTC)
VISITS = tuple(Visit(f"v{n}", "p", FIRST + timedelta(days=14 * n)) for n in range(4))
PATIENT = Patient("p", "Someone", date(1980, 1, 1), "", 70.0, 1.7, "", "", "", Side.LEFT)
WIDE, SMALL, NONE = 20.0, 5.0, 0.0
"""Differences of the reach in cm, far apart and beyond error; and none."""


def case(*entries, now: int = 3) -> Case:
    dated = [replace(e, at=VISITS[now].started_at) if not e.visit else e for e in entries]
    return Case(PATIENT, VISITS, VISITS[now], tuple(replace(e, uid=f"e{n}") for n, e in enumerate(dated)), 1)


def reach(visit: int, gap: float, measure: str = REACH, base: float = 60.0) -> list[Observation]:
    """Both sides at a visit, the right one larger by `gap`."""
    at = VISITS[visit].started_at
    return [
        Observation(measure_id=measure, side=side, value=value, setup=Setup(), visit=f"v{visit}", at=at)
        for side, value in zip(LEGS, (base, base + gap), strict=True)
    ]


def gaps(*entries, now: int = 3):
    return side_gaps(case(*entries, now=now), M)


def blurred() -> float:
    """A gap that can be told neither from none nor from one that counts."""
    for tenth in range(1, 200):
        seen = gaps(*reach(0, WIDE), *reach(1, tenth / 10))
        if seen and seen[0].latest.verdict.word is VerdictWord.CANNOT_TELL:
            return tenth / 10
    raise AssertionError("no such gap")


def test_a_gap_that_was_not_measured_again_stays_open_and_says_from_when():
    [gap] = gaps(*reach(0, WIDE))
    assert gap.words == f"{M[REACH].name}: right larger by 20.0 cm, error ±1.7 cm, on 1 Oct, not tested since"
    [here] = gaps(*reach(0, WIDE), now=0)
    assert here.today and "Oct" not in here.words
    assert not gaps(*reach(0, WIDE), *reach(2, NONE)), "seen in tune: closed"
    assert len(gaps(*reach(0, WIDE), *reach(2, NONE), now=1)) == 1, "a visit knows nothing of later ones"
    assert not gaps(*reach(3, WIDE), now=2)


def test_cannot_tell_closes_no_gap_and_opens_none():
    unclear = blurred()
    assert not gaps(*reach(0, unclear))
    [gap] = gaps(*reach(0, WIDE), *reach(1, unclear))
    assert gap.words == f"{M[REACH].name}: {gap.told.word.value} on 1 Oct, cannot tell now"
    assert not gaps(*reach(0, WIDE), *reach(1, NONE), *reach(2, unclear)), "it was closed between"
    assert len(gaps(*reach(0, WIDE), *reach(1, unclear)[:1])) == 1, "one side alone says nothing"


@given(st.permutations(LEGS), st.sampled_from([SMALL, WIDE]), st.sampled_from([NONE, SMALL, WIDE]), st.booleans())
def test_an_accepted_gap_covers_its_own_side_and_no_wider_one(sides, then, now, flipped):
    """Whichever leg leads: exchanging left and right changes nothing."""
    sign = 1.0 if sides[0] is Side.LEFT else -1.0
    [gap] = gaps(*reach(0, sign * then), now=0)
    let = replace(acceptance(gap, " born with it "), visit="v0", who="Ada", at=VISITS[0].started_at)
    found = gaps(*reach(0, sign * then), let, *reach(1, (-sign if flipped else sign) * now))
    assert len(found) == (now != NONE)
    for one in found:
        covered = not flipped and now <= then
        assert (one.accepted is not None) is covered and (not still_open(found)) is covered
        assert one.why_accepted == ("accepted by Ada on 1 Oct: born with it" if covered else "")


def test_an_accepted_gap_can_be_opened_again_and_is_of_one_measure():
    both = [*reach(0, WIDE), *reach(0, WIDE, "calf-length-bent", 10.0)]
    here = gaps(*both, now=0)
    assert len(here) == 2 and len(still_open(here, "mobility")) == 2 and not still_open(here, "strength")
    let = replace(acceptance(here[0], "a fused joint"), visit="v0")
    assert still_open(gaps(*both, let, now=0)) == [here[1].words]
    assert len(still_open(gaps(*both, let, replace(taken_back(here[0]), visit="v0"), now=0))) == 2


def test_only_pairs_are_side_gaps_and_the_worst_come_first():
    mild, marked = reach(0, 1.8), reach(0, 200.0, STRONG, 200.0)
    for entries in ((*mild, *marked), (*marked, *mild)):
        assert [(g.measure.id, g.told.word) for g in gaps(*entries, now=0)] == [
            (STRONG, VerdictWord.MARKED), (REACH, VerdictWord.NOTABLE),
        ]  # fmt: skip
    assert [g.measure.id for g in gaps(*mild, *marked, *reach(1, 1.8), now=1)] == [REACH, STRONG], "newest first"
    share = Observation(measure_id="squat-pause-share", side=Side.NONE, value=80.0, visit="v0", at=FIRST)
    assert not gaps(share, now=0), "one value is no pair"


def told(*goals: tuple[str, float]) -> Form:
    return Form("intake-complaint", {"goals": [{"activity": a, "score": s} for a, s in goals]})


def closed(activity: str, outcome: str = "closed") -> Decision:
    return Decision("goal-closed", outcome, {"activity": activity}, reason="moved inland")


def test_a_goal_ends_met_or_closed_by_the_patient_and_can_be_opened_again():
    goals = told(("stairs", 3.0), ("ferry ramp", 4.0))
    assert open_goals([goals, closed("stairs")]) == ["ferry ramp"]
    assert open_goals([goals, closed("stairs"), goals]) == ["ferry ramp"], "asked again at the next visit"
    assert open_goals([goals, closed("stairs"), closed("stairs", "open again")]) == ["stairs", "ferry ramp"]


def test_goals_need_load_until_somebody_says_that_none_does():
    no, yes = Decision("goals-need-load", "no"), Decision("goals-need-load", "yes")
    assert wants_load([]) and not wants_load([no]) and wants_load([no, yes]) and not wants_load([yes, no])


@pytest.mark.parametrize(
    ("outcomes", "visit", "stands"),
    [((), "v1", False), (("discharged",), "v1", True), (("discharged",), "v2", False),
     (("discharged", "open again"), "v1", False), (("discharged", "open again", "discharged"), "v1", True)],
)  # fmt: skip
def test_a_discharge_holds_until_it_is_taken_back_or_another_visit_begins(outcomes, visit, stands):
    entries = [Decision("discharge", outcome, visit="v1") for outcome in outcomes]
    found = discharged(entries, visit)
    assert (found is entries[-1]) if stands else found is None
