"""Placement, phases, the week and the load ledger."""

from __future__ import annotations

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.programme.dose import Dose
from tuning.core.programme.joint_load import DayLoad, by_week, day_load, dial, joint_load, last_tolerated, repetitions
from tuning.core.programme.ladders import ConditionState, EntryContext, SideTrial, entry_checks
from tuning.core.programme.phases import (
    Phase,
    PhaseFacts,
    discharge,
    entry_phase,
    next_phase,
    score_change,
    still_needed,
)
from tuning.core.programme.placement import (
    FIRST,
    SECOND,
    FirstSchool,
    PlacementContext,
    PlacementPolicy,
    PlacementTrial,
    TreatedFactor,
    enters,
    place,
    propose,
    shallow,
)
from tuning.core.programme.weekly_schedule import (
    DAYS,
    Item,
    SessionSlot,
    WeekConstraints,
    conflicts,
    dates,
    item_of,
    missed,
    moved,
    plan_week,
    retests,
)
from tuning.core.types import LEGS, Side, Triage
from tuning.knowledge import load

TABLES = load()
LADDERS, TABLE = TABLES.ladders, TABLES.placement
KNEE = LADDERS["knee"]
RUNGS = {rung.id: rung for ladder in LADDERS.values() for rung in ladder.rungs}


# proposals


def proposed(*causes, **around):
    found, notes = propose(
        [TreatedFactor(*c) if isinstance(c, tuple) else TreatedFactor(c) for c in causes],
        TABLE,
        LADDERS,
        PlacementContext(**around),
    )
    return {p.ladder: p for p in found}, notes


def test_every_factor_of_reasoning_has_an_answer_here():
    known = {*TABLES.reasoning.factors}
    assert known <= set(TABLE.choices), known - set(TABLE.choices)


def test_a_knee_that_falls_in_is_answered_by_hip_base_and_step_down_first():
    found, _ = proposed(("knee-in", Side.LEFT))
    assert [p.ladder for p in found.values() if p.rank == FIRST] == ["base", "stepdown"]
    assert found["stepdown"].entry == "sd-1-hold-taps" and found["stepdown"].side is Side.LEFT
    assert found["bandsplit"].rank == SECOND


def test_two_of_first_choice_and_one_for_mobility():
    found, _ = proposed("knee-in", "leg-strength", "hip-rotation-mobility", "ankle-dorsiflexion")
    first = [p.ladder for p in found.values() if p.rank == FIRST]
    assert first == ["base", "stepdown", "hiprot"], "the fourth and the second mobility ladder become second choice"
    assert found["knee"].rank == SECOND and found["ankle"].rank == SECOND


def test_a_caution_bars_a_ladder_and_says_so():
    found, _ = proposed("hip-shift", cautions=frozenset({"new-nerve-signs"}))
    assert "nerve" in found["hipshift"].barred and list(found)[-1] != "none"
    assert not proposed("hip-shift")[0]["hipshift"].barred
    both, _ = proposed("habit-pattern", "hip-shift", cautions=frozenset({"hip-surgery"}))
    assert both["hipshift"].barred, "barred by one cause is barred"


def test_what_no_ladder_helps_is_told():
    found, notes = proposed("leg-length", "load-change")
    assert not found and any("refer" in n for n in notes) and any("10 %" in n for n in notes)


def test_in_settle_only_what_settles_is_proposed_and_depth_stays_shallow():
    found, _ = proposed("leg-strength", phase=Phase.SETTLE)
    assert found["knee"].entry == "kt-1-wall-high"
    for ladder in LADDERS.values():
        for rung in ladder.rungs:
            if enters(rung, ladder, PlacementContext(Phase.SETTLE)):
                opened = [p for p in rung.poses if rung.phase_of(p) is Phase.SETTLE]
                depth = shallow(rung, Phase.SETTLE)
                assert opened and (rung.light or min(rung.demand_of(p, depth).kneecap for p in opened) <= 1), rung.id
    wall = RUNGS["kt-2-wall-level"]
    assert shallow(wall, Phase.RESTORE) == 75 and shallow(wall, Phase.LOAD) is None
    assert wall.demand_of(wall.poses[0], 75).kneecap == 2


def test_a_lower_dial_closes_rungs():
    assert not enters(RUNGS["kt-8-squat-z3"], KNEE, PlacementContext(Phase.LOAD, caps=(1, 3)))
    assert enters(RUNGS["kt-8-squat-z3"], KNEE, PlacementContext(Phase.LOAD))
    above = proposed("knee-in", passed=frozenset({"sd-1-hold-taps"}))[0]
    assert above["stepdown"].entry == "sd-2-sit-back", "after what was passed"


