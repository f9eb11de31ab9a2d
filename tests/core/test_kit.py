"""Kit at hand: what serves instead, which rung or ladder stands in, and what is never used."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.gate.permission import GateFacts, permission_for
from tuning.core.pose import BodyPosition
from tuning.core.programme.equipment import Equipment, Substitute
from tuning.core.programme.ladders import ConditionState, EntryContext, SideTrial, entry_checks
from tuning.core.programme.phases import Phase
from tuning.core.programme.placement import PlacementContext, TreatedFactor, enters, opens, propose
from tuning.core.types import LEGS, Side, Triage
from tuning.knowledge import load
from tuning.knowledge.gate_acts import act_of_rung

TABLES = load()
LADDERS = TABLES.ladders
RUNGS = {rung.id: rung for ladder in LADDERS.values() for rung in ladder.rungs}
EVERY = Equipment(table=TABLES.kit).things()
CAUSES = sorted(TABLES.placement.choices)


def kit(*things):
    return Equipment(frozenset(things), TABLES.kit)


def proposed(factor, at_hand, phase=Phase.RESTORE):
    found, _ = propose(
        [TreatedFactor(factor, Side.LEFT)], TABLES.placement, LADDERS, PlacementContext(phase, kit=at_hand)
    )
    return {p.ladder: p for p in found}


def checked(rung_id, at_hand):
    rung = RUNGS[rung_id]
    tried = dict.fromkeys(LEGS, SideTrial(True, 0))
    now = EntryContext(
        permission_for(act_of_rung(rung), GateFacts(Triage.NONE, asked=True)),
        Triage.NONE,
        frozenset(),
        {},
        {},
        tried,
        kit=at_hand,
    )
    return [(c.state, c.text) for c in entry_checks(rung, TABLES.ladder_of(rung_id), now)]


def test_the_thing_itself_comes_first_then_what_serves_in_its_order():
    table = {"mat": Substitute(("carpet", "blanket"))}
    assert Equipment(None, table).used(["mat"]) == {"mat": "mat"}
    assert Equipment(frozenset({"blanket", "carpet"}), table).used(["mat"]) == {"mat": "carpet"}
    assert Equipment(frozenset({"blanket", "mat"}), table).swaps(["mat"]) == []
    assert Equipment(frozenset(), table).missing(["mat", "stick"]) == ["mat", "stick"]
    assert Equipment(frozenset({"carpet"}), table).swaps(["stick", "mat"]) == ["carpet instead of mat"]


def test_a_check_says_what_is_used_instead_what_is_missing_and_what_people_should_not_take():
    board = "board or firm book of 5 cm"
    assert (ConditionState.MET, f"{board} instead of step of 5 cm") in checked("sd-2-sit-back", kit(board))
    missing = (ConditionState.NOT_MET, "not at hand: step of 5 cm (never: stool or crate: it tips)")
    assert missing in checked("sd-2-sit-back", kit("bottom stair")), "a stair is 17 to 18 cm high"
    assert missing in checked("sd-2-sit-back", kit("mat"))
    assert not [text for _, text in checked("sd-2-sit-back", Equipment()) if "hand" in text or "instead" in text]


def test_a_sister_rung_then_the_floor_stand_in_and_say_why():
    whole = proposed("pelvis-drop", Equipment())
    assert whole["base"].entry == "hb-2-side-walk" and whole["base"].reasons == ("pelvis-drop, left",)
    found = proposed("pelvis-drop", kit("mat"))["base"]
    assert found.entry == "hb-3-bridge"
    assert found.reasons[1] == "in place of Banded side walk: no small loop or long loop"
    knee = proposed("knee-in", kit("mat", "firm chair"))
    assert knee["stepdown"].barred == "not at hand: step of 5 cm" and not knee["base"].barred
    assert knee["chair"].entry == "cr-0-two-leg" and "floor or chair in place of Hip base" in knee["chair"].reasons[1]
    assert proposed("hip-shift", kit("mat"))["hipshift"].barred == "not at hand: mirror"


def test_a_caution_bars_a_ladder_whatever_stands_in_for_its_kit():
    back = PlacementContext(cautions=frozenset({"acute-back"}), kit=kit("mat", "firm chair"))
    found, _ = propose([TreatedFactor("hip-abductor-strength", Side.LEFT)], TABLES.placement, LADDERS, back)
    assert found and all(p.barred == "acute back pain" for p in found)


def asked_for(factor, ladder):
    """Rungs of a ladder that a factor names."""
    choice = TABLES.placement.choices[factor]
    return [r for r in LADDERS[ladder].rungs if r.id in (*choice.first, *choice.second)]


def no_harder(rung, other):
    own, most = (r.demand_of(r.poses[0]) for r in (rung, other))
    return all(getattr(own, part) <= getattr(most, part) for part in ("knee", "kneecap", "hip", "balance"))


@pytest.mark.parametrize("factor", CAUSES)
def test_only_lying_sitting_or_a_chair_stands_in_for_a_ladder_without_kit(factor):
    whole = proposed(factor, Equipment(), Phase.RETURN)
    for at_hand in (
        kit(),
        kit(*({one for one in EVERY if "5 cm" not in one and one != "mirror"})),
        kit("mat", "firm chair"),
    ):
        for one in proposed(factor, at_hand, Phase.RETURN).values():
            if one.ladder not in whole and not one.barred:
                assert one.ladder == "chair" or RUNGS[one.entry].position is not BodyPosition.STAND


@given(st.sampled_from(CAUSES), st.sets(st.sampled_from(EVERY)), st.sampled_from(list(Phase)))
def test_whatever_is_at_hand_nothing_is_proposed_without_its_kit_nor_harder_than_what_was_wanted(factor, things, phase):
    at_hand = kit(*things)
    whole, now = proposed(factor, Equipment(), phase), PlacementContext(phase, kit=at_hand)
    for ladder, one in proposed(factor, at_hand, phase).items():
        rung = RUNGS[one.entry]
        if one.barred:
            assert one.barred == whole[ladder].barred or at_hand.missing(LADDERS[ladder].needs(rung))
            continue
        assert enters(rung, LADDERS[ladder], now)
        used = at_hand.used(LADDERS[ladder].needs(rung))
        assert set(used.values()) <= things, "never what nobody has"
        if rung.position is not BodyPosition.STAND or ladder == "chair":
            continue
        wanted = [RUNGS[whole[ladder].entry], *asked_for(factor, ladder)]
        assert any(no_harder(rung, other) for other in wanted if opens(other, now))


def test_nothing_that_serves_is_named_as_never():
    for item, row in TABLES.kit.items():
        never = {words.split(":")[0] for words in row.never}
        assert not never & {item, *row.instead}
