"""The gate: triage by the published rules, findings that stand until each is cleared, what may be done under them."""

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import gate_table
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tuning.core.case import Case, Patient, Visit
from tuning.core.entries import Clearance, Screen, Unreadable
from tuning.core.errors import Refused
from tuning.core.gate.clearance import check_clearance
from tuning.core.gate.limits import LimitFacts, limit_sets, limits_from_answers
from tuning.core.gate.open_findings import screening_status
from tuning.core.gate.permission import Gate, GateAct, GateFacts, gate_facts, permission_for, require_permission
from tuning.core.gate.text import finding_name, standing_words
from tuning.core.gate.triage import AGES, screen, screen_entry
from tuning.core.types import LEGS, Role, Side, Triage
from tuning.knowledge import load
from tuning.knowledge.gate_acts import act_of_plates, act_of_rung, act_of_test

KNOWLEDGE = load()
TABLE = KNOWLEDGE.safety
QUESTIONS = [q.id for q in TABLE.questions]
SEVERITY = {Triage.NONE: 0, Triage.AMBER: 1, Triage.RED: 2}
START = datetime(2026, 3, 2, 9, tzinfo=UTC)
LEFT, RIGHT = LEGS
CLINICIAN, TRAINER, STUDENT = Role.CLINICIAN, Role.TRAINER, Role.STUDENT


# triage


@pytest.mark.parametrize(
    ("answers", "age", "level"),
    [
        (["saddle"], 40, "RED"), (["bladder"], 40, "RED"), (["both-legs"], 40, "AMBER"),
        (["both-legs", "saddle"], 40, "RED"), (["spreading"], 40, "RED"), (["chest"], 40, "RED"),
        (["cold-foot"], 40, "RED"), (["compartment"], 40, "RED"),
        (["hot-joint"], 40, "RED"), (["hot-joint", "fever"], 40, "RED"), (["replacement"], 70, "RED"),
        (["wound"], 40, "RED"), (["hot-foot"], 40, "RED"), (["foot-drop"], 40, "RED"),
        (["knee-injury"], 54, "NONE"), (["knee-injury"], 55, "RED"), (["knee-injury", "knee-bend"], 30, "RED"),
        (["knee-injury", "knee-patella"], 30, "RED"), (["knee-injury", "knee-fibula"], 30, "RED"),
        (["knee-injury", "knee-steps"], 30, "RED"), (["knee-injury", "knee-swelled"], 30, "RED"),
        (["ankle-injury", "ankle-bone"], 30, "NONE"), (["ankle-injury", "ankle-pain", "ankle-bone"], 30, "RED"),
        (["ankle-injury", "midfoot-pain", "ankle-steps"], 30, "RED"), (["ankle-injury", "ankle-pain"], 30, "NONE"),
        (["ankle-injury", "midfoot-pain", "midfoot-bone"], 30, "RED"), (["ankle-injury", "ankle-steps"], 30, "RED"),
        (["other-injury"], 30, "NONE"), (["other-injury", "other-steps"], 30, "RED"),
        (["fall"], 64, "NONE"), (["fall"], 65, "RED"), (["patella-out"], 20, "RED"), (["no-lift"], 50, "RED"),
        (["calf"], 40, "AMBER"), (["calf", "calf-unexplained"], 40, "RED"), (["calf", "calf-gap"], 40, "RED"),
        (["calf", "calf-still"], 40, "RED"), (["calf", "calf-clot"], 40, "RED"), (["calf", "cancer"], 40, "RED"),
        (["calf", "calf-whole"], 40, "RED"), (["calf", "calf-breath"], 40, "RED"),
        (["heel-snap"], 40, "RED"), (["heel-snap", "push-off"], 40, "RED"), (["locked"], 40, "RED"),
        (["impact"], 30, "AMBER"), (["focal"], 30, "AMBER"), (["impact", "focal"], 30, "RED"),
        (["night-load", "each-start"], 30, "AMBER"), (["impact", "low-energy"], 30, "AMBER"),
        (["low-energy"], 30, "NONE"),
        (["groin-bone"], 30, "RED"), (["limp"], 40, "NONE"), (["limp"], 9, "RED"),
        (["young-pain", "foot-out"], 17, "RED"), (["young-pain", "foot-out"], 18, "NONE"),
        (["young-pain", "lost-turn"], 8, "RED"), (["young-pain"], 12, "NONE"),
        (["lump"], 24, "AMBER"), (["lump"], 25, "NONE"), (["gait-hands"], 60, "AMBER"), (["tendon-drug"], 50, "AMBER"),
        (["night"], 40, "AMBER"), (["weight-loss"], 40, "AMBER"), (["cancer"], 40, "AMBER"), (["trauma"], 40, "AMBER"),
        (["surgeon"], 40, "AMBER"), (["pregnant"], 30, "AMBER"), (["bone"], 70, "AMBER"), (["heart"], 60, "AMBER"),
        (["dizzy"], 60, "AMBER"), (["night", "locked"], 40, "RED"), ([], 40, "NONE"),
        (["swells", "flat-foot", "unchanged", "curve", "stiff", "inflamed", "nerve"], 40, "NONE"),
        (["knee-bend", "fever", "push-off"], 40, "NONE"),
    ],
)  # fmt: skip
def test_triage_by_the_published_rules(answers, age, level):
    found = screen(TABLE, dict.fromkeys(answers, True), age)
    assert found.level.value == level
    if found.hits:
        assert found.hits[0].level is found.level, "the most urgent rule is named first"