# try-outs


LINE = LADDERS["stepdown"].line(RUNGS["sd-1-hold-taps"])
IDS = [r.id for r in LINE]


def clean(n, side, **more):
    return PlacementTrial(IDS[n], side, **more)


def test_each_side_is_placed_at_the_highest_rung_felt_in_the_right_place_and_the_plan_takes_the_lower():
    tries = [clean(0, Side.LEFT), clean(1, Side.LEFT), clean(2, Side.LEFT, faults=("F01",)),
             clean(0, Side.RIGHT), clean(1, Side.RIGHT, wrong=True)]  # fmt: skip
    found = place(LINE, tries, IDS[0], 2)
    assert found.rungs == {Side.LEFT: IDS[1], Side.RIGHT: IDS[0]} and found.plan == IDS[0] and not found.next_try
    assert any("F01" in r for r in found.reasons) and any("unwanted" in r for r in found.reasons)
    mirror = [PlacementTrial(t.rung, t.side.other, t.felt, t.wrong, t.faults) for t in tries]
    assert place(LINE, mirror, IDS[0], 2).rungs == {s.other: r for s, r in found.rungs.items()}


def test_clean_climbs_and_faulty_drops():
    assert place(LINE, [], IDS[1], 2).next_try == dict.fromkeys(LEGS, IDS[1])
    up = place(LINE, [clean(1, s) for s in LEGS], IDS[1], 2)
    assert up.plan == IDS[1] and up.next_try == dict.fromkeys(LEGS, IDS[2])
    down = place(LINE, [clean(1, s, pain=4) for s in LEGS], IDS[1], 2)
    assert not down.plan and down.next_try == dict.fromkeys(LEGS, IDS[0])
    bottom = place(LINE, [clean(0, Side.LEFT, felt=False), clean(0, Side.RIGHT)], IDS[0], 2)
    assert Side.LEFT not in bottom.rungs and not bottom.plan and any("another ladder" in r for r in bottom.reasons)
    with pytest.raises(ValueError):
        place(LINE, [PlacementTrial("kt-1-wall-high", Side.LEFT)], IDS[0], 2)


@given(st.lists(st.tuples(st.integers(0, 4), st.sampled_from(LEGS), st.booleans(), st.integers(0, 6)), max_size=14))
def test_nobody_is_placed_where_a_try_out_was_not_clean(tried):
    tries = [clean(n, side, wrong=wrong, pain=pain) for n, side, wrong, pain in tried]
    found = place(LINE, tries, IDS[0], 2)
    newest = {(t.rung, t.side): t for t in tries}
    for side, rung in found.rungs.items():
        assert newest[rung, side].clean(2)
        below = IDS[: IDS.index(rung)]
        assert all(newest[r, side].clean(2) for r in below if (r, side) in newest)
    if found.plan:
        assert IDS.index(found.plan) == min(IDS.index(r) for r in found.rungs.values())


# phases


def test_a_plan_begins_in_the_first_phase_that_it_needs():
    assert entry_phase(PhaseFacts())[0] is Phase.RESTORE
    for course in (
        PhaseFacts(pain_inhibited=True),
        PhaseFacts(flares=2),
        PhaseFacts(weeks_since=5.9),
        PhaseFacts(trial_pain=3),
    ):
        assert entry_phase(course)[0] is Phase.SETTLE and entry_phase(course)[1]
    assert entry_phase(PhaseFacts(weeks_since=6.0, trial_pain=2, flares=1))[0] is Phase.RESTORE


def test_each_phase_is_left_by_its_own_criteria():
    quiet = PhaseFacts(quiet_days=7, worst_pain=2)
    assert next_phase(Phase.SETTLE, quiet) is Phase.RESTORE
    assert next_phase(Phase.SETTLE, PhaseFacts(quiet_days=6)) is Phase.SETTLE
    assert next_phase(Phase.SETTLE, PhaseFacts(quiet_days=9, worst_pain=3)) is Phase.SETTLE
    assert next_phase(Phase.SETTLE, PhaseFacts(quiet_days=9, swelling=True)) is Phase.SETTLE
    assert next_phase(Phase.RESTORE, PhaseFacts()) is Phase.LOAD
    assert next_phase(Phase.RESTORE, PhaseFacts(wants_load=False)) is Phase.RETURN
    for stays in (PhaseFacts(gaps=["hip rotation"]), PhaseFacts(skills=["Mirror squat"]), PhaseFacts(amber=True)):
        assert next_phase(Phase.RESTORE, stays) is Phase.RESTORE and still_needed(Phase.RESTORE, stays)
    assert next_phase(Phase.LOAD, PhaseFacts(target=True)) is Phase.RETURN
    assert next_phase(Phase.LOAD, PhaseFacts(target=True, weak=["abduction"])) is Phase.LOAD
    assert next_phase(Phase.RETURN, PhaseFacts(target=True)) is Phase.RETURN


