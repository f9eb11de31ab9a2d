"""Whether a sign is there, for the side at issue, against what was written by hand."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta

import pytest
from reasoned import (
    FIRST,
    LEFT,
    MEASURES,
    RIGHT,
    both,
    case,
    concluded,
    line,
    obs,
    seen,
    sheet,
    visit,
)

from tuning.core.entries import Answer, Decision, Done, Form, OtherLoad, PlanItem
from tuning.core.reasoning.evidence import EvidenceKind
from tuning.core.reasoning.findings import findings
from tuning.core.reasoning.rules import Sign, SignCondition
from tuning.core.types import LEGS, Entry, Observation, Setup, Side

ADD = line("adductor-capacity", "adduction to abduction").signs[0]
FLEX = line("leg-strength", "knee flexion to extension").signs[0]


@pytest.mark.parametrize(
    ("sign", "upper", "lower", "there"),
    [
        (ADD, 100, 200, True),  # 0.5, clearly under 0.8
        (ADD, 200, 200, False),
        (ADD, 156, 200, None),  # 0.78: the error reaches over the edge
        (ADD, 400, 200, False),  # no upper edge
        (FLEX, 60, 300, True),
        (FLEX, 160, 300, None),
        (FLEX, 195, 300, False),  # between both edges
        (FLEX, 400, 300, True),
    ],
)
@pytest.mark.parametrize("side", LEGS)
def test_one_force_over_another_speaks_only_beyond_its_error_and_on_its_own_leg(sign, upper, lower, there, side):
    a, b = sign.measures[0], sign.over
    forces = [obs(a, side, upper, upper, upper), obs(b, side, lower, lower, lower)]
    found = seen(sign, side, *forces)
    assert (found.done, found.there) == ((False, False) if there is None else (True, there))
    assert not seen(sign, side.other, *forces).done, "the other leg was not tested"
    if there:
        assert f"{upper / lower:.2f} ±" in found.text and found.short == f"{upper / lower:.2f}"


def test_forces_of_two_visits_or_modes_or_in_pain_are_no_ratio():
    upper = obs("hip-add", LEFT, 100, 100, 100)
    assert seen(ADD, LEFT, upper, obs("hip-abd", LEFT, 200, 200, 200)).there
    assert not seen(ADD, LEFT, upper, obs("hip-abd", LEFT, 200, 200, 200, n=1), n=1).done
    assert not seen(ADD, LEFT, upper, obs("hip-abd", LEFT, 200, 200, 200, setup=Setup(mode="break"))).done
    assert not seen(ADD, LEFT, replace(upper, pain=5), obs("hip-abd", LEFT, 200, 200, 200)).done


# a value against its own of an earlier visit

FELL = line("adductor-capacity", "squeeze weaker than before").signs[0]
UNMOVED = line("bony-twist", "unmoved by four weeks of shin work").signs[0]


def test_a_squeeze_weaker_than_before_speaks_beyond_the_error_between_days():
    def squeezes(*newtons: float) -> list[Observation]:
        return [obs("squeeze-5s", Side.NONE, f, f, f, n=n) for n, f in enumerate(newtons)]

    assert seen(FELL, Side.NONE, *squeezes(250, 150), n=1).there
    for newtons in ((250, 235), (250, 400)):
        found = seen(FELL, Side.NONE, *squeezes(*newtons), n=1)
        assert found.done and not found.there
    assert not seen(FELL, Side.NONE, *squeezes(150)).done, "nothing before it"
    assert not seen(FELL, Side.NONE, *squeezes(250, 150)).done, "what lies ahead of the open visit is not known"
    found = seen(FELL, Side.NONE, *squeezes(400, 250, 150), n=2)
    assert found.there and "40 % less" in found.text and "since 5 Nov" in found.text, "against the newest before"
    assert seen(FELL, LEFT, *squeezes(250, 150), n=1).there, "of both legs at once, whichever is asked about"


def shin_work(first: date, last: date, trial: bool = False) -> list[Entry]:
    item = PlanItem("shin", "tr-2-turn", {}, LEFT)
    return [item, *(Done("tr-2-turn", LEFT, day, trial=trial) for day in (first, last))]


START = FIRST.date() + timedelta(days=1)


@pytest.mark.parametrize(
    ("days", "after", "trial", "there"),
    [(28, 40.0, False, True), (30, 40.5, False, True), (28, 60.0, False, False), (27, 40.0, False, None),
     (28, 40.0, True, None)],
)  # fmt: skip
@pytest.mark.parametrize("side", LEGS)
def test_a_shin_that_four_weeks_of_work_left_unmoved(days, after, trial, there, side):
    turns = [obs("tibial-rotation-in", side, *[deg] * 9, n=n) for n, deg in ((0, 40.0), (1, after))]
    found = seen(UNMOVED, side, *turns, *shin_work(START, START + timedelta(days=days), trial), n=1)
    assert (found.done, found.there) == ((False, False) if there is None else (True, there))
    assert not seen(UNMOVED, side.other, *turns, *shin_work(START, START + timedelta(days=days)), n=1).there


def test_work_of_another_ladder_or_a_measure_taken_too_early_says_nothing():
    turns = [obs("tibial-rotation-in", LEFT, *[40.0] * 9, n=n) for n in (0, 1)]
    other = [PlanItem("ankle", "am-1-glide", {}, LEFT), *(Done("am-1-glide", LEFT, START + timedelta(days=d))
             for d in (0, 30))]  # fmt: skip
    assert not seen(UNMOVED, LEFT, *turns, *other, n=1).done
    late = START + timedelta(weeks=2)
    assert not seen(UNMOVED, LEFT, *turns, *shin_work(late, late + timedelta(days=20)), n=1).done
    before_any = [turns[1]]
    assert not seen(UNMOVED, LEFT, *before_any, *shin_work(START, START + timedelta(days=30)), n=1).done


# what the deciding look at the levels gave


def looked(outcome: str, low: Side, n: int = 0) -> Decision:
    about = {"row": "shorter-below", "suspicion": "a shorter shank"}
    return Decision("levels-chain", outcome, about, low, visit=f"v{n}", uid=f"d-{outcome}")


@pytest.mark.parametrize("n", [0, 1, 2])
def test_a_form_and_a_decision_are_known_from_their_visit_on_and_not_before(n):
    later = looked("leg length", LEFT, n=1)
    form = Form("intake-history", {"old": "yes"}, visit="v1", uid="f1")
    known = findings(case(later, form, n=n), MEASURES)
    assert bool(known.decided) is (n >= 1)
    assert ("intake-history" in known.forms) is (n >= 1)


def low_left(mm: float) -> list[Observation]:
    return [obs(m, Side.NONE, mm, method="photo", marking_sd=0.5) for m in ("knee-crease-level", "psis-level")]


@pytest.mark.parametrize(("side", "mm"), [(LEFT, 25.0), (RIGHT, -25.0)])
def test_the_deciding_look_speaks_for_and_against_leg_length_on_the_lower_side(side, mm):
    bare = sheet("leg-length", "level-tilt", side, *low_left(mm))
    longer = sheet("leg-length", "level-tilt", side, *low_left(mm), looked("20 mm or more", side))
    evened = sheet("leg-length", "level-tilt", side, *low_left(mm), looked("levels out", side))
    assert (longer.score - bare.score, evened.score - bare.score) == (2, -2)
    assert any("a shorter shank: 20 mm or more" in chip.look.text for chip in longer.fired)
    other = sheet("leg-length", "level-tilt", side, *low_left(mm), looked("20 mm or more", side.other))
    assert other.score == bare.score
    again = sheet("leg-length", "level-tilt", side, *low_left(mm), looked("20 mm or more", side),
                  looked("levels out", side))  # fmt: skip
    assert again.score == evened.score, "the newest look counts"


def done_beside(*rows: tuple[float, bool | None], what: str = "ramps") -> list[OtherLoad]:
    day = FIRST.date()
    return [OtherLoad(what, day - timedelta(days=9 - n), amount, "min", settled=well, uid=f"{what}{n}")
            for n, (amount, well) in enumerate(rows)]  # fmt: skip


def test_mornings_after_more_than_usual_of_a_load_speak_when_a_few_are_known():
    sign = Sign(loads=True)
    worse = done_beside((30, True), (30, True), (60, False), (90, False))
    found = seen(sign, Side.NONE, *worse)
    assert found.there and found.text == "ramps 90 min on 25 Sep: not settled next morning" and found.entry == "ramps3"
    for rows, there in (
        (((30, True), (30, False), (60, True)), False),  # bad after the usual, well after more
        (((30, True), (60, False)), None),
        (((30, True), (60, None), (90, None), (30, True)), None),
        (((30, True), (30, True), (60, True)), False),
    ):
        got = seen(sign, Side.NONE, *done_beside(*rows))
        assert (got.done, got.there) == ((False, False) if there is None else (True, there)), rows
    other = [*done_beside((30, True), (30, True)), *done_beside((300, False), (300, False), what="walks")]
    assert not seen(sign, Side.NONE, *other).there, "each load by its own usual amount"
    heel = obs("pain-now", LEFT, 5, setup=Setup(region="heel"))
    bare, after = (sheet("load-change", "complaint-heel", LEFT, heel, *rows).score for rows in ([], worse))
    calm = sheet("load-change", "complaint-heel", LEFT, heel, *done_beside((30, True), (30, True), (60, True))).score
    assert (after - bare, calm - bare) == (1, -1)
    ahead = [replace(o, day=o.day + timedelta(days=60)) for o in worse]
    assert not seen(sign, Side.NONE, *ahead).done


# answers, forms, pain, verdicts


def test_a_line_keeps_its_letter_before_and_after_it_is_tested():
    knee = both("squat-front-fppa", 25, 2)
    for rows in (knee, [*knee, *both("hip-abd", 100, 200), *both("knee-to-wall", 4, 12)]):
        kinds = {chip.line.words: chip.kind for s in concluded(*rows).of("knee-in", LEFT).sheets for chip in s.chips}
        assert kinds["abduction"] is EvidenceKind.STRENGTH and kinds["knee to wall"] is EvidenceKind.RANGE


def test_an_answer_read_off_a_clip_rests_on_that_clip():
    sign = Sign(test="step-down", question="knee-in", options=("most",))
    asked = Answer("step-down", "knee-in", LEFT, "most", uid="a", visit="v0", at=FIRST)
    assert seen(sign, LEFT, asked).source == "step-down"
    assert seen(sign, LEFT, replace(asked, capture="c7")).source == "c7"


def test_an_answer_of_the_leg_comes_before_one_of_no_leg_and_the_newest_counts():
    sign = Sign(test="step-down", question="knee-in", options=("most", "every"))

    def said(option: str, side: Side, n: int = 0, minute: int = 0) -> Answer:
        return Answer("step-down", "knee-in", side, option, uid=f"{option}-{side}-{n}", visit=f"v{n}",
                      at=visit(n).started_at + timedelta(minutes=minute))  # fmt: skip

    assert seen(sign, LEFT, said("most", LEFT)).there and not seen(sign, RIGHT, said("most", LEFT)).done
    found = seen(sign, LEFT, said("none", LEFT, minute=5), said("most", LEFT, minute=1))
    assert found.done and not found.there and found.text == "none"
    ahead = said("none", LEFT, n=1)
    assert seen(sign, LEFT, said("most", LEFT), ahead).there, "an answer of a later visit is not known yet"
    assert not seen(sign, LEFT, said("most", LEFT), ahead, n=1).there
    assert seen(sign, LEFT, said("most", Side.NONE)).there
    assert not seen(sign, LEFT, said("none", LEFT), said("most", Side.NONE)).there
    assert seen(sign, Side.NONE, said("every", RIGHT)).there


def test_a_form_is_read_by_field_column_side_and_limit():
    def told(sign: Sign, side: Side, data: dict) -> tuple[bool, bool, str]:
        form = Form("intake-history", data, visit="v0", uid="f")
        found = seen(sign, side, form)
        return found.done, found.there, found.text

    trouble = Sign(form="intake-history", field="episodes.side", options=("side",))
    rows = {"episodes": [{"side": "right"}, {"side": "left"}]}
    assert told(trouble, LEFT, rows) == (True, True, "left") and told(trouble, RIGHT, rows) == (True, True, "right")
    assert told(trouble, LEFT, {"episodes": [{"side": "right"}]}) == (True, False, "right")
    assert told(trouble, LEFT, {"episodes": [{"side": "not said"}]})[0] is False
    hours = Sign(form="intake-history", field="hours", limit=6.0)
    assert [told(hours, LEFT, {"hours": h})[:2] for h in (5.9, 6, 7.5, "")] == [
        (True, False), (True, True), (True, True), (False, False)]  # fmt: skip
    assert told(hours, LEFT, {"hours": [2, 8, 9]}) == (True, True, "8")
    assert not seen(hours, LEFT).done


def test_pain_of_a_place_is_the_worst_that_stands_there_now():
    sign = Sign(measures=("pain-now",), shows=SignCondition.AT_LEAST, limit=3.0, regions=("groin", "inner thigh"))

    def hurts(region: str, side: Side, pain: float, minute: int = 0, quality: float = 1.0) -> Observation:
        return obs("pain-now", side, pain, minute=minute, setup=Setup(region=region), quality=quality)

    found = seen(sign, LEFT, hurts("groin", LEFT, 3), hurts("inner thigh", LEFT, 6, 1, 0.5), hurts("heel", LEFT, 9, 2))
    assert found.there and found.text == "inner thigh 6/10" and found.quality == 0.5 and found.kind is EvidenceKind.PAIN
    assert found.source == "pain-now inner thigh" and found.entry.startswith("pain-now-left")
    assert not seen(sign, RIGHT, hurts("groin", LEFT, 5)).there
    eased = seen(sign, LEFT, hurts("groin", LEFT, 7), hurts("groin", LEFT, 2, 5))
    assert eased.done and not eased.there
    assert not seen(sign, LEFT, hurts("groin", LEFT, 2.9)).there and seen(sign, LEFT, hurts("groin", LEFT, 3)).there


def test_pain_with_a_test_from_the_limit_on():
    hurt, free = (
        Sign(measures=("hip-abd",), shows=s, limit=3.0) for s in (SignCondition.PAINFUL, SignCondition.PAINLESS)
    )
    for pain, there in ((2, False), (3, True), (8, True)):
        force = obs("hip-abd", LEFT, 150, pain=pain, quality=0.8)
        assert seen(hurt, LEFT, force).there is there and seen(free, LEFT, force).there is not there
        found = seen(hurt if there else free, LEFT, force)
        assert (found.text, found.source, found.quality) == (f"{pain}/10 in the test", "pain hip-abd", 0.8)
        assert found.kind is EvidenceKind.PAIN and found.entry == force.uid
    any_pain = Sign(measures=("hip-abd",), shows=SignCondition.PAINFUL)
    assert [seen(any_pain, LEFT, obs("hip-abd", LEFT, 150, pain=p)).there for p in (0, 1)] == [False, True]
    assert not seen(hurt, LEFT, obs("hip-abd", LEFT, 150)).done and not seen(free, LEFT, obs("hip-abd", LEFT, 150)).done


@pytest.mark.parametrize("side", LEGS)
def test_what_a_verdict_tells_is_that_of_the_side_at_issue(side):
    weaker = {LEFT: (100.0, 200.0), RIGHT: (200.0, 100.0)}[side]
    forces = both("hip-abd", *weaker)
    deficit = seen(Sign(measures=("hip-abd",)), side, *forces)
    assert deficit.there and deficit.verdict == "marked" and deficit.short == "50 %"
    assert deficit.entry == forces[LEGS.index(side)].uid, "the chip opens the value of its own side"
    well = seen(Sign(measures=("hip-abd",)), side.other, *forces)
    assert well.done and not well.there
    even = seen(Sign(measures=("hip-abd",), shows=SignCondition.EVEN), side, *both("hip-abd", 200, 201))
    assert even.there and even.short == "", "no number where none is off"
    assert not seen(Sign(measures=("hip-abd",), shows=SignCondition.EVEN), side, *forces).there
    gone = seen(Sign(measures=("hip-abd",), absent=True), side, *both("hip-abd", 200, 201))
    assert gone.there and not seen(Sign(measures=("hip-abd",), absent=True), side).there, "looked for and not there"
    low = Sign(measures=("two-scale-share",), shows=SignCondition.LOWER)
    share = {LEFT: 62.0, RIGHT: 38.0}[side]  # percent on the right leg
    assert seen(low, side, obs("two-scale-share", Side.NONE, share, share, share)).there
    assert not seen(low, side.other, obs("two-scale-share", Side.NONE, share, share, share)).there


def test_at_least_and_under_meet_at_their_limit():
    least = Sign(measures=("knee-toe-zone",), shows=SignCondition.AT_LEAST, limit=3.0)
    under = replace(least, shows=SignCondition.UNDER)
    for value, there in ((2.9, False), (3.0, True), (3.1, True)):
        zone = obs("knee-toe-zone", LEFT, value)
        assert seen(least, LEFT, zone).there is there and seen(under, LEFT, zone).there is not there


@pytest.mark.parametrize("side", LEGS)
def test_a_heel_speaks_for_pronation_only_where_it_everts_beyond_what_is_usual(side):
    """Between two inverted heels the one nearer to straight is no fallen one."""

    def raised(mine: float, other: float) -> list[Side]:
        values = {side: mine, side.other: other}
        told = concluded(*both("gait-heel-eversion", values[Side.LEFT], values[Side.RIGHT]))
        return [one.seen.side for one in told.balances if one.seen.pattern.id == "foot-collapse"]

    assert raised(-2.0, -12.0) == []
    assert raised(14.0, 2.0) == [side]