def test_what_only_asks_for_a_look_is_named_and_locks_nothing():
    found = screen(TABLE, {"swells": True, "nerve": True}, 15)
    assert [rule.urgency for rule in found.hits] == ["5 have it looked at"] * 3
    assert found.level is Triage.NONE and "under 16" in found.text


LESSENING = {key for rule in TABLE.rules for key in rule.none}
"""Answers that say it is less than it seems: it is long ago, the place is soft."""


@given(st.sets(st.sampled_from(QUESTIONS)), st.sampled_from(sorted({*QUESTIONS} - LESSENING)), st.integers(2, 95))
def test_one_more_yes_never_lowers_the_level(yes, more, age):
    one = screen(TABLE, dict.fromkeys(yes, True), age)
    two = screen(TABLE, dict.fromkeys({*yes, more}, True), age)
    assert SEVERITY[two.level] >= SEVERITY[one.level]


SPANS = {"age-55": range(55, 200), "age-65": range(65, 200), "child": range(16), "age-8-17": range(8, 18),
         "age-8-15": range(8, 16), "under-25": range(25)}  # fmt: skip


@pytest.mark.parametrize("key", AGES)
def test_ages_count_from_their_first_day_to_their_last(key):
    assert [age for age in range(120) if AGES[key](age)] == [age for age in range(120) if age in SPANS[key]]


# limits

LIMITS = [limit.id for limit in TABLE.limits]


@given(st.sets(st.sampled_from(QUESTIONS)), st.lists(st.sampled_from(LIMITS)), st.sampled_from(LEGS))
def test_limits_lock_what_demands_the_same_on_their_legs_only(yes, wanted, side):
    found = limit_sets(TABLE.limits, limits_from_answers(dict.fromkeys(yes, True)))
    demands = [key.removeprefix("limit-") for key in wanted]
    named = {f"limit-{leg.value}" for leg in LEGS} & yes
    both = not named or f"limit-{side.value}" in named
    hit = "surgeon" in yes and bool(set(wanted) & yes)
    assert bool(found.lock(demands)) == hit
    assert bool(found.lock(demands, side)) == (hit and both)


def test_a_limit_with_a_number_locks_what_exceeds_it_and_leaves_the_rest_open():
    told = {"limit-hip": frozenset({LEFT})}
    found = limit_sets(TABLE.limits, told, LimitFacts({"limit-hip": 90.0}, {"limit-hip": date(2026, 5, 1)}))
    assert not found.lock(["hip"], LEFT, {"hip": 90.0}) and found.lock(["hip"], LEFT, {"hip": 90.5})
    assert found.lock(["hip"], LEFT), "what is not known is not taken for less"
    assert not found.lock(["hip"], RIGHT, {"hip": 120.0}) and not found.lock(["knee"], LEFT, {"knee": 140.0})
    assert found.text == "left: hip flexion to 90° until 1 May 2026, then asked again"
    assert limit_sets(TABLE.limits, told).lock(["hip"], LEFT, {"hip": 5.0}), "without a number the whole demand"


