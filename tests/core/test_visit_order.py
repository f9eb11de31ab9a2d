"""The order of a visit: true minimum by brute force, rules by hypothesis, the hip battery in numbers."""

from dataclasses import replace
from datetime import datetime, timedelta
from itertools import pairwise, permutations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tuning.core.case import Visit
from tuning.core.errors import BadInput
from tuning.core.gate.limits import limit_sets
from tuning.core.types import LEGS, Side
from tuning.core.visit.order import as_listed, plan, with_drag
from tuning.core.visit.plan import VisitSelection, chosen_efforts, known_ids, pad_of
from tuning.core.visit.visit_items import Minutes, OrderPreferences, Station, VisitItem, first_side
from tuning.core.visit.visit_window import is_ongoing
from tuning.knowledge import load

KNOWLEDGE = load()
TEMPLATES = {t.name: t.tests for t in KNOWLEDGE.order.template}


def chosen(*tests, involved=Side.LEFT, **more):
    return chosen_efforts(VisitSelection(tests, **more), KNOWLEDGE.tests, KNOWLEDGE.order.clip, involved).efforts


def allowed(order, wishes):
    """The hard rules, told the plain way."""
    at = {e.id: n for n, e in enumerate(order)}
    for e in order:
        for o in order:
            later = at[o.id] > at[e.id]
            if later and e.loads and o.posture:
                return False
            clash = e.posture and o.loads
            if later and e.last and not o.last and o.place.position == e.place.position and not clash:
                return False
            first = first_side(wishes.involved)
            if later and wishes.uninvolved_first and e.test == o.test and o.side is first and e.side is first.other:
                return False
    return all(at[a] < at[b] for a, b in wishes.pairs)


def fewest_turns(efforts, wishes):
    """Every order there is, none left out; None when the rules allow none."""
    found = [
        sum(a.place.position != b.place.position for a, b in zip(order, order[1:], strict=False))
        for order in permutations(efforts)
        if allowed(order, wishes)
    ]
    return min(found, default=None)