def test_discharge_and_the_activity_score():
    assert discharge([], [], 2, True) == []
    assert len(discharge(["kneel on the deck"], ["abduction"], 1, False)) == 4
    assert [score_change(4, now) for now in (6, 5.9, 2, 2.1)] == ["better"] + ["no change that counts", "review",
                                                                            "no change that counts"]  # fmt: skip


def test_a_rung_of_a_later_phase_asks_a_named_clinician():
    from tuning.core.gate.permission import GateFacts, permission_for
    from tuning.knowledge.gate_acts import act_of_rung

    def states(rung_id, **around):
        rung = RUNGS[rung_id]
        now = EntryContext(
            permission_for(act_of_rung(rung), GateFacts(Triage.NONE, asked=True)),
            Triage.NONE,
            frozenset(),
            {},
            {},
            dict.fromkeys(LEGS, SideTrial(True, 0)),
            **around,
        )
        return entry_checks(rung, TABLES.ladder_of(rung_id), now)

    later = states("kt-7-squat-z2", phase=Phase.RESTORE)[-1]
    assert later.state is ConditionState.NOT_MET and "opens in phase load" in later.text
    assert states("kt-7-squat-z2", phase=Phase.LOAD)[-1].state is ConditionState.MET
    deep = states("kt-2-wall-level", phase=Phase.RESTORE)[-1]
    assert deep.state is ConditionState.NOT_MET and "less depth" in deep.text
    dialled = states("kt-7-squat-z2", phase=Phase.LOAD, caps=(1, 3))[-1]
    assert dialled.state is ConditionState.NOT_MET and "dial" in dialled.text


# the week


items = st.builds(
    Item,
    rung=st.uuids().map(str),
    ladder=st.sampled_from(["knee", "hipshift", "stepdown", "foot", "hiprot", "base"]),
    name=st.just("one"),
    days=st.integers(1, 7),
    minutes=st.floats(2, 25),
    place=st.sampled_from(list(SessionSlot)),
    heavy=st.booleans(),
    first_choice=st.booleans(),
    new=st.booleans(),
)
rooms = st.builds(
    WeekConstraints,
    free=st.lists(st.integers(0, 6), unique=True, max_size=7).map(lambda d: tuple(sorted(d))),
    sport=st.lists(st.integers(0, 6), unique=True, max_size=3).map(tuple),
    minutes=st.sampled_from([10.0, 20.0, 40.0]),
)


@given(st.lists(items, max_size=7), rooms)
def test_a_week_never_breaks_a_rule_and_says_what_it_left_out(wanted, room):
    week = plan_week(wanted, room)
    kept = [i for i in wanted if i.rung in week.days]
    assert conflicts(week.days, kept, room) == []
    assert {i.rung for i in wanted} == {*week.days, *week.left_out} and not {*week.days} & {*week.left_out}
    assert all(week.left_out.values()) and sum(i.new for i in kept) <= 2
    assert all(1 <= len(week.days[i.rung]) <= i.days for i in kept)


def simple(name="a", ladder="stepdown", days=3, minutes=8.0, heavy=False, **more):
    return Item(name, ladder, name, days, minutes, heavy=heavy, **more)


def test_three_days_are_spread_and_sunday_stands_before_monday():
    week = plan_week([simple()], WeekConstraints())
    assert [b - a for a, b in zip(week.days["a"], week.days["a"][1:], strict=False)] in ([2, 2], [2, 3], [3, 2])
    assert conflicts({"a": (0, 6)}, [simple()], WeekConstraints()), "Sunday and Monday are neighbours"
    assert not conflicts({"a": (0, 2)}, [simple()], WeekConstraints()) and conflicts(
        {"a": (0, 1)}, [simple()], WeekConstraints()
    )
    assert not conflicts({"a": tuple(range(7))}, [simple(days=7)], WeekConstraints()), "daily low load repeats"