def test_a_hip_that_may_bend_to_ninety_keeps_what_bends_less():
    """ "No deep bend" after a hip replacement must not lock what never bends deep."""
    told = {"limit-hip": frozenset({LEFT})}
    ninety, whole = limit_sets(TABLE.limits, told, LimitFacts({"limit-hip": 90.0})), limit_sets(TABLE.limits, told)
    rungs = [r for ladder in KNOWLEDGE.ladders.values() for r in ladder.rungs if "hip" in r.demands]
    acts = [act_of_rung(r, r.poses[0].name, r.dose) for r in rungs]
    shut = [a for a in acts if ninety.lock(a.demands, LEFT, a.amounts)]
    assert all(whole.lock(a.demands, LEFT, a.amounts) for a in acts)
    assert 0 < len(shut) < len(acts) / 2 and all(a.amounts["hip"] > 90 for a in shut)
    every = [act_of_rung(rung) for ladder in KNOWLEDGE.ladders.values() for rung in ladder.rungs]
    deep = [a for a in every if a.amounts["hip"] > 90]
    assert deep == [a for a in every if ninety.lock(a.demands, LEFT, a.amounts)], "named as a demand or not"


def test_a_date_asks_again_and_lifts_nothing():
    yes = ["surgeon", "limit-left", "limit-knee"]
    first = replace(told(yes), until={"limit-knee": date(2026, 3, 5)}, numbers={"limit-knee": 60.0})
    for days, asks in ((2, False), (3, True), (9, True)):
        found = screening_status([first], TABLE, now=START + timedelta(days=days))
        assert found.ask_again is asks and found.limits(TABLE).text.startswith("left: knee flexion to 60°")
    later = replace(told(yes, 96), numbers={"limit-knee": 90.0})
    assert screening_status([first, later], TABLE).limits(TABLE).set[0].number == 60.0, (
        "the lesser holds until it is cleared"
    )


def test_an_injury_of_hours_that_has_ended_is_asked_again():
    first = told(["trauma"])
    found = screening_status([first], TABLE, now=START + timedelta(hours=73))
    assert not found.open and found.ask_again
    after = screening_status([first, told([], 74)], TABLE, now=START + timedelta(hours=75))
    assert not after.ask_again


def test_two_limits_for_different_legs_keep_to_their_own():
    both = {"limit-knee": frozenset({LEFT}), "limit-weight": frozenset({RIGHT})}
    found = limit_sets(TABLE.limits, both)
    assert found.lock(["knee"], LEFT) and not found.lock(["knee"], RIGHT)
    assert found.lock(["weight"], RIGHT) and not found.lock(["weight"], LEFT)
    assert found.text == "right: not full weight; left: knee range"


# what stands


def told(yes, n=0, age=40, said=""):
    answers = dict.fromkeys(yes, True)
    made = screen_entry(screen(TABLE, answers, age), answers, "", said, START + timedelta(hours=n))
    return replace(made, uid=f"s{n}", visit=f"v{n}", at=START + timedelta(hours=n))


def cleared(subject, n, by="Dr. Lind"):
    on = (START + timedelta(hours=n)).date()
    return Clearance("", by, on, "films clear", subject, uid=f"c{n}", visit=f"v{n}", at=START + timedelta(hours=n))


def again(found, n):
    return Screen(found.level, again=True, uid=f"s{n}", visit=f"v{n}", at=START + timedelta(hours=n))


def open_ids(entries, hours=1):
    found = screening_status(entries, now=START + timedelta(hours=hours))
    return {f.id for f in found.open}


def test_a_finding_that_ends_by_time_stands_to_its_last_moment():
    [found] = screening_status([told(["trauma"])], now=START).findings
    end = START + timedelta(hours=72)
    assert found.ends == end and found.stands(end - timedelta(seconds=1)) and not found.stands(end)


