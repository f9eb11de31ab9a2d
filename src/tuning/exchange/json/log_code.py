"""The log of the phone page as a code to type, scan or send: groups of nine characters, the last of each its check.

The first group holds the form, the first day and a check over everything that knows whose log it is; each other group
is one line of the log. The page (`html/log_page.html`) writes the same, character by character.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Sequence
from datetime import date, timedelta

from tuning.core.entries import Done, NextDayResponse
from tuning.core.errors import BadInput
from tuning.core.programme.log_mapping import ALARMS
from tuning.core.types import Side
from tuning.exchange.json.home_log import HOME

DIGITS = "0123456789ABCDEFGHJKMNPQRSTVWXYZ"
"""Thirty-two characters that are not taken for each other; what looks like one is read as it."""
LOOKALIKES = str.maketrans("OIL", "011")
FORM, GROUP = 1, 8
EPOCH = date(2020, 1, 1)
DAY_BITS, OFFSET_BITS, RUNG_BITS, CHECK_BITS = 15, 6, 15, 20
SIDES, MORNINGS, FELT, MANY = (
    ("none", "left", "right"),
    ("unknown", "settled", "not settled"),
    3,
    (0.0, 10.0, 30.0, 60.0),
)
MOST_DAYS = 2**OFFSET_BITS
_TURN = 65599


def check_sum(text: str, bits: int) -> int:
    """A sum of a text of so many bits; another character, or two exchanged, give another."""
    total = 0
    for character in text:
        total = (total * _TURN + ord(character)) % 2**bits
    return total


def write_code(lines: Sequence[Done], owner: str) -> str:
    """The code of lines of one person, as the page shows it. Raises ValueError for lines too far apart."""
    first = min(line.day for line in lines)
    groups = [_group(_packed(line, first)) for line in lines]
    return " ".join([_head(first, owner, groups), *groups])


def _head(first: date, owner: str, groups: Iterable[str]) -> str:
    check = check_sum(f"{owner} {first.isoformat()} {''.join(groups)}", CHECK_BITS)
    return _group((FORM << DAY_BITS | (first - EPOCH).days) << CHECK_BITS | check)


def _packed(line: Done, first: date) -> int:
    offset = (line.day - first).days
    if offset >= MOST_DAYS:
        raise ValueError(f"a code holds {MOST_DAYS} days")
    felt = 2 if line.wrong else 0 if line.felt else 1
    alarms = sum(1 << n for n, name in enumerate(ALARMS) if name in line.alarms)
    many = min(range(len(MANY)), key=lambda n: abs(MANY[n] - line.faulty))
    parts = (
        (offset, OFFSET_BITS), (SIDES.index(line.side.value), 2), (check_sum(line.rung, RUNG_BITS), RUNG_BITS),
        (line.pain, 4), (felt, 2), (many, 2), (MORNINGS.index(line.morning.value), 2), (alarms, len(ALARMS)),
    )  # fmt: skip
    total = 0
    for value, bits in parts:
        total = total << bits | value
    return total


def _group(number: int) -> str:
    digits = "".join(DIGITS[number >> 5 * n & 31] for n in reversed(range(GROUP)))
    return digits + DIGITS[check_sum(digits, 5)]


def read_code(text: str, owner: str, rungs: Collection[str], today: date) -> list[Done]:
    """Lines of a code as entries, oldest first. Raises BadInput, which names the group that was mistyped.

    `owner` is the mark of the person whose log it has to be, `rungs` the exercises that it may name.
    """
    head, *groups = _groups(text)
    number = _number(head)
    if number >> DAY_BITS + CHECK_BITS != FORM:
        raise BadInput("This is no code of a home log: it begins otherwise.")
    first = EPOCH + timedelta(days=number >> CHECK_BITS & (1 << DAY_BITS) - 1)
    if _head(first, owner, groups) != head:
        raise BadInput("The code is not whole, its groups stand in another order, or it is the log of somebody else.")
    known = {check_sum(rung, RUNG_BITS): rung for rung in sorted(rungs)}
    return sorted((_line(group, first, known, today) for group in groups), key=lambda line: line.day)


def _groups(text: str) -> list[str]:
    plain = re.sub(r"[\s\-–.,]", "", text.upper()).translate(LOOKALIKES)
    if not plain or set(plain) - set(DIGITS):
        raise BadInput("A code holds digits and capital letters alone; copy all of it, from the first group on.")
    groups = [plain[n : n + GROUP + 1] for n in range(0, len(plain), GROUP + 1)]
    for n, group in enumerate(groups, 1):
        if len(group) != GROUP + 1 or group[-1] != DIGITS[check_sum(group[:-1], 5)]:
            raise BadInput(f"Group {n} of the code, “{group}”, is not as it was shown; look at it again.")
    if len(groups) < 2:
        raise BadInput("The code holds no line of a log; copy all of it.")
    return groups


def _number(group: str) -> int:
    number = 0
    for digit in group[:-1]:
        number = number << 5 | DIGITS.index(digit)
    return number


def _line(group: str, first: date, known: dict[int, str], today: date) -> Done:
    left = _number(group)

    def take(bits: int) -> int:
        nonlocal left
        left, value = divmod(left, 1 << bits)
        return value

    alarms, morning, many, felt, pain = take(len(ALARMS)), take(2), take(2), take(2), take(4)
    rung, side, day = known.get(take(RUNG_BITS), ""), take(2), first + timedelta(days=take(OFFSET_BITS))
    if not rung:
        raise BadInput(f"“{group}” names no exercise of this plan.")
    if day > today or pain > 10 or side >= len(SIDES) or morning >= len(MORNINGS) or felt >= FELT:
        raise BadInput(f"“{group}” tells a day ahead, or what the page cannot say.")
    return Done(
        rung=rung, side=Side(SIDES[side]), day=day, pain=pain, faulty=MANY[many], felt=felt == 0, wrong=felt == 2,
        morning=NextDayResponse(MORNINGS[morning]), alarms=tuple(a for n, a in enumerate(ALARMS) if alarms >> n & 1),
        source=HOME,
    )  # fmt: skip
