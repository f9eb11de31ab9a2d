"""Facts of the person act: what cannot be done is not proposed, each brings its cautions, a pregnancy counts on."""

from dataclasses import replace
from datetime import timedelta

import pytest
from reasoned import FIRST, KNOWLEDGE, LEFT, RIGHT, case, obs, visit

from tuning.core.entries import Clearance, Decision, Form, Screen
from tuning.core.gate.limits import PREFIX, SURGEON
from tuning.core.gate.open_findings import standing_of
from tuning.core.gate.permission import Gate, gate_facts, permission_for
from tuning.core.gate.person_facts import ROWS, told_facts, unfinished
from tuning.core.judging.comparability import why_not_comparable, why_not_comparable_over_time
from tuning.core.programme.plan_status import TO_PROGRAMME, plan_status
from tuning.core.reasoning.findings import findings
from tuning.core.types import LEGS, Role, Setup, Side, Triage
from tuning.knowledge.gate_acts import act_of_test, not_proposed

TABLE, DAY = KNOWLEDGE.safety, timedelta(days=1)


def told(*rows, days=0, uid="h"):
    return Form("intake-history", {ROWS: list(rows)}, uid=uid, visit="v0", at=FIRST + days * DAY)


def asked(**answers):
    return Screen(Triage.AMBER if answers else Triage.NONE, dict.fromkeys(answers, True), uid="s", visit="v0", at=FIRST)


def standing_after(weeks, *entries):
    return standing_of(case(*entries), TABLE, FIRST + timedelta(weeks=weeks))


def test_a_pregnancy_counts_on_by_itself_and_bars_lying_prone_from_week_20_on():
    entries = asked(), told({"what": "pregnancy", "weeks": 18.0})
    assert [f.id for f in standing_after(1, *entries).open] == ["pregnant"]
    assert {f.id for f in standing_after(2, *entries).open} == {"pregnant", "pregnant-20"}
    prone = act_of_test(KNOWLEDGE.tests["quadriceps-length"], LEFT)
    for weeks, gate in ((1, Gate.OPEN), (2, Gate.LOCKED)):
        facts = gate_facts(case(*entries), TABLE, Role.CLINICIAN, FIRST + timedelta(weeks=weeks))
        assert permission_for(prone, replace(facts, asked=True)).gate is gate
    assert standing_after(25, *entries).open == (), "it is over"


def test_a_history_that_is_saved_again_does_not_start_the_weeks_again():
    row = {"what": "pregnancy", "weeks": 18.0}
    other = {"what": "implant", "where": "knee", "side": "left"}
    entries = asked(), told(row), told(row, other, days=10, uid="h2")
    assert "pregnant-20" in {f.id for f in standing_after(2, *entries).open}
    gone = (*entries, told(other, days=11, uid="h3"))
    assert standing_after(2, *gone).open == ()


def test_a_clearance_of_a_pregnancy_holds_and_week_20_is_new():
    cleared = Clearance("s", "midwife", FIRST.date(), "well", "pregnant", uid="c", visit="v0", at=FIRST + DAY)
    entries = asked(), told({"what": "pregnancy", "weeks": 18.0}), cleared
    assert standing_after(1, *entries).open == ()
    assert [f.id for f in standing_after(3, *entries).open] == ["pregnant-20"]


@pytest.mark.parametrize("side", LEGS)
def test_what_is_missing_is_neither_tested_nor_proposed_on_that_side_and_the_other_stays(side):
    entries = asked(), told({"what": "limb loss", "where": "below knee", "side": side.value})
    facts = replace(gate_facts(case(*entries), TABLE, Role.CLINICIAN, FIRST), asked=True)

    def gates(test):
        return [
            permission_for(act_of_test(KNOWLEDGE.tests[test], one), facts).gate is not Gate.LOCKED
            for one in (side, side.other)
        ]

    for test in ("heel-raise", "ankle-pf", "knee-to-wall", "great-toe-ext"):
        assert gates(test) == [False, True], test
    for test in ("hip-abd", "knee-ext", "pelvis-hold-1leg", "psis-level"):
        assert gates(test) == [True, True], test
    assert (
        f"limb loss, {side.value} (below knee)"
        in permission_for(act_of_test(KNOWLEDGE.tests["heel-raise"], side), facts).sentence
    )


@pytest.mark.parametrize("side", LEGS)
def test_a_ladder_for_a_missing_part_is_barred_with_its_reason(side):
    entries = (
        asked(), told({"what": "limb loss", "where": "foot", "side": side.value}),
        *(Decision(TO_PROGRAMME, "taken", {"factor": "ankle-dorsiflexion"}, one, uid=f"d{one}", visit="v0", at=FIRST)
          for one in (side,)),
    )  # fmt: skip
    found = {p.ladder: p for p in plan_status(case(*entries), KNOWLEDGE, FIRST.date(), FIRST).proposals()[0]}
    assert f"limb loss, {side.value} (foot)" in found["ankle"].barred
    other = (*entries[:1], told({"what": "limb loss", "where": "foot", "side": side.other.value}), *entries[2:])
    found = {p.ladder: p for p in plan_status(case(*other), KNOWLEDGE, FIRST.date(), FIRST).proposals()[0]}
    assert "limb loss" not in found["ankle"].barred


def cautions(days, *entries):
    return set(plan_status(case(*entries), KNOWLEDGE, (FIRST + days * DAY).date(), FIRST + days * DAY).cautions)