def test_what_a_screen_cannot_name_is_a_finding_of_its_level_unless_limits_say_it():
    bare = Screen(Triage.AMBER, {}, uid="s0", visit="v0", at=START)
    assert [(f.id, f.level) for f in screening_status([bare], now=START).findings] == [("level", Triage.AMBER)]
    limited = replace(told(["surgeon", "limit-right", "limit-fast"]), rules=())
    assert {f.id for f in screening_status([limited], now=START).findings} == {"limit-fast"}
    assert screening_status([replace(bare, level=Triage.NONE)], now=START).findings == ()


def test_a_screen_that_cannot_be_read_locks_and_names_itself():
    lost = Unreadable("screen", "cannot be read", uid="x", visit="v3", at=START, person="p", who="Dr. Lind")
    found = screening_status([lost], now=START)
    assert found.level is Triage.RED and (found.screen.uid, found.screen.visit, found.screen.at) == ("x", "v3", START)
    assert screening_status([Unreadable("note", "", uid="y", visit="v0", at=START)], now=START) is None


def test_clearing_one_finding_lifts_no_other():
    first = told(["night", "surgeon", "limit-left", "limit-knee", "limit-fast"])
    assert open_ids([first]) == {"night", "limit-knee", "limit-fast"}
    assert open_ids([first, cleared("night", 1)]) == {"limit-knee", "limit-fast"}
    assert open_ids([first, cleared("limit-knee", 1)]) == {"night", "limit-fast"}
    assert open_ids([first, cleared("chest", 1)]) == {"night", "limit-knee", "limit-fast"}


def test_no_later_screen_lifts_and_nothing_new_neither_lifts_nor_revives():
    first = told(["saddle", "night"])
    assert open_ids([first, told([], 1)]) == {"saddle", "night"}
    entries = [first, cleared("saddle", 1)]
    assert open_ids([*entries, again(first, 2)]) == {"night"}, "what was cleared does not come back"
    assert screening_status([*entries, again(first, 2)]).level is Triage.AMBER
    assert open_ids([*entries, told(["saddle"], 2)]) == {"night", "saddle"}, "told anew it stands anew"


def test_a_red_recorded_early_keeps_the_limits_that_were_told_before():
    limits = told(["surgeon", "limit-right", "limit-weight"])
    red = told(["chest"], 1)
    found = screening_status([limits, red], now=START + timedelta(hours=2))
    assert found.level is Triage.RED and found.limits(TABLE).text == "right: not full weight"
    after = screening_status([limits, red, cleared("chest", 2)], now=START + timedelta(hours=3))
    assert after.level is Triage.AMBER and after.limits(TABLE).lock(["weight"], RIGHT)


def test_a_limit_told_again_for_the_other_leg_holds_for_both():
    found = screening_status(
        [told(["surgeon", "limit-left", "limit-knee"]), told(["surgeon", "limit-right", "limit-knee"], 1)]
    )
    assert found.limits(TABLE).text == "left and right: knee range"


def test_a_fresh_injury_ends_after_three_days_and_a_new_one_begins_them_anew():
    first = told(["trauma"])
    assert open_ids([first], 71.9) == {"trauma"} and open_ids([first], 72.1) == set()
    assert open_ids([first, told(["trauma"], 48)], 100) == {"trauma"}
    assert open_ids([first, told([], 24)], 48) == {"trauma"}, "a no does not end it early"


def test_a_clearance_of_an_older_record_lifts_what_stood_then_only():
    first = told(["saddle", "night"])
    whole = replace(cleared("", 1), screen="s0")
    assert open_ids([first, whole]) == set() and open_ids([first, whole, told(["night"], 2)]) == {"night"}


def test_a_red_of_an_older_record_locks_by_each_of_its_rules():
    old = Screen(Triage.RED, {"chest": True}, ("chest", "night"), uid="s0", at=START)
    assert screening_status([old, cleared("night", 1)]).level is Triage.RED
    assert screening_status([old, cleared("night", 1), cleared("chest", 2)]).level is Triage.NONE


