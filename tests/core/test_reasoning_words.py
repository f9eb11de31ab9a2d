"""What is concluded, as it is offered, told and kept: costs, trials, the trail, the page, the words."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta

import pytest
from reasoned import (
    FIRST,
    KNOWLEDGE,
    LEFT,
    MEASURES,
    RIGHT,
    TABLE,
    TESTS,
    both,
    case,
    concluded,
    obs,
    visit,
)

from tuning.core.entries import Decision, OtherLoad
from tuning.core.reasoning.conclusion import CHECKED, conclude
from tuning.core.reasoning.evidence import Label
from tuning.core.reasoning.label_history import label_history
from tuning.core.reasoning.next_best_test import CLIP_OF, SETTING_OUT_MIN, SHOWN, next_tests
from tuning.core.reasoning.progress import TO_PROGRAMME, next_step
from tuning.core.reasoning.summary import CLOSING, patient_text, record_text
from tuning.core.types import Entry, Role, Setup, Side, Triage
from tuning.core.visit.visit_items import Station


def test_each_test_costs_its_minutes_and_those_of_getting_there():
    found = concluded(*both("squat-front-fppa", 25, 2, method="clip"))
    one = found.of("knee-in", LEFT)

    def offered(now: Station | None):
        return {o.id: o for o in next_tests(TABLE, one, found.found, TESTS, now)}

    free = offered(None)
    abd = KNOWLEDGE.tests["hip-abd"]
    assert free["hip-abd"].minutes == abd.minutes * 2 and free["hip-abd"].side is LEFT
    assert free["hip-abd"].moves == "no change of position" and free["hip-abd"].stage == "strength"
    near = offered(Station("standing", "free", "none"))
    turn, own = KNOWLEDGE.order.minutes.turn, SETTING_OUT_MIN + 2 * abd.minutes
    assert near["hip-abd"].usefulness == pytest.approx(free["hip-abd"].usefulness * own / (own + turn))
    assert near["hip-abd"].moves and near["hip-abd"].moves != "no change of position"
    trial = free["trial:cue"]
    assert trial.change == "cue" and trial.name == "Repeat with: cue" and trial.minutes == TABLE.changes["cue"].minutes
    assert trial.stage == "movement" and free["hip-abd"].change == ""
    clips = [o for o in free.values() if o.id in TESTS.clips]
    assert clips and all(o.id in set(CLIP_OF.values()) for o in clips)
    standing = {o.id: o for o in offered(Station("side-left", "couch", "hands")).values() if o.id in TESTS.clips}
    for o in standing.values():
        assert o.moves == "standing" and o.usefulness < free[o.id].usefulness
    assert list(free["hip-abd"].factors)[0] in {"hip-abductor-strength", "hip-abductor-timing"}
    assert SHOWN == 3


def test_a_test_says_what_it_tells_apart_the_factor_it_tells_most_about_first():
    knee = both("squat-front-fppa", 25, 2)

    def offered(*rows: Entry):
        found = concluded(*knee, *rows)
        return {o.id: o for o in next_tests(TABLE, found.of("knee-in", LEFT), found.found, TESTS)}

    some = offered(*both("hip-abd", 100, 200), *both("knee-to-wall", 10, 10.1))
    assert some["hip-er"].separates == (
        "supports or speaks against hip external rotator weakness; helps distinguish it from hip abductor weakness"
    ), "from the likely one"
    assert "helps distinguish it from movement technique" in some["band-walk"].separates, "from what is still open"
    assert some["tibial-rotation-block"].factors == ("tibial-rotation", "bony-twist")
    assert offered()["hip-er"].separates.endswith("it from movement technique")


def test_a_test_of_the_left_is_done_lying_on_the_right():
    for side, lying in ((LEFT, "side, right"), (RIGHT, "side, left")):
        worse = {LEFT: (25, 2), RIGHT: (2, 25)}[side]
        found = concluded(*both("squat-front-fppa", *worse))
        one = found.of("knee-in", side)
        made = {o.id: o for o in next_tests(TABLE, one, found.found, TESTS, Station("standing", "free", "none"))}
        assert made["hip-abd"].moves == lying


def test_a_trial_of_cause_is_offered_until_it_told_something():
    shift = [obs("squat-hip-shift", Side.NONE, 12, 12.2, 11.8, minute=m, method="clip", setup=Setup(changed=c))
             for m, c in ((0, ""), (1, "wedge"), (2, ""))]  # fmt: skip
    for upto, there in ((1, True), (2, True), (3, False)):
        found = concluded(*shift[:upto])
        one = found.of("hip-shift", LEFT) or found.of("hip-shift", RIGHT)
        assert ("trial:wedge" in {o.id for o in next_tests(TABLE, one, found.found, TESTS)}) is there


def test_the_trail_tells_every_change_of_a_label_with_what_was_new_there():
    entries: Sequence[Entry] = [
        *both("squat-front-fppa", 25, 2, n=0),
        *both("squat-front-fppa", 25, 2, n=1), *both("hip-abd", 100, 200, n=1),
        *both("squat-front-fppa", 25, 2, n=2), *both("hip-abd", 200, 201, n=2),
    ]  # fmt: skip
    whole = case(*entries, n=2)
    turns = label_history(whole, lambda c: conclude(c, TABLE, MEASURES, TESTS, None))
    about = [t for t in turns if (t.pattern, t.factor) == ("knee-in", TABLE.factors["hip-abductor-strength"].name)]
    assert [(t.at, t.before) for t in about][-1] == (visit(1).started_at, Label.UNTESTED)
    assert about[-1].now is Label.LIKELY and about[-1].because == ("for: abduction",) and about[-1].side is LEFT
    assert about[0].at == visit(2).started_at and about[0].before is Label.LIKELY is not about[0].now
    assert about[0].name == "Left dynamic knee valgus"
    assert turns == sorted(turns, key=lambda t: t.at, reverse=True)
    assert not [t for t in turns if t.at == visit(0).started_at and t.now in (Label.UNTESTED, Label.OPEN)]
    (at_once,) = [t for t in label_history(case(*entries[:2], *both("hip-abd", 100, 200)), lambda c: conclude(
        c, TABLE, MEASURES, TESTS, None)) if (t.pattern, t.factor) == ("knee-in", about[0].factor)]  # fmt: skip
    assert (at_once.before, at_once.now, at_once.because) == (None, Label.LIKELY, ("for: abduction",))
    early = label_history(case(*entries, n=1), lambda c: conclude(c, TABLE, MEASURES, TESTS, None))
    assert max(t.at for t in early) == visit(1).started_at, "later visits are not known in an earlier one"


def test_the_page_for_the_record_names_what_speaks_for_and_against():
    knee = [*both("squat-front-fppa", 25, 2), *both("hip-abd", 100, 200)]
    found = concluded(*knee)
    options = [next_tests(TABLE, one, found.found, TESTS) for one in found.balances]
    text = record_text(found, Role.CLINICIAN, options)
    part = next(p for p in text.split("\n\n") if p.startswith("Left dynamic knee valgus"))
    assert "  Seen: " in part and "Hip abductor weakness: likely. for: abduction (" in part
    assert part.count("  Next: ") == SHOWN and text.endswith(CLOSING) and "\n\n" in text
    assert f"  Next: {options[found.balances.index(found.of('knee-in', LEFT))][0].name}, " in part
    even = concluded(*both("squat-front-fppa", 25, 2), *both("hip-abd", 200, 201))
    assert "Nothing is likely yet." in record_text(even, Role.CLINICIAN, [[] for _ in even.balances])
    refer = concluded(*knee, triage=Triage.RED)
    assert "refer" in record_text(refer, Role.CLINICIAN, []) and not refer.balances
    assert record_text(concluded(), Role.CLINICIAN, []).startswith("No pattern")


def test_the_page_for_the_record_tells_what_is_unlikely_too():
    found = concluded(*both("squat-front-fppa", 25, 2), *both("knee-to-wall", 10, 10.1))
    text = record_text(found, Role.CLINICIAN, [[] for _ in found.balances])
    [low] = [s.factor.name for b in found.balances for s in b.sheets if s.label is Label.UNLIKELY]
    assert f"  Unlikely: {low[:1].lower()}{low[1:]}." in text


def test_a_line_without_a_number_stands_alone_and_a_pattern_of_no_side_names_none():
    heel = obs("pain-now", LEFT, 5, setup=Setup(region="heel"))
    calm = [
        OtherLoad("ramps", FIRST.date() - timedelta(days=n), 30, "min", settled=True, uid=f"o{n}") for n in range(3)
    ]
    about = {"pattern": "complaint-heel", "factor": "load-change"}
    by_hand = Decision("factor-overruled", "likely", about, LEFT, "new boots", visit="v0", uid="d")
    found = concluded(heel, *calm, by_hand)
    text = record_text(found, Role.CLINICIAN, [[] for _ in found.balances])
    assert "Recent load change: likely. against: no next-day response. Set by hand: new boots." in text
    back = patient_text(concluded(obs("pain-now", Side.NONE, 5, setup=Setup(region="groin"))))
    assert back.startswith("We saw: pain in the groin.\n")


def test_the_next_step_weighs_what_was_seen_until_something_is_taken_over():
    knee, groin = both("squat-front-fppa", 25, 2), obs("pain-now", LEFT, 5, setup=Setup(region="groin"))
    one, two = (next_step(case(*rows), KNOWLEDGE) for rows in (knee, [*knee, groin]))
    assert (one.text, one.then, one.target.stage) == ("Weigh what contributes", "one pattern was seen", "reasoning")
    assert two.then == "2 patterns were seen" and next_step(case(), KNOWLEDGE) is None
    taken = [Decision(TO_PROGRAMME, "taken over", {}, LEFT, visit=f"v{n}", uid="t") for n in (0, 1)]
    assert next_step(case(*knee, taken[0]), KNOWLEDGE) is None
    assert next_step(case(*knee, taken[1]), KNOWLEDGE) is not None, "at another visit"


def test_structure_is_worded_by_who_looks_and_never_told_to_the_patient():
    feet = [*both("turnout-kneecap", 30, 8), obs("thigh-foot-angle", LEFT, 40, 40, 40)]
    found = concluded(*feet)
    none: list[list] = [[] for _ in found.balances]
    assert "Torsional alignment (femur, tibia): likely" in record_text(found, Role.CLINICIAN, none)
    student = record_text(found, Role.STUDENT, none)
    assert f"{CHECKED}: likely" in student and "Bone" not in student
    told = patient_text(found)
    assert "We saw: the left foot points outward." in told and "bone" not in told
    assert "We do not know yet why" in told and told.endswith(CLOSING)
    weak = patient_text(concluded(*both("squat-front-fppa", 25, 2), *both("hip-abd", 100, 200)))
    assert "May contribute:" in weak and "some findings point there" in weak
    assert patient_text(concluded()).startswith("Nothing stood out")
    assert "doctor" in patient_text(concluded(*feet, triage=Triage.RED))