def test_knee_and_heavy_hip_shift_never_stand_on_consecutive_days():
    both = [simple("k", "knee", 2, heavy=True), simple("h", "hipshift", 2, heavy=True)]
    assert conflicts({"k": (0,), "h": (1,)}, both, WeekConstraints()) and not conflicts(
        {"k": (0,), "h": (0, 2)}, both, WeekConstraints()
    )
    week = plan_week(both, WeekConstraints())
    assert conflicts(week.days, both, WeekConstraints()) == [] and set(week.days) == {"k", "h"}
    light = [both[0], simple("h", "hipshift", 2)]
    assert not conflicts({"k": (0,), "h": (1,)}, light, WeekConstraints())


def test_second_choice_gives_way_before_first():
    many = [simple(n, f"ladder {n}", 3, 9.0, first_choice=n != "b") for n in "abc"]
    week = plan_week(many, WeekConstraints(free=(0, 2), minutes=20.0))
    assert set(week.left_out) == {"b"} and "20 min" in week.left_out["b"] and week.notes


def test_a_session_stands_in_order_and_can_be_moved_unless_that_breaks_a_rule():
    hard, early = simple("hard", "knee", 2, heavy=True, place=SessionSlot.HEAVY), simple("early", "hiprot", 6)
    early = Item("early", "hiprot", "early", 6, 5.0, SessionSlot.MOBILITY)
    week = plan_week([hard, early], WeekConstraints())
    day = week.days["hard"][0]
    assert [i.rung for i in week.session(day, [hard, early])][-1] == "hard"
    was, kept = week.days["hard"]
    after, broken = moved(week, "hard", was, (kept + 1) % 7, [hard, early], WeekConstraints())
    assert broken and "48 h" in broken[0] and after.days["hard"] != week.days["hard"]
    assert moved(week, "hard", was, kept, [hard, early], WeekConstraints())[1] == [
        f"it is done on {DAYS[kept]} already"
    ]


def test_a_missed_day_shifts_forward_and_is_never_doubled():
    one = simple("a", "stepdown", 2)
    week = plan_week([one], WeekConstraints(free=(0, 1, 3, 4)))
    first, second = week.days["a"]
    to, words = missed(week, "a", first, [one], WeekConstraints(free=(0, 1, 3, 4)))
    assert (to is None and "nothing is doubled" in words) or (to not in week.days["a"] and to > first)
    assert (
        missed(plan_week([simple(days=7)], WeekConstraints()), "a", 2, [simple(days=7)], WeekConstraints())[0] is None
    )
    assert second


def test_sport_days_say_what_comes_before_and_after():
    hard = simple("hard", "knee", 3, heavy=True)
    week = plan_week([hard], WeekConstraints(sport=(0, 1, 2, 3, 4, 5, 6)))
    assert any("after the sport" in n for n in week.notes)


def test_dates_and_retests():
    week = plan_week([simple()], WeekConstraints())
    monday = date(2026, 3, 2)
    found = dates(week, monday, 2)
    assert len(found) == 6 and all(day.weekday() in week.days["a"] for day, _ in found)
    gaps = [(day - monday).days for day, _ in retests(monday)]
    assert gaps == sorted(gaps) and 2 <= gaps[0] <= 7 and 14 <= gaps[1] <= 28 and 42 <= gaps[2] <= 56


def test_rungs_come_with_their_place_in_a_session():
    made = {r: item_of(RUNGS[r], TABLES.ladder_of(r).id, RUNGS[r].dose) for r in RUNGS}
    assert made["hr-2-ninety"].place is SessionSlot.MOBILITY and made["hs-6-rear-up-far"].place is SessionSlot.HEAVY
    assert (
        made["hs-1-mirror"].place is SessionSlot.SKILL and not made["hs-4-box"].heavy and made["sd-4-side-band"].heavy
    )


# load


def test_a_deeper_squat_and_a_knee_further_forward_load_the_kneecap_more():
    squat = RUNGS["kt-8-squat-z3"]
    at = [joint_load(squat, squat.poses[0], 1.72, depth).kneecap for depth in (40, 60, None)]
    assert at == sorted(at) and at[0] < at[-1]
    upright, forward = (joint_load(RUNGS[r], RUNGS[r].poses[0], 1.72) for r in ("kt-5-squat-z0", "kt-8-squat-z3"))
    assert forward.knee > upright.knee and upright.hip > forward.hip, "the load moves from hip to knee"