def test_every_finding_is_called_by_its_name_and_limits_by_leg():
    known = {limit.id: limit.name for limit in TABLE.limits}
    one, other = LIMITS[:2]
    both = screening_status([told(["surgeon", "limit-left", one, other])])
    assert finding_name(next(f for f in both.open if f.id == one), TABLE) == f"limit, left: {known[one]}"
    entry = Screen(Triage.AMBER, {}, (), "knee sore since Monday", "")
    named = [
        finding_name(f, TABLE)
        for screened in (entry, replace(entry, note=""), replace(entry, level=Triage.RED, note=""))
        for f in screening_status([screened]).open
    ]
    assert named == ["knee sore since Monday", "AMBER", "RED"]
    assert [f.level for f in screening_status([replace(entry, level=Triage.RED)]).open] == [Triage.RED]
    gone = replace(both.open[0], id="limit-of-another-day", legs=frozenset({RIGHT}))
    assert "limit-of-another-day" in finding_name(gone, TABLE) and "right" in finding_name(gone, TABLE)
    rule = next(r for r in TABLE.rules if r.level is Triage.RED)
    assert finding_name(replace(both.open[0], id=rule.id), TABLE) == rule.name


def test_a_finding_that_was_red_and_is_told_as_less_stays_red():
    red, amber = Screen(Triage.RED, {}, ("calf",), "", ""), Screen(Triage.AMBER, {}, ("calf",), "", "")
    for one, other in ((red, amber), (amber, red), (red, red)):
        assert [f.level for f in screening_status([one, other]).open] == [Triage.RED]
    assert [f.level for f in screening_status([amber, amber]).open] == [Triage.AMBER]


def test_under_amber_the_reason_names_what_asks_for_it():
    act = GateAct("a hop", demands=("balance", "weight"))
    named = GateFacts(
        Triage.AMBER, True, asks=(("turning", "fresh injury"), ("weight", "pregnant"), ("balance", "dizzy"))
    )
    assert permission_for(act, named).sentence == "AMBER, pregnant: a hop needs a licensed clinician's reason"
    assert permission_for(replace(act, demands=("bend",)), named).gate is Gate.OPEN
    strong = permission_for(replace(act, maximal=True), GateFacts(Triage.AMBER, True))
    assert strong.sentence == "the safety screen is AMBER: a hop needs a licensed clinician's reason"
    assert strong.asks and not strong.locked


def test_words_tell_what_stands_and_what_was_cleared():
    entries = [told(["night", "surgeon", "limit-left", "limit-fast"]), cleared("night", 1)]
    words = standing_words(screening_status(entries), TABLE)
    assert words == "AMBER: surgeon's limits, left: nothing fast · cleared: night pain"
    assert standing_words(screening_status([told([])]), TABLE) == "" == standing_words(None, TABLE)


# clearing


@pytest.mark.parametrize(
    ("change", "role", "words"),
    [
        ({}, CLINICIAN, ""), ({}, TRAINER, "licensed"), ({}, STUDENT, "licensed"), ({}, None, "licensed"),
        ({"by": "  "}, CLINICIAN, "name"), ({"result": ""}, CLINICIAN, "result"),
        ({"subject": ""}, CLINICIAN, "by itself"), ({"subject": "chest"}, CLINICIAN, "by itself"),
        ({"on": date(2026, 3, 1)}, CLINICIAN, "older"), ({"on": date(2026, 3, 11)}, CLINICIAN, "future"),
        ({"on": date(2026, 3, 2)}, CLINICIAN, ""), ({"on": date(2026, 3, 10)}, CLINICIAN, ""),
    ],
)  # fmt: skip
def test_a_clearance_is_by_a_clinician_for_one_finding_on_a_day_that_can_be(change, role, words):
    found = screening_status([told(["night"])])
    asked = replace(cleared("night", 48), **change)
    if not words:
        check_clearance(asked, found, role, date(2026, 3, 10))
        return
    with pytest.raises(Refused, match=words):
        check_clearance(asked, found, role, date(2026, 3, 10))


# what may be done


def case_of(entries, visit="v0"):
    visits = tuple(
        Visit(uid=uid, patient="p", started_at=START) for uid in dict.fromkeys([*(e.visit for e in entries), visit])
    )
    who = Patient("p", "Ada", date(1986, 1, 1), "", None, None, "", "", "", Side.NONE)
    return Case(who, visits, next(v for v in visits if v.uid == visit), tuple(entries), 1)


def gate(act, entries, role=CLINICIAN, visit="v0"):
    return permission_for(act, gate_facts(case_of(entries, visit), TABLE, role, START + timedelta(hours=1))).gate


