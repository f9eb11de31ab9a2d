"""Signs, balances, trials, trail and words of reasoning, each against what was written by hand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from datetime import date, timedelta

import numpy as np
import pytest
from reasoned import (
    FIRST,
    LEFT,
    MEASURES,
    RIGHT,
    TABLE,
    TESTS,
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
from tuning.core.reasoning.balance import Chip, Kind, Label, Schools, Sheet, label_of
from tuning.core.reasoning.conclusion import OVERRULED, conclude
from tuning.core.reasoning.findings import findings
from tuning.core.reasoning.responses import Effect, judge_response, responses
from tuning.core.reasoning.signs import Look, look
from tuning.core.reasoning.tables import Line, Shows, Sign, Toward
from tuning.core.types import LEGS, Entry, NotMeasured, Observation, Setup, Side

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
        assert kinds["abduction"] is Kind.STRENGTH and kinds["knee to wall"] is Kind.RANGE


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
    sign = Sign(measures=("pain-now",), shows=Shows.AT_LEAST, limit=3.0, regions=("groin", "inner thigh"))

    def hurts(region: str, side: Side, pain: float, minute: int = 0, quality: float = 1.0) -> Observation:
        return obs("pain-now", side, pain, minute=minute, setup=Setup(region=region), quality=quality)

    found = seen(sign, LEFT, hurts("groin", LEFT, 3), hurts("inner thigh", LEFT, 6, 1, 0.5), hurts("heel", LEFT, 9, 2))
    assert found.there and found.text == "inner thigh 6/10" and found.quality == 0.5 and found.kind is Kind.PAIN
    assert found.source == "pain-now inner thigh" and found.entry.startswith("pain-now-left")
    assert not seen(sign, RIGHT, hurts("groin", LEFT, 5)).there
    eased = seen(sign, LEFT, hurts("groin", LEFT, 7), hurts("groin", LEFT, 2, 5))
    assert eased.done and not eased.there
    assert not seen(sign, LEFT, hurts("groin", LEFT, 2.9)).there and seen(sign, LEFT, hurts("groin", LEFT, 3)).there


def test_pain_with_a_test_from_the_limit_on():
    hurt, free = (Sign(measures=("hip-abd",), shows=s, limit=3.0) for s in (Shows.PAINFUL, Shows.PAINLESS))
    for pain, there in ((2, False), (3, True), (8, True)):
        force = obs("hip-abd", LEFT, 150, pain=pain, quality=0.8)
        assert seen(hurt, LEFT, force).there is there and seen(free, LEFT, force).there is not there
        found = seen(hurt if there else free, LEFT, force)
        assert (found.text, found.source, found.quality) == (f"{pain}/10 in the test", "pain hip-abd", 0.8)
        assert found.kind is Kind.PAIN and found.entry == force.uid
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
    even = seen(Sign(measures=("hip-abd",), shows=Shows.EVEN), side, *both("hip-abd", 200, 201))
    assert even.there and not seen(Sign(measures=("hip-abd",), shows=Shows.EVEN), side, *forces).there
    gone = seen(Sign(measures=("hip-abd",), absent=True), side, *both("hip-abd", 200, 201))
    assert gone.there and not seen(Sign(measures=("hip-abd",), absent=True), side).there, "looked for and not there"
    low = Sign(measures=("two-scale-share",), shows=Shows.LOWER)
    share = {LEFT: 62.0, RIGHT: 38.0}[side]  # percent on the right leg
    assert seen(low, side, obs("two-scale-share", Side.NONE, share, share, share)).there
    assert not seen(low, side.other, obs("two-scale-share", Side.NONE, share, share, share)).there


def test_at_least_and_under_meet_at_their_limit():
    least = Sign(measures=("knee-toe-zone",), shows=Shows.AT_LEAST, limit=3.0)
    under = replace(least, shows=Shows.UNDER)
    for value, there in ((2.9, False), (3.0, True), (3.1, True)):
        zone = obs("knee-toe-zone", LEFT, value)
        assert seen(least, LEFT, zone).there is there and seen(under, LEFT, zone).there is not there


# several signs, several measures, the strongest once


def test_of_several_measures_as_many_as_asked_must_show_it():
    sign = Sign(measures=("hip-abd", "hip-er", "hip-ext"), count=2)
    one, two = both("hip-abd", 100, 200), both("hip-er", 100, 200)
    assert not seen(sign, LEFT, *one).there and seen(sign, LEFT, *one).done
    assert seen(sign, LEFT, *one, *two).there and not seen(sign, RIGHT, *one, *two).there
    assert not seen(sign, LEFT).done


def test_labels_from_scores_kinds_and_strong_lines():
    lines = {w: line("hip-abductor-strength", w) for w in ("abduction", "abduction even and in band")}

    def chip(weight: float, kind: Kind, way: int = 1) -> Chip:
        base = lines["abduction" if way > 0 else "abduction even and in band"]
        return Chip(replace(base, weight=weight), Look(True, True), kind)

    strength, movement = Kind.STRENGTH, Kind.MOVEMENT
    for chips, label in (
        ([], Label.UNTESTED),
        ([replace(chip(2, strength), look=Look(True))], Label.OPEN),
        ([chip(1, strength), chip(1, movement)], Label.SUPPORTED),
        ([chip(1, strength), chip(0.99, movement)], Label.LIKELY),
        ([chip(2, strength), chip(2, strength)], Label.LIKELY),
        ([chip(1, strength)], Label.LIKELY),
        ([chip(0.99, strength)], Label.OPEN),
        ([chip(1, strength, -1)], Label.UNLIKELY),
        ([chip(0.99, strength, -1)], Label.OPEN),
        ([chip(2, strength), chip(2, movement, -1)], Label.CONTESTED),
        ([chip(2, strength), chip(1.9, movement, -1)], Label.OPEN),
    ):
        assert label_of(chips, sum(c.score for c in chips))[0] is label, (label, chips)


def test_a_trial_of_cause_comes_before_every_other_line():
    trial = replace(line("technique", "no deficit in three tests"), signs=(Sign(changes=("cue",)),), weight=2.0)
    other = line("hip-abductor-strength", "abduction")

    def label(ways: tuple[int, ...], rest: float) -> tuple[Label, str]:
        tried = [Chip(replace(trial, speaks="for" if w > 0 else "against"), Look(True, True), Kind.RESPONSE)
                 for w in ways]  # fmt: skip
        beside = Chip(replace(other, weight=abs(rest), speaks="for" if rest > 0 else "against"), Look(True, True),
                      Kind.STRENGTH)  # fmt: skip
        return label_of([*tried, *([beside] if rest else [])], 0.0)

    against = "follows the trial of cause, against other lines"
    assert label((1,), 0) == (Label.LIKELY, "") and label((-1,), 0) == (Label.UNLIKELY, "")
    assert label((1,), 0.5) == (Label.SUPPORTED, ""), "any other kind that agrees is enough"
    assert label((1,), -0.5) == (Label.LIKELY, against) and label((-1,), 4) == (Label.UNLIKELY, against)
    assert label((-1,), -4) == (Label.UNLIKELY, "")
    assert label((1, -1), 4) == (Label.CONTESTED, "trials of cause disagree")
    assert label((1, 1, -1), 0)[0] is Label.LIKELY, "two to one"


def told_by(*lines: Line, pattern: str = "knee-in", entries: Sequence[Entry]) -> Sheet:
    """The sheet of the hip abductors where the table holds these lines of them and nothing else."""
    factor = "hip-abductor-strength"
    table = replace(TABLE, lines=lines, by_factor={factor: lines})
    one = conclude(case(*entries), table, MEASURES, TESTS, None).of(pattern, LEFT)
    return one.sheet(factor)


def test_what_raised_a_pattern_speaks_for_none_of_its_factors():
    asked = Sign(test="step-down", question="knee-in", options=("most",))
    said = Answer("step-down", "knee-in", LEFT, "most", uid="a", visit="v0", at=FIRST)
    abduction = line("hip-abductor-strength", "abduction")
    same = replace(abduction, signs=(asked,), words="seen moving inward")
    also = replace(same, signs=(asked, *abduction.signs), words="seen, and weak")
    weak = both("hip-abd", 100, 200)
    alone = told_by(same, also, entries=[said, *weak])
    assert [chip.line.words for chip in alone.chips] == ["seen, and weak"], "together with another it may"
    raised_by_clip = told_by(same, entries=[*both("squat-front-fppa", 25, 2), *weak, replace(said, option="some")])
    assert [chip.line.words for chip in raised_by_clip.chips] == ["seen moving inward"]
    tilt = replace(abduction, signs=(Sign(measures=("squat-front-fppa",)),), words="tilt")
    assert not told_by(tilt, entries=both("squat-front-fppa", 25, 2)).chips


def test_of_lines_on_one_capture_the_strongest_counts_and_only_once():
    abduction = line("hip-abductor-strength", "abduction")
    lines = [replace(abduction, weight=w, words=f"{n}") for n, w in enumerate((1.0, 2.0, 2.0))]
    found = told_by(*lines, entries=[*both("squat-front-fppa", 25, 2), *both("hip-abd", 100, 200)])
    assert [chip.counted for chip in found.chips] == [False, True, False] and found.score == 2
    other = replace(abduction, signs=(Sign(measures=("hip-er",)),), weight=0.5, words="turning out")
    found = told_by(*lines, other, entries=[
        *both("squat-front-fppa", 25, 2), *both("hip-abd", 100, 200), *both("hip-er", 50, 100)])  # fmt: skip
    assert found.score == 2.5, "another test counts beside it"


@pytest.mark.parametrize("order", [("hip-abd", "knee-to-wall"), ("knee-to-wall", "hip-abd")])
def test_of_several_measures_the_one_that_tells_most_is_shown(order):
    one_weak, both_weak = both("hip-abd", 100, 200), both("knee-to-wall", 4, 4.1)
    sign = Sign(measures=order)
    assert seen(Sign(measures=("knee-to-wall",)), LEFT, *both_weak).most is not None
    found = seen(sign, LEFT, *one_weak, *both_weak)
    assert found.there and found.most is None and found.short == "50 %"


def test_the_regional_school_moves_knee_factors_back_only_among_equals_and_only_at_the_knee():
    pain = obs("pain-now", LEFT, 5, setup=Setup(region="front of knee"))
    for on in (True, False):
        found = concluded(pain, schools=Schools(regional=on)).of("complaint-front-knee", LEFT)
        regions = [s.factor.region for s in found.sheets if s.label is Label.UNTESTED]
        assert (regions == sorted(regions, key=lambda r: r == "knee")) is on
    weak = [*both("knee-ext", 100, 200), pain]
    first = concluded(*weak).of("complaint-front-knee", LEFT).sheets[0]
    assert first.factor.id == "leg-strength", "a likely factor of the knee still comes first"
    shift = [obs("squat-hip-shift", Side.NONE, 12, 12, 12)]
    on, off = (concluded(*shift, schools=Schools(regional=r)).balances[0].sheets for r in (True, False))
    assert [s.factor.id for s in on] == [s.factor.id for s in off], "a pattern of the hip knows no such order"


def test_an_overruled_label_is_that_pattern_s_and_side_s_alone_and_can_be_taken_back():
    tilt = [*both("squat-front-fppa", 25, 2), *both("hip-abd", 100, 200)]

    def by_hand(outcome: str, side: Side, pattern: str = "knee-in", n: int = 0) -> Decision:
        about = {"pattern": pattern, "factor": "hip-abductor-strength"}
        return Decision(OVERRULED, outcome, about, side, "seen otherwise", visit=f"v{n}", uid=f"o{outcome}{side}")

    plain = sheet("hip-abductor-strength", "knee-in", LEFT, *tilt)
    put = sheet("hip-abductor-strength", "knee-in", LEFT, *tilt, by_hand("unlikely", LEFT))
    assert plain.label is not Label.UNLIKELY is put.label and put.overruled == "seen otherwise"
    assert put.score == plain.score
    for other in (by_hand("unlikely", RIGHT), by_hand("unlikely", LEFT, "pelvis-drop")):
        assert sheet("hip-abductor-strength", "knee-in", LEFT, *tilt, other).label is plain.label
    back = sheet("hip-abductor-strength", "knee-in", LEFT, *tilt, by_hand("unlikely", LEFT), by_hand("", LEFT))
    assert back.label is plain.label and not back.overruled
    found = concluded(*tilt)
    assert found.of("knee-in", RIGHT) is None and found.of("pelvis-drop", LEFT) is None
    assert found.of("knee-in", LEFT) is not None


# trials of cause

FPPA = MEASURES["step-down-fppa"]


def clip(value: float, changed: str = "", minute: int = 0, side: Side = LEFT, treatment: str = "") -> Observation:
    trials = value + np.array([-0.2, 0.0, 0.2])
    return obs("step-down-fppa", side, *trials, minute=minute, method="clip",
               setup=Setup(changed=changed, treatment=treatment))  # fmt: skip


def test_a_trial_is_the_changed_one_between_the_nearest_plain_ones_of_its_side():
    row = [clip(20, minute=0), clip(30, minute=1), clip(12, "cue", 2), clip(28, minute=3), clip(5, minute=4)]
    (found,) = responses(MEASURES, row)
    assert (found.before.value, found.after.value, found.change) == (30, 28, "cue")
    assert found.effect is Effect.RESPONDS and found.gain == pytest.approx(16) and found.side is LEFT
    assert responses(MEASURES, row[2:]) == [], "without a plain one before it there is no trial"
    other = [replace(o, side=RIGHT) for o in row[:2]]
    assert responses(MEASURES, [*other, row[2], row[3]]) == [], "plain ones of the other leg are none"
    work = [clip(30, minute=1), clip(12, minute=2, treatment="release"), clip(28, minute=3)]
    assert [r.change for r in responses(MEASURES, work)] == ["release"]
    (open_one,) = responses(MEASURES, row[:3])
    assert open_one.effect is Effect.INCOMPLETE and open_one.gain == pytest.approx(18) and not open_one.drifted
    assert open_one.after is None and "measure again" in open_one.sentence
    lost = replace(clip(28, minute=3), value=NotMeasured("lost", "lost"))
    assert responses(MEASURES, [*row[:3], lost])[0].effect is Effect.INCOMPLETE


def test_unchanged_needs_an_error_small_enough_to_have_shown_half_the_finding():
    error = judge_response(FPPA, clip(30), clip(30, "cue"), clip(30), "cue").error
    size = 2 * error  # half of it is the error: just enough
    assert judge_response(FPPA, clip(size), clip(size, "cue"), clip(size), "cue").effect is Effect.UNCHANGED
    less = 1.99 * error
    assert judge_response(FPPA, clip(less), clip(less, "cue"), clip(less), "cue").effect is Effect.CANNOT_TELL


def test_a_smaller_number_is_the_finding_where_the_measure_says_so():
    wall = MEASURES["knee-to-wall"]
    made = [obs("knee-to-wall", LEFT, v, v, v, setup=Setup(changed=c)) for v, c in ((4, ""), (11, "release"), (4, ""))]
    assert judge_response(wall, *made, "release").effect is Effect.RESPONDS
    worse = [replace(o, value=15 - o.value, trials=15 - o.trials) for o in made]
    assert judge_response(wall, *worse, "release").effect is Effect.WORSE


@pytest.mark.parametrize("side", LEGS)
def test_a_line_whose_sign_lies_on_the_other_side_speaks_for_the_thinner_calf(side):
    """The larger calf carries the finding of its measure; what it tells is of the other leg."""
    girth = {LEFT: (33.0, 38.0), RIGHT: (38.0, 33.0)}[side]
    worse = {LEFT: (100.0, 200.0), RIGHT: (200.0, 100.0)}[side]
    weak = both("hip-abd", *worse)
    bare = sheet("leg-strength", "strength-gap", side, *weak)
    thin = sheet("leg-strength", "strength-gap", side, *weak, *both("calf-bulk", *girth))
    thick = sheet("leg-strength", "strength-gap", side, *weak, *both("calf-bulk", *girth[::-1]))
    assert (thin.score - bare.score, thick.score - bare.score) == (0.5, 0)
    assert [chip.line.words for chip in thin.fired] == ["thinner calf"]


def test_signs_turn_with_the_side_of_their_line():
    deficit = Sign(measures=("hip-abd",))
    found = findings(case(*both("hip-abd", 100, 200)), MEASURES)
    for usual, there in ((Toward.SAME, LEFT), (Toward.OTHER, RIGHT)):
        assert look(deficit, found, there, usual).there and not look(deficit, found, there.other, usual).there
    own = replace(deficit, side=Toward.OTHER)
    assert look(own, found, RIGHT, Toward.SAME).there and not look(own, found, LEFT, Toward.SAME).there
