"""The code of a home log: the page and the program write the same, a slip is found, and another person's is refused."""

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.entries import Done, NextDayResponse
from tuning.core.errors import BadInput
from tuning.core.programme.log_mapping import ALARMS
from tuning.core.types import LEGS, Side
from tuning.exchange.json.home_log import HOME, owner_mark
from tuning.exchange.json.log_code import DIGITS, MANY, MOST_DAYS, RUNG_BITS, check_sum, read_code, write_code
from tuning.knowledge import load

RUNGS = sorted(rung.id for ladder in load().ladders.values() for rung in ladder.rungs)
ANNA, TODAY = owner_mark("0198-anna"), date(2026, 11, 20)
LINES = st.builds(
    Done, st.sampled_from(RUNGS), st.sampled_from([Side.NONE, *LEGS]),
    st.integers(0, MOST_DAYS - 1).map(lambda n: TODAY - timedelta(days=n)), pain=st.integers(0, 10),
    morning=st.sampled_from(NextDayResponse), faulty=st.sampled_from(MANY), source=st.just(HOME),
    felt=st.just(True), wrong=st.just(False), alarms=st.sets(st.sampled_from(ALARMS)).map(
        lambda found: tuple(name for name in ALARMS if name in found)),
)  # fmt: skip


def test_no_two_exercises_are_taken_for_each_other():
    assert len({check_sum(rung, RUNG_BITS) for rung in RUNGS}) == len(RUNGS)


@given(st.lists(LINES, min_size=1, max_size=6))
def test_what_is_written_is_read_however_it_is_typed(lines):
    code = write_code(lines, ANNA)
    kept = sorted(lines, key=lambda line: line.day)
    assert read_code(code, ANNA, RUNGS, TODAY) == kept
    slurred = code.lower().replace("0", "o").replace("1", "l").replace(" ", "-\n")
    assert read_code(slurred, ANNA, RUNGS, TODAY) == kept


@given(st.data(), st.lists(LINES, min_size=1, max_size=4))
def test_one_mistyped_character_is_found_and_its_group_named(data, lines):
    code = write_code(lines, ANNA)
    at = data.draw(st.sampled_from([n for n, c in enumerate(code) if c != " "]))
    other = data.draw(st.sampled_from([d for d in DIGITS if d != code[at]]))
    with pytest.raises(BadInput, match=rf"Group {code[:at].count(' ') + 1} of the code"):
        read_code(code[:at] + other + code[at + 1 :], ANNA, RUNGS, TODAY)


def test_another_person_s_a_part_a_changed_order_and_no_code_are_refused():
    lines = [Done(RUNGS[0], Side.LEFT, TODAY), Done(RUNGS[1], Side.RIGHT, TODAY)]
    code = write_code(lines, ANNA)
    one, two, three = code.split()
    for text, said in (
        (f"{one} {two}", "not whole"), (f"{one} {three} {two}", "another order"), (code[:-1], "Group 3"),
        (one, "no line"), ("", "digits and capital letters"), ("good morning!", "digits and capital letters"),
        (f"{two} {three}", "begins otherwise"),
    ):  # fmt: skip
        with pytest.raises(BadInput, match=said):
            read_code(text, ANNA, RUNGS, TODAY)
    with pytest.raises(BadInput, match="somebody else"):
        read_code(code, owner_mark("0198-ben"), RUNGS, TODAY)
    with pytest.raises(BadInput, match="no exercise of this plan"):
        read_code(code, ANNA, RUNGS[:1], TODAY)
    with pytest.raises(BadInput, match="a day ahead"):
        read_code(code, ANNA, RUNGS, TODAY - timedelta(days=1))