def test_test(name):
    return act_of_test(KNOWLEDGE.tests[name])


test_test.__test__ = False
LOOK, SQUAT, STRONG = (test_test(n) for n in ("arch-profile", "squat-faults", "hip-abd"))
ONE_LEG, PRONE, BEND, ARM = (
    test_test(n) for n in ("pelvis-hold-1leg", "torsion-bony", "spine-line", "arm-resist-check")
)
JUMP = act_of_plates(KNOWLEDGE, "jump")
OPEN, REASON, LOCKED = Gate.OPEN, Gate.REASON, Gate.LOCKED
ACTS = (LOOK, SQUAT, STRONG, ONE_LEG, PRONE, BEND, ARM, JUMP)


@pytest.mark.parametrize(
    ("yes", "expected"),
    [
        ([], (OPEN, OPEN, OPEN, OPEN, OPEN, OPEN, OPEN, OPEN)),
        (["chest"], (OPEN, *[LOCKED] * 7)),
        (["night"], (OPEN, OPEN, REASON, OPEN, OPEN, OPEN, REASON, REASON)),
        (["trauma"], (OPEN, REASON, REASON, REASON, OPEN, OPEN, REASON, REASON)),
        (["dizzy"], (OPEN, OPEN, REASON, REASON, OPEN, OPEN, REASON, REASON)),
        (["bone"], (OPEN, OPEN, REASON, OPEN, OPEN, REASON, REASON, REASON)),
        (["pregnant"], (OPEN, OPEN, REASON, OPEN, OPEN, OPEN, REASON, REASON)),
        (["pregnant", "pregnant-20"], (OPEN, OPEN, REASON, OPEN, LOCKED, OPEN, REASON, REASON)),
        (["surgeon", "limit-knee"], (OPEN, LOCKED, LOCKED, OPEN, LOCKED, OPEN, REASON, LOCKED)),
        (["surgeon", "limit-weight"], (OPEN, LOCKED, REASON, LOCKED, OPEN, OPEN, REASON, LOCKED)),
        (["surgeon", "limit-fast"], (OPEN, OPEN, REASON, OPEN, OPEN, OPEN, REASON, LOCKED)),
        (["swells"], (OPEN, OPEN, OPEN, OPEN, OPEN, OPEN, OPEN, OPEN)),
    ],
)  # fmt: skip
def test_each_state_opens_asks_or_locks_by_what_is_demanded(yes, expected):
    found = tuple(gate(act, [told(yes)]) for act in ACTS)
    assert found == expected


def test_without_a_screen_only_looking_is_open_and_a_later_visit_asks_its_line_first():
    assert [gate(act, []) for act in ACTS] == [OPEN, *[LOCKED] * 7]
    first = told([])
    assert gate(SQUAT, [first], visit="v9") is LOCKED, "asked in another visit"
    assert gate(SQUAT, [first, again(first, 9)], visit="v9") is OPEN


def test_break_tests_wait_while_any_limit_stands():
    broken = act_of_test(KNOWLEDGE.tests["ankle-df"], LEFT, "break")
    made = act_of_test(KNOWLEDGE.tests["ankle-df"], LEFT)
    limited = [told(["surgeon", "limit-right", "limit-hip"])]
    assert gate(broken, limited) is LOCKED and gate(made, limited) is REASON
    assert gate(broken, [told(["night"])]) is REASON and gate(broken, [told([])]) is OPEN


def test_a_reason_is_kept_only_from_a_licensed_clinician():
    entries = [told(["night"])]
    by = {role: gate_facts(case_of(entries), TABLE, role) for role in (CLINICIAN, TRAINER, STUDENT)}
    assert require_permission(STRONG, by[CLINICIAN], " isometric only ") == "isometric only"
    for role, reason in ((TRAINER, "because"), (STUDENT, "because"), (CLINICIAN, "  ")):
        with pytest.raises(Refused):
            require_permission(STRONG, by[role], reason)
    with pytest.raises(Refused, match="RED"):
        require_permission(SQUAT, replace(by[CLINICIAN], triage=Triage.RED), "because")
    assert require_permission(LOOK, GateFacts(), "") == ""