def test_each_fact_brings_its_cautions_and_those_of_an_approach_end_after_12_weeks():
    hip = {"what": "joint replacement", "where": "hip", "side": "right", "date": f"{FIRST:%Y-%m-%d}"}
    behind, front = {**hip, "how": "posterior"}, {**hip, "how": "anterior"}
    assert cautions(30, asked(), told(behind)) == {"hip-replacement", "hip-posterior"}
    assert cautions(30, asked(), told(front)) == {"hip-replacement", "hip-anterior"}
    assert cautions(30, asked(), told(hip)) == {"hip-replacement", "hip-posterior", "hip-anterior"}, "nobody said"
    assert cautions(90, asked(), told(behind)) == {"hip-replacement"}
    for what, key in (
        ("limb loss", "limb-loss"), ("implant", "implant"), ("hypermobility", "hypermobility"),
        ("neurological", "neurological"),
    ):  # fmt: skip
        assert cautions(1, asked(), told({"what": what})) == {key}
    assert cautions(1, asked(), told({**hip, "where": "knee"})) == {"joint-replacement"}


def test_a_test_that_a_caution_speaks_against_is_not_proposed():
    plain, hip = (asked(),), (asked(), told({"what": "joint replacement", "where": "hip", "side": "left"}))
    for entries, words in ((plain, ""), (hip, "hip replacement, left: not proposed")):
        made = case(*entries)
        status = plan_status(made, KNOWLEDGE, FIRST.date(), FIRST)
        facts = replace(status.facts, asked=True)
        assert not_proposed(KNOWLEDGE, status, facts, "figure4-shin", RIGHT) == words
        assert not_proposed(KNOWLEDGE, status, facts, "psis-level") == ""


@pytest.mark.parametrize("side", LEGS)
def test_a_limit_with_a_number_leaves_open_what_stays_within_it(side):
    screen = replace(
        asked(**{SURGEON: 1, f"{PREFIX}knee": 1, f"{PREFIX}{side.value}": 1}), numbers={f"{PREFIX}knee": 90.0}
    )
    facts = replace(gate_facts(case(screen), TABLE, Role.CLINICIAN, FIRST), asked=True)

    def locked(test, leg):
        return permission_for(act_of_test(KNOWLEDGE.tests[test], leg), facts).locked

    assert [locked("hamstring-length", one) for one in (side, side.other)] == [False, False]
    assert [locked("figure4-shin", one) for one in (side, side.other)] == [True, False], "bends to 110"
    assert [locked("quadriceps-length", one) for one in (side, side.other)] == [True, False], "to the end of range"
    assert [locked("knee-ext", one) for one in (side, side.other)] == [True, False], "pulls at the knee"


def test_facts_that_a_record_holds_oddly_do_not_break_it():
    odd = told({"what": 3, "side": "up", "date": [], "weeks": "many"}, {}, {"what": "pregnancy", "weeks": None})
    assert [one.what for one in told_facts([odd], visit(0).started_at.date())] == ["3", "", "pregnancy"]
    assert standing_after(1, asked(), odd).open == ()
    assert Side.NONE in {one.side for one in told_facts([odd], FIRST.date())}


def test_a_level_found_with_a_lift_on_says_nothing_of_the_leg_without_and_is_not_compared():
    worn = Setup(worn="shoe lift, left")
    with_lift = obs("psis-level", Side.NONE, 12.0, minute=5, setup=worn)
    without = obs("psis-level", Side.NONE, 4.0)
    found = findings(case(without, with_lift), KNOWLEDGE.measures)
    assert found.values["psis-level", Side.NONE].measured == 4.0
    told = why_not_comparable_over_time(without, with_lift, force=False)
    assert "not compared" in told and "shoe lift" in told
    left = obs("knee-to-wall", LEFT, 10.0, setup=worn)
    assert why_not_comparable(left, obs("knee-to-wall", RIGHT, 9.0, setup=worn), force=False) == ""
    assert "shoe lift" in why_not_comparable(left, obs("knee-to-wall", RIGHT, 9.0), force=False)


@pytest.mark.parametrize(("row", "lacks"), [
    ({"what": "limb loss", "where": "below knee", "side": "left"}, ""),
    ({"what": "limb loss", "where": "foot"}, "side"),
    ({"what": "joint replacement", "side": "left"}, "where"), ({"what": "pregnancy"}, "week"),
    ({"what": "choose", "words": "pacemaker"}, "what it is"), ({"what": "implant"}, ""),
])  # fmt: skip
def test_a_fact_that_cannot_act_yet_says_what_it_lacks(row, lacks):
    found = unfinished(told_facts([told(row)], FIRST.date()))
    assert (len(found) == 1 and lacks in found[0]) if lacks else found == []


def test_a_test_shows_the_cautions_that_this_person_has_and_no_others():
    hip = {"what": "joint replacement", "where": "hip", "side": "left", "how": "anterior", "date": f"{FIRST:%Y-%m-%d}"}
    status = plan_status(case(asked(), told(hip, {"what": "implant"})), KNOWLEDGE, FIRST.date(), FIRST)
    shown = {
        test: " ".join(status.cautions_of_test(KNOWLEDGE.tests[test])) for test in ("hip-flexor-length", "knee-ext")
    }
    assert "anterior" in shown["hip-flexor-length"] and "implant" not in shown["hip-flexor-length"]
    assert "implant" in shown["knee-ext"] and "anterior" not in shown["knee-ext"]


@pytest.mark.parametrize("side", LEGS)
def test_a_caution_of_a_fact_names_its_side(side):
    row = {"what": "joint replacement", "where": "hip"}
    for sides, words in (({side}, f", {side.value}"), (set(LEGS), ", left and right")):
        rows = [{**row, "side": one.value} for one in sides]
        found = plan_status(case(asked(), told(*rows)), KNOWLEDGE, FIRST.date(), FIRST).cautions
        assert found["hip-replacement"].name == f"hip replacement{words}"
