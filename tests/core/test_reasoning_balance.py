"""What signs weigh together: lines, labels, what was put by hand, and trials of cause."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

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
)

from tuning.core.entries import Answer, Decision
from tuning.core.reasoning.conclusion import OVERRULED, conclude
from tuning.core.reasoning.evidence import EvidenceItem, EvidenceKind, FactorEvidence, Label, ReasoningPolicy, label_of
from tuning.core.reasoning.findings import findings
from tuning.core.reasoning.rules import EvidenceRule, SideMapping, Sign
from tuning.core.reasoning.sign_evaluation import SignResult, evaluate_sign
from tuning.core.reasoning.trial_of_cause import Effect, judge_response, responses
from tuning.core.types import LEGS, Entry, NotMeasured, Observation, Setup, Side

# several signs, several measures, the strongest once


def test_of_several_measures_as_many_as_asked_must_show_it():
    sign = Sign(measures=("hip-abd", "hip-er", "hip-ext"), count=2)
    one, two = both("hip-abd", 100, 200), both("hip-er", 100, 200)
    assert not seen(sign, LEFT, *one).there and seen(sign, LEFT, *one).done
    assert seen(sign, LEFT, *one, *two).there and not seen(sign, RIGHT, *one, *two).there
    assert not seen(sign, LEFT).done


def test_labels_from_scores_kinds_and_strong_lines():
    lines = {w: line("hip-abductor-strength", w) for w in ("abduction", "abduction even and in band")}

    def chip(weight: float, kind: EvidenceKind, way: int = 1) -> EvidenceItem:
        base = lines["abduction" if way > 0 else "abduction even and in band"]
        return EvidenceItem(replace(base, weight=weight), SignResult(True, True), kind)

    strength, movement = EvidenceKind.STRENGTH, EvidenceKind.MOVEMENT
    for chips, label in (
        ([], Label.UNTESTED),
        ([replace(chip(2, strength), look=SignResult(True))], Label.OPEN),
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
        tried = [
            EvidenceItem(
                replace(trial, speaks="for" if w > 0 else "against"), SignResult(True, True), EvidenceKind.RESPONSE
            )
            for w in ways
        ]
        beside = EvidenceItem(
            replace(other, weight=abs(rest), speaks="for" if rest > 0 else "against"),
            SignResult(True, True),
            EvidenceKind.STRENGTH,
        )
        return label_of([*tried, *([beside] if rest else [])], 0.0)

    against = "follows the trial of cause, against other lines"
    assert label((1,), 0) == (Label.LIKELY, "") and label((-1,), 0) == (Label.UNLIKELY, "")
    assert label((1,), 0.5) == (Label.SUPPORTED, ""), "any other kind that agrees is enough"
    assert label((1,), -0.5) == (Label.LIKELY, against) and label((-1,), 4) == (Label.UNLIKELY, against)
    assert label((-1,), -4) == (Label.UNLIKELY, "")
    assert label((1, -1), 4) == (Label.CONTESTED, "trials of cause disagree")
    assert label((1, 1, -1), 0)[0] is Label.LIKELY, "two to one"


def told_by(*lines: EvidenceRule, pattern: str = "knee-in", entries: Sequence[Entry]) -> FactorEvidence:
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
        found = concluded(pain, schools=ReasoningPolicy(regional=on)).of("complaint-front-knee", LEFT)
        regions = [s.factor.region for s in found.sheets if s.label is Label.UNTESTED]
        assert (regions == sorted(regions, key=lambda r: r == "knee")) is on
    weak = [*both("knee-ext", 100, 200), pain]
    first = concluded(*weak).of("complaint-front-knee", LEFT).sheets[0]
    assert first.factor.id == "leg-strength", "a likely factor of the knee still comes first"
    shift = [obs("squat-hip-shift", Side.NONE, 12, 12, 12)]
    on, off = (concluded(*shift, schools=ReasoningPolicy(regional=r)).balances[0].sheets for r in (True, False))
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


def test_a_trial_speaks_where_it_answers_and_rests_on_what_was_changed():
    row = [clip(30, minute=1), replace(clip(12, "cue", 2), quality=0.7), clip(28, minute=3)]
    answers, stays = (Sign(measures=(), changes=("cue",), responds=way) for way in (True, False))
    found = seen(answers, LEFT, *row)
    assert found.there and not seen(stays, LEFT, *row).there and not seen(answers, RIGHT, *row).done
    assert (found.verdict, found.quality, found.source) == (Effect.RESPONDS.value, 0.7, "trial cue")
    assert found.entry == row[1].uid and found.text.startswith("cue: ")
    assert not seen(replace(answers, changes=("wedge",)), LEFT, *row).done
    same = [clip(30, minute=1), clip(30, "cue", 2), clip(30, minute=3)]
    assert seen(stays, LEFT, *same).there and not seen(answers, LEFT, *same).there


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
    for usual, there in ((SideMapping.SAME, LEFT), (SideMapping.OTHER, RIGHT)):
        assert (
            evaluate_sign(deficit, found, there, usual).there
            and not evaluate_sign(deficit, found, there.other, usual).there
        )
    own = replace(deficit, side=SideMapping.OTHER)
    assert (
        evaluate_sign(own, found, RIGHT, SideMapping.SAME).there
        and not evaluate_sign(own, found, LEFT, SideMapping.SAME).there
    )
