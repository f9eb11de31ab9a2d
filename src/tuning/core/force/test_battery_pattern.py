"""All tests side by side: which leg pushes harder, which develops force faster, counted beyond error only."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from tuning.core.force.force_observations import lines_of
from tuning.core.force.plate_tests import PlateTest
from tuning.core.judging.comparison import Comparison
from tuning.core.judging.verdict import VerdictWord
from tuning.core.types import NotMeasured, Side
from tuning.core.units import sentence_case

LEAST_TESTS = 2
"""A pattern needs at least so many tests beyond error that point the same way (practice judgement, editable)."""


@dataclass(frozen=True)
class PatternRow:
    """One test: its force and its rate against each other by side; None where there is none."""

    test: PlateTest
    force: Comparison | None
    rate: Comparison | None


def rows(tests: Sequence[PlateTest], ledger: Mapping[str, Comparison]) -> list[PatternRow]:
    """The tests that have a comparison, in the order of the list."""
    made = []
    for test in tests:
        lines = lines_of(test)
        row = PatternRow(test, ledger.get(lines.force), ledger.get(lines.rate))
        if row.force is not None or row.rate is not None:
            made.append(row)
    return made


def points_to(row: Comparison | None) -> Side | None:
    """Side with more, beyond error; NONE when the test cannot tell or is in tune; None when nothing was compared."""
    if row is None or isinstance(row.verdict, NotMeasured):
        return None
    if row.verdict.word in (VerdictWord.IN_TUNE, VerdictWord.CANNOT_TELL):
        return Side.NONE
    return Side.RIGHT if row.verdict.d > 0 else Side.LEFT


@dataclass(frozen=True)
class PatternCount:
    """How many tests point where; `beyond` those outside error, `unsure` those that cannot tell."""

    left: int
    right: int
    in_tune: int
    unsure: int

    @property
    def compared(self) -> int:
        """Tests with both legs."""
        return self.left + self.right + self.in_tune + self.unsure

    @property
    def beyond(self) -> int:
        """Tests beyond error."""
        return self.left + self.right

    @property
    def side(self) -> Side:
        """Where the tests beyond error agree: enough of them, and more than two thirds one way."""
        most = max(self.left, self.right)
        if most < LEAST_TESTS or 3 * most <= 2 * self.beyond:
            return Side.NONE
        return Side.LEFT if self.left > self.right else Side.RIGHT


def count(found: Sequence[Comparison | None]) -> PatternCount:
    """Count one kind of comparison over the tests."""
    sides = [points_to(row) for row in found]
    words = [r.verdict.word for r in found if r is not None and not isinstance(r.verdict, NotMeasured)]
    return PatternCount(
        sides.count(Side.LEFT),
        sides.count(Side.RIGHT),
        words.count(VerdictWord.IN_TUNE),
        words.count(VerdictWord.CANNOT_TELL),
    )


def sentence(found: Sequence[PatternRow]) -> str:
    """The pattern in a sentence: counts first, then what they amount to. Share of two legs is never called strength."""
    force, rate = count([r.force for r in found]), count([r.rate for r in found])
    if not force.compared and not rate.compared:
        return "No test has both legs yet."
    told = [_told(force, "more force"), _told(rate, "faster force rise")]
    text = f"{'; '.join(t for t in told if t)}: {_meaning(force, rate)}."
    return sentence_case(text)


def _told(c: PatternCount, what: str) -> str:
    if not c.compared:
        return ""
    parts = [f"{what} {side} in {n} of {c.compared} tests" for side, n in (("left", c.left), ("right", c.right)) if n]
    rest = [f"{n} {words}" for n, words in ((c.in_tune, "in tune"), (c.unsure, "cannot tell")) if n]
    return ", ".join([*(parts or [f"{what}: no test beyond error"]), *rest])


def _meaning(force: PatternCount, rate: PatternCount) -> str:
    more, faster = force.side, rate.side
    if more is Side.NONE and faster is Side.NONE:
        return "no pattern beyond the error"
    if more is Side.NONE:
        return f"the {faster} leg develops force faster; neither leg pushes harder beyond the error"
    if faster is Side.NONE:
        return f"the {more} leg pushes harder; neither leg develops force faster beyond the error"
    if more is faster:
        return f"the {more} leg pushes harder and develops force faster"
    return (
        f"the {more} leg pushes harder but develops force more slowly; look at the traces, pain and single-leg tests "
        "before reasons, and train fast intent on it only once strength is adequate"
    )