def test_one_leg_bears_what_two_share():
    """Moments of one leg in a two-leg squat are half of both; closed form of the hip: weight times lever."""
    from dataclasses import replace

    rung = RUNGS["kt-5-squat-z0"]
    both = joint_load(rung, rung.poses[0], 1.72)
    lone = replace(rung.poses[0], frames=tuple(replace(f, weight=100.0) for f in rung.poses[0].frames))
    assert joint_load(rung, lone, 1.72).hip == pytest.approx(2 * both.hip)


def test_supported_and_lying_rungs_are_graded_and_say_so():
    wall, bridge = RUNGS["kt-2-wall-level"], RUNGS["hb-3-bridge"]
    for rung in (wall, bridge):
        found = joint_load(rung, rung.poses[0], 1.72)
        assert not found.known and found.hip == rung.hip_demand
    day = day_load(date(2026, 3, 2), joint_load(wall, wall.poses[0], 1.72), 10, True)
    assert day.graded["kneecap"] == 30 and not day.regions.get("kneecap"), "grades are never added to moments"
    found = last_tolerated(by_week([day]), "kneecap", date(2026, 3, 9), graded=True)
    assert found is not None and found.load == 30 and not last_tolerated(by_week([day]), "kneecap", date(2026, 3, 9))
    calf = RUNGS["hb-1-calf"]
    assert joint_load(calf, calf.poses[0], 1.72).calf > 0 and joint_load(wall, wall.poses[0], 1.72).calf == 0


def test_holds_count_by_three_seconds():
    assert repetitions(Dose(3, None, 30, "", 60, 3)) == 30 and repetitions(Dose(3, 8, None, "3-0-2", 60, 3)) == 24
    assert repetitions(Dose(3, 8, None, "3-0-2", 60, 3), sets=2, reps=10) == 20


def week_of(monday, *loads):
    return [DayLoad(monday + timedelta(days=n), {"kneecap": load}, settled) for n, (load, settled) in enumerate(loads)]


def test_the_last_tolerated_load_is_computed():
    today = date(2026, 3, 30)
    mondays = [today - timedelta(weeks=n) for n in range(8, 0, -1)]
    days = [*week_of(mondays[0], (500, True)), *week_of(mondays[3], (60, True), (60, True)),
            *week_of(mondays[4], (90, True), (90, False)), *week_of(mondays[5], (150, True), (10, None)),
            *week_of(mondays[6], (100, True))]  # fmt: skip
    found = last_tolerated(by_week(days), "kneecap", today)
    assert found is not None and found.load == 120 and found.monday == mondays[3]
    assert found.most_next == pytest.approx(132)
    assert last_tolerated(by_week(week_of(mondays[6], (10, False))), "kneecap", today) is None
    assert last_tolerated(by_week(days), "hip", today) is None


def test_the_dial_rises():
    notches = dial(RUNGS.values()).notches
    assert [(n.kneecap, n.knee) for n in notches] == sorted((n.kneecap, n.knee) for n in notches)
    deep = next(n for n in notches if n.rung == "kt-2-wall-level")
    assert (deep.knee, deep.kneecap) == (0, 3), "a deep wall sit keeps the knee behind the toes and loads the kneecap"
    assert all(n.kneecap <= 1 and n.knee == 0 for n in dial(RUNGS.values()).up_to(1, 0))


def test_schools_change_the_order_of_ladders_and_nothing_else():
    table, ladders = load().placement, load().ladders
    factors = ("hip-abductor-strength", "foot-control", "ankle-dorsiflexion")
    causes = [TreatedFactor(factor, Side.RIGHT) for factor in factors]

    def by(schools: PlacementPolicy):
        return propose(causes, table, ladders, PlacementContext(schools=schools))[0]

    led, foot, hip = (by(PlacementPolicy(first)) for first in FirstSchool)
    assert {p.ladder for p in led} == {p.ladder for p in foot} == {p.ladder for p in hip}
    assert foot[0].ladder in table.foot and hip[0].ladder in table.hip and led[0].ladder == hip[0].ladder
    assert by(PlacementPolicy()) == led and [p.ladder for p in foot] != [p.ladder for p in hip]
    pattern = by(PlacementPolicy(pattern=True))
    assert [p.ladder for p in pattern][:2] == list(table.pattern) and all(p.side is Side.LEFT for p in pattern[:2])
    assert pattern[0].rank == FIRST and "one pattern" in pattern[0].reasons[0], "the school is printed"
    assert all(p.side is not Side.LEFT for p in led), "without it the side is the measured one"