def test_an_ankle_pad_pulls_at_the_knee_and_the_thigh_hang_bends_the_other_hip():
    knee = [told(["surgeon", "limit-left", "limit-knee"])]
    for name in ("hip-abd", "hip-add", "hip-er", "hip-ir", "hip-flex", "hip-ext", "knee-ext"):
        test = KNOWLEDGE.tests[name]
        assert gate(act_of_test(test, LEFT, pad="ankle"), knee) is LOCKED, name
        assert gate(act_of_test(test, RIGHT, pad="ankle"), knee) is REASON, "the other leg is free"
        above = gate(act_of_test(test, LEFT, pad="knee"), knee)
        assert above is (REASON if name in ("hip-abd", "hip-add", "hip-flex", "hip-ext") else LOCKED), name
    assert gate(act_of_test(KNOWLEDGE.tests["squeeze-5s"], pad="knee"), knee) is REASON
    hang = KNOWLEDGE.tests["hip-flexor-length"]
    assert gate(act_of_test(hang, RIGHT), knee) is LOCKED, "it bends the other knee, too"
    for name in ("figure4-shin", "hip-rotation", "torsion-bony", "tibial-rotation-block", "squeeze-5s"):
        assert gate(act_of_test(KNOWLEDGE.tests[name], LEFT), knee) is LOCKED, name


EVENTS = st.lists(
    st.one_of(
        st.tuples(st.just("screen"), st.sets(st.sampled_from(QUESTIONS), max_size=5)),
        st.tuples(st.just("again"), st.none()),
        st.tuples(st.just("clear"), st.sampled_from([*(r.id for r in TABLE.rules), *LIMITS])),
    ),
    min_size=1,
    max_size=8,
)
EVERY_ACT = [
    *(act_of_test(t, side) for t in KNOWLEDGE.tests.values() for side in (Side.NONE, *LEGS)),
    *(act_of_plates(KNOWLEDGE, name, side) for name in KNOWLEDGE.plates for side in LEGS),
    *(act_of_rung(rung) for ladder in KNOWLEDGE.ladders.values() for rung in ladder.rungs),
]


@given(EVENTS)
@settings(max_examples=60)
def test_no_history_opens_an_act_while_what_locks_it_stands_uncleared(events):
    """The law told the plain way: each finding from its screen to its own clearance, nothing else counts."""
    entries, reds, limits = [], set(), {}
    for n, (what, more) in enumerate(events):
        if what == "screen":
            entries.append(replace(told(more, n), visit="v0"))
            found = screen(TABLE, dict.fromkeys(more, True), 40)
            reds |= {rule.id for rule in found.hits if rule.level is Triage.RED}
            for key, legs in limits_from_answers(dict.fromkeys(more, True)).items():
                limits[key] = limits.get(key, frozenset()) | legs
        elif what == "again" and entries:
            entries.append(replace(again(Screen(Triage.NONE), n), visit="v0"))
        elif what == "clear":
            entries.append(replace(cleared(more, n), visit="v0"))
            reds.discard(more)
            limits.pop(more, None)
    screened = any(isinstance(e, Screen) for e in entries)
    now = gate_facts(case_of(entries), TABLE, CLINICIAN)
    for act in EVERY_ACT:
        legs = {act.side} & set(LEGS) or set(LEGS)
        limited = any(key.removeprefix("limit-") in act.demands and held & legs for key, held in limits.items())
        if not act.looks and (reds or limited or not screened):
            assert permission_for(act, now).locked, act.name


def test_every_test_recording_and_rung_says_what_it_demands():
    for act in EVERY_ACT:
        assert act.looks != bool(act.demands or act.maximal), act.name
    assert isinstance(JUMP, GateAct) and set(JUMP.demands) >= {"weight", "fast", "hip", "knee", "ankle"}


def test_the_page_of_the_gate_tells_what_the_gate_says():
    """docs/gate.md holds every act under every state; it is written by scripts/gate_table.py."""
    assert gate_table.TARGET.read_text() == gate_table.page()
    for role in (TRAINER, STUDENT):
        asked = gate_table.gates(KNOWLEDGE, [gate_table.told(KNOWLEDGE, "night")], role)
        assert asked == gate_table.gates(KNOWLEDGE, [gate_table.told(KNOWLEDGE, "night")]), "who reads opens nothing"