@st.composite
def visits(draw):
    count = draw(st.integers(1, 6))
    efforts = []
    for n in range(count):
        place = Station(
            draw(st.sampled_from(("prone", "supine", "standing"))),
            draw(st.sampled_from(("left", "right"))),
            draw(st.sampled_from(("gauge", "tape"))),
        )
        posture = draw(st.booleans())
        efforts.append(
            VisitItem(
                str(n), str(n // 2), f"effort {n}", (Side.RIGHT, Side.LEFT)[n % 2], place, 1.0, posture,
                not posture and draw(st.booleans()), draw(st.integers(0, 4)) == 0, draw(st.sampled_from(("", "calf"))),
            )
        )  # fmt: skip
    pairs = draw(st.lists(st.tuples(st.integers(0, count - 1), st.integers(0, count - 1)), max_size=2))
    wishes = OrderPreferences(
        draw(st.sampled_from(Side)), draw(st.booleans()), tuple((str(a), str(b)) for a, b in pairs if a != b)
    )
    return efforts, wishes


@settings(max_examples=150)
@given(visits())
def test_no_order_that_the_rules_allow_needs_fewer_turns(visit):
    efforts, wishes = visit
    least = fewest_turns(efforts, wishes)
    if least is None:
        with pytest.raises(BadInput, match="cannot both come before"):
            plan(efforts, wishes)
        return
    order = plan(efforts, wishes)
    assert sorted(e.id for e in order.efforts) == sorted(e.id for e in efforts)
    assert allowed(order.efforts, wishes) and order.turns == least
    assert plan(efforts, wishes) == order, "the same visit, the same order"
    for before, stop in zip(order.stops, order.stops[1:], strict=False):
        same = before.effort.muscle and before.effort.muscle == stop.effort.muscle
        assert (stop.rest > 0) == bool(same and before.effort.side is stop.effort.side), "rest, or somebody else's turn"


def soft_cost(order, wishes):
    """Involved sides that come before their twin elsewhere, and the minutes of walks and changes of kit."""
    first, minutes = first_side(wishes.involved), wishes.minutes
    faults = sum(
        e.test == o.test and e.place != o.place and e.place.position == o.place.position
        and (e.side, o.side) == (first.other, first)
        for n, e in enumerate(order) for o in order[n + 1 :]
    )  # fmt: skip
    places = [wishes.start] * (wishes.start is not None) + [e.place for e in order]
    steps = [(a.at != b.at) * minutes.walk + (a.equipment != b.equipment) * minutes.swap for a, b in pairwise(places)]
    return faults, round(sum(steps), 6)


def leaves_nothing(order, wishes, where):
    """Whether whatever can be done at a place, or in a position, is done before it is left."""
    for n, (a, b) in enumerate(pairwise(order)):
        later = [e for e in order[n + 1 :] if where(e) == where(a)]
        if where(a) != where(b) and any(
            allowed([*order[: n + 1], e, *(o for o in order[n + 1 :] if o is not e)], wishes) for e in later
        ):
            return False
    return True


@settings(max_examples=100)
@given(visits(), st.sampled_from(("left", "right")), st.sampled_from(("gauge", "tape")), st.booleans())
def test_no_order_of_as_few_turns_that_leaves_nothing_behind_walks_or_swaps_less(visit, at, kit, begun):
    efforts, wishes = visit
    wishes = replace(wishes, start=Station(efforts[0].place.position, at, kit) if begun else None)
    costs = [
        (turns_of(order, wishes), *soft_cost(order, wishes))
        for order in permutations(efforts)
        if allowed(order, wishes)
        and all(leaves_nothing(order, wishes, where) for where in (lambda e: e.place, lambda e: e.place.position))
    ]
    if costs:
        made = plan(efforts, wishes).efforts
        assert (turns_of(made, wishes), *soft_cost(made, wishes)) == min(costs)


def turns_of(order, wishes):
    """Changes of position from the start on."""
    places = ([] if wishes.start is None else [wishes.start]) + [e.place for e in order]
    return sum(a.position != b.position for a, b in pairwise(places))


@pytest.mark.parametrize("involved", [Side.LEFT, Side.RIGHT, Side.NONE])
def test_the_hip_battery_takes_three_turns(involved):
    efforts = chosen(*TEMPLATES["hip battery"], involved=involved)
    assert len(efforts) == 13
    order, listed = plan(efforts, OrderPreferences(involved)), as_listed(efforts, OrderPreferences(involved))
    positions = {e.place.position for e in efforts}
    assert order.turns == len(positions) - 1 == 3, "each position once: there is no fewer"
    print(
        f"hip battery, {involved}: {order.turns} turns, as listed {listed.turns} ({listed.turns / order.turns:.1f} x)"
    )
    assert listed.turns > order.turns and listed.minutes > order.minutes
    (its_stay,) = [stay for stay in order.stays() if any(s.effort.test == "squeeze-5s" for s in stay)]
    assert its_stay[-1].effort.test == "squeeze-5s", "last in its position"
    for stay in order.stays():
        for stop in stay:
            twin = [s.effort.side for s in stay if s.effort.test == stop.effort.test]
            assert twin == sorted(twin, key=lambda s: s is first_side(involved).other), "first side first in a stay"
    hard = plan(efforts, OrderPreferences(involved, uninvolved_first=True))
    at = {e.id: n for n, e in enumerate(hard.efforts)}
    first = first_side(involved)
    assert all(at[f"{t}:{first}"] < at[f"{t}:{first.other}"] for t in TEMPLATES["hip battery"] if t != "squeeze-5s")
    assert hard.turns == 4, "the hard rule costs one turn, and says so"


def test_posture_comes_before_loading_and_painful_tests_last_in_their_position():
    efforts = chosen(*TEMPLATES["first visit, whole body"])
    order = plan(efforts, OrderPreferences(Side.LEFT))
    kinds = [(e.posture, e.loads) for e in order.efforts]
    assert max(n for n, k in enumerate(kinds) if k[0]) < min(n for n, k in enumerate(kinds) if k[1])
    assert len(TEMPLATES["first visit, whole body"]) == 40
    assert any("posture before loading" in stop.why for stop in order.stops)
    sore = plan(chosen("hip-flex", "squeeze-5s", "leg-length-check", painful=frozenset({"hip-flex"})))
    assert [e.test for e in sore.efforts][0] == "leg-length-check"


def test_a_drag_holds_and_the_rest_plans_anew_around_it():
    efforts = chosen(*TEMPLATES["hip battery"])
    order = plan(efforts, OrderPreferences(Side.LEFT))
    pairs = with_drag(order, "hip-ext:left", 0, ())
    moved = plan(efforts, OrderPreferences(Side.LEFT, pairs=pairs))
    ids = [e.id for e in moved.efforts]
    assert ids.index("hip-ext:left") < ids.index(order.efforts[0].id)
    assert moved.turns <= order.turns + 1 and "you put it here" in moved.stops[ids.index("hip-ext:left")].why
    assert with_drag(moved, "hip-ext:left", 5, pairs) != pairs and len(with_drag(moved, "hip-ext:left", 5, pairs)) == 2
    with pytest.raises(BadInput, match="cannot both"):
        plan(efforts, OrderPreferences(Side.LEFT, pairs=(("squeeze-5s", "hip-flex:left"),)))
    with pytest.raises(KeyError):
        with_drag(order, "nothing", 0, ())


def test_planning_from_the_middle_stays_where_the_patient_lies():
    efforts = chosen("hip-er", "hip-abd")
    here = Station("prone", "left", "dynamometer")
    assert plan(efforts, OrderPreferences(Side.LEFT, start=here)).efforts[0].place.position == "prone"
    assert plan(efforts, OrderPreferences(Side.LEFT, start=Station("sitting", "front", "hands"))).turns == 3


def test_a_surgeons_limit_keeps_efforts_out_and_names_them():
    limits = limit_sets(KNOWLEDGE.safety.limits, {"limit-hip": frozenset({Side.LEFT})})
    found = chosen_efforts(
        VisitSelection(TEMPLATES["hip battery"]), KNOWLEDGE.tests, KNOWLEDGE.order.clip, Side.LEFT, limits
    )
    assert {e.side for e in found.efforts} == {Side.RIGHT}
    assert len(found.locked) == 7 and all("locked until cleared" in why for _, why in found.locked)


@given(st.sets(st.sampled_from(sorted(known_ids(KNOWLEDGE.tests, KNOWLEDGE.order.clip))), min_size=1, max_size=12))
@settings(max_examples=25)
def test_any_choice_of_real_tests_can_be_ordered(ids):
    efforts = chosen(*sorted(ids))
    order, listed = plan(efforts, OrderPreferences(Side.RIGHT)), as_listed(efforts, OrderPreferences(Side.RIGHT))
    assert len(order.efforts) == len(efforts) and order.turns <= max(listed.turns, len(LEGS) * 7)


@pytest.mark.parametrize(
    ("begun", "now", "goes"),
    [
        ((9, 30), timedelta(hours=10), True),
        ((23, 0), timedelta(hours=5, minutes=59), True),
        ((23, 0), timedelta(hours=6, minutes=1), False),
        ((9, 30), timedelta(days=1), False),
        ((9, 30), timedelta(hours=-12), False),
    ],
)
def test_a_visit_goes_on_through_its_day_and_past_midnight_for_six_hours(begun, now, goes):
    start = datetime(2026, 3, 2, *begun).astimezone()
    assert is_ongoing(Visit("v", "p", start), start + now) == goes


def test_every_place_of_an_order_says_the_one_thing_that_binds_it():
    order = plan(chosen("hip-abd", "squeeze-5s", "leg-length-check"), OrderPreferences(Side.LEFT))
    why = {stop.effort.id: stop.why for stop in order.stops}
    assert "posture before loading" in why["leg-length-check"] and "posture" not in why["hip-abd:right"]
    assert "uninvolved side first" in why["hip-abd:right"] and "side first" not in why["hip-abd:left"]
    assert "right first" in {s.effort.id: s.why for s in plan(chosen("hip-abd")).stops}["hip-abd:right"]
    turned = [a.effort.place.position != b.effort.place.position for a, b in pairwise(order.stops)]
    assert ["one turn" in stop.why for stop in order.stops[1:]] == turned
    assert all(("same position" in stop.why) is not turn for stop, turn in zip(order.stops[1:], turned, strict=True))
    assert "put it here" not in "".join(why.values())
    last = next(s for s in plan(chosen("squeeze-5s", "hip-flex")).stops if s.effort.last)
    assert ("last in its position" in last.why) is (len(order.stays()) < len(order.stops))


def effort(name, side=Side.NONE, at="table", position="supine", kit="hands", muscle="", **more):
    return VisitItem(f"{name}:{side}", name, name, side, Station(position, at, kit), 2.0, muscle=muscle, **more)


def test_changes_and_rests_cost_their_minutes_from_where_the_patient_is():
    costs = Minutes(turn=10.0, walk=100.0, swap=1000.0, rest=0.5)
    two = (effort("a", Side.LEFT, muscle="quads"), effort("b", Side.LEFT, muscle="quads"))
    tired = plan(two, OrderPreferences(minutes=costs))
    assert [stop.rest for stop in tired.stops] == [0.0, 0.5] and tired.minutes == 4.5
    assert plan((two[0], effort("b", Side.NONE, muscle="quads"))).stops[1].rest > 0, "both legs tire this one, too"
    assert plan((two[0], effort("b", Side.RIGHT, muscle="quads"))).stops[1].rest == 0
    assert plan((two[0], effort("b", Side.LEFT, muscle="calf"))).stops[1].rest == 0
    for start, minutes, moves in (
        (None, 2.0, (0, 0, 0)), (Station("supine", "table", "hands"), 2.0, (0, 0, 0)),
        (Station("prone", "table", "hands"), 12.0, (1, 0, 0)), (Station("supine", "door", "tape"), 1102.0, (0, 1, 1)),
    ):  # fmt: skip
        order = plan((effort("a"),), OrderPreferences(start=start, minutes=costs))
        assert (order.minutes, (order.turns, order.walks, order.swaps)) == (minutes, moves)
    empty = plan(())
    assert (empty.stops, empty.turns, empty.walks, empty.swaps, empty.minutes) == ((), 0, 0, 0, 0.0)


@pytest.mark.parametrize("involved", LEGS)
def test_inside_one_place_the_uninvolved_side_comes_first_unless_a_muscle_is_tired(involved):
    pair = [effort("a", involved), effort("a", involved.other)]
    assert [e.side for e in plan(pair, OrderPreferences(involved)).efforts] == [involved.other, involved]
    same = [effort("a", involved.other, muscle="quads"), effort("b", involved.other, muscle="quads"),
            effort("c", involved, muscle="quads")]  # fmt: skip
    order = plan(same, OrderPreferences(involved))
    assert [e.test for e in order.efforts] == ["a", "c", "b"] and not any(stop.rest for stop in order.stops)


def test_a_chosen_clip_and_test_carry_what_the_knowledge_files_say_of_them():
    clip = next(c for c in KNOWLEDGE.order.clip if c.id == "clip-rear-gait")
    test = KNOWLEDGE.tests["squeeze-5s"]
    made = {e.test: e for e in chosen(clip.id, test.id)}
    one = made[clip.id]
    assert (one.id, one.name, one.side, one.minutes, one.last) == (
        clip.id,
        clip.name,
        Side.NONE,
        clip.minutes,
        clip.last,
    )
    assert (one.place.at, one.place.equipment, one.loads, one.posture) == (clip.at, clip.equipment, True, False)
    other = made[test.id]
    assert (other.muscle, other.last, other.loads, other.minutes) == (test.muscle, True, test.loads, test.minutes)


def test_the_pad_goes_where_no_limit_of_either_leg_locks_it_unless_it_was_chosen():
    padded = [t for t in KNOWLEDGE.tests.values() if len(t.pads) > 1 and t.one_leg]
    moved = 0
    for test in padded:
        usual, other = test.pads[0].id, test.pads[1].id
        assert pad_of(test, VisitSelection((test.id,))) == usual
        assert pad_of(test, VisitSelection((test.id,), pads={test.id: other})) == other
        assert pad_of(test, VisitSelection((test.id,), pads={test.id: "nowhere"})) == usual
        only = set(test.demands_at(usual)) - set(test.demands_at(other))
        for demand in only & {limit.demand for limit in KNOWLEDGE.safety.limits}:
            limits = limit_sets(KNOWLEDGE.safety.limits, {f"limit-{demand}": frozenset({Side.RIGHT})})
            if pad_of(test, VisitSelection((test.id,)), limits) != usual:
                moved += 1
                wanted = VisitSelection((test.id,)), KNOWLEDGE.tests, KNOWLEDGE.order.clip, Side.LEFT, limits
                assert not chosen_efforts(*wanted).locked, "another pad leaves it open"
    bare = next(t for t in KNOWLEDGE.tests.values() if not t.pads)
    assert moved and pad_of(bare, VisitSelection((bare.id,), pads={bare.id: "shin"})) == ""
