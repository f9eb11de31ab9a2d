"""Does following the advised tests find what contributes, and sooner? `python scripts/reasoning_trials.py`.

Simulated people (reasoning_world.py) are tested in the advised order, in that of the battery, and at random, until a
true factor is found: supported, or likely without a rival that is likely. Writes docs/reasoning.md.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import click
import numpy as np
from reasoning_world import CHANGES, PATTERNS, TESTS, Body, people

from tuning.core.case import Case, Patient, Visit
from tuning.core.entries import Answer
from tuning.core.judging.measures import Compare
from tuning.core.reasoning.conclusion import conclude, tests_of
from tuning.core.reasoning.evidence import Label, PatternEvidence
from tuning.core.reasoning.next_best_test import TRIAL, next_tests
from tuning.core.reasoning.trial_of_cause import Effect
from tuning.core.types import LEGS, Entry, Observation, Setup, Side, Triage
from tuning.knowledge import load

KNOWLEDGE = load()
TOOLS = tests_of(KNOWLEDGE)
START = datetime(2026, 1, 15, 9, tzinfo=UTC)
ADA = Patient("p", "Ada", date(1985, 3, 12), "female", 66.0, 1.7, "", "", "", Side.NONE)
VISIT = Visit("v", "p", START)
ALL = [*TESTS, *(f"{TRIAL}{change}" for change in CHANGES)]
TURN_MINUTES = 0.4
"""Every test in another place costs about this much more; the same for every order."""
MOST_MINUTES = 60.0
TARGET = Path(__file__).parent.parent / "docs" / "reasoning.md"


class Session:
    """One person being tested: entries so far, minutes used."""

    def __init__(self, body: Body) -> None:
        self.body, self.entries, self.minutes, self.clock = body, [], 0.0, 0
        self.measure = PATTERNS[body.pattern][0]
        self._pattern("")

    def _at(self) -> datetime:
        self.clock += 1
        return START + timedelta(seconds=20 * self.clock)

    def _keep(self, entry: Entry) -> None:
        self.entries.append(type(entry)(**{**vars(entry), "uid": f"e{self.clock}", "visit": "v", "at": self._at()}))

    def _pattern(self, changed: str) -> None:
        setup = Setup(task="front-squat", changed=changed)
        for side, trials in self.body.pattern_values(changed).items():
            self._keep(Observation(self.measure, Side(side), float(trials.mean()), trials, "mean", "clip", setup=setup))

    def take(self, test: str) -> None:
        """Do a test: its minutes pass, what it shows is kept."""
        self.minutes += TURN_MINUTES
        if test.startswith(TRIAL):
            change = test.removeprefix(TRIAL)
            self.minutes += CHANGES[change]
            self._pattern(change)
            self._pattern("")
            return
        measures, minutes = TESTS[test]
        self.minutes += minutes
        for measure in measures:
            for side, trials in zip(LEGS, self.body.measured(measure), strict=True):
                self._keep(Observation(measure, side, float(trials.mean()), trials, "mean", "typed"))
        sided = test == "bridge-bar"
        for question, option in self.body.answered(test).items():
            self._keep(Answer(test, question, Side.LEFT if sided else Side.NONE, option))

    def balance(self) -> tuple[PatternEvidence | None, object]:
        """What is concluded of the pattern so far."""
        case = Case(ADA, (VISIT,), VISIT, tuple(self.entries), self.clock)
        found = conclude(case, KNOWLEDGE.reasoning, KNOWLEDGE.measures, TOOLS, Triage.NONE)
        return found.of(self.body.pattern, Side.LEFT), found


def found_in(one: PatternEvidence | None) -> set[str]:
    """Factors that are found: supported, or likely without a rival that is likely."""
    if one is None:
        return set()
    supported = {s.factor.id for s in one.sheets if s.label is Label.SUPPORTED}
    likely = {s.factor.id for s in one.sheets if s.label is Label.LIKELY}
    return supported or (likely if len(likely) == 1 else set())


def advised(session: Session, left: list[str]) -> str | None:
    """What the program would do next, of the tests that are left."""
    one, found = session.balance()
    if one is None:
        return None
    options = next_tests(KNOWLEDGE.reasoning, one, found.found, TOOLS)  # type: ignore[attr-defined]
    return next((option.id for option in options if option.id in left), None)


def in_order(order: list[str]) -> Callable[[Session, list[str]], str | None]:
    """A fixed order, whatever was found."""
    return lambda _, left: next((test for test in order if test in left), None)


def run(body: Body, choose: Callable[[Session, list[str]], str | None]) -> tuple[float | None, set[str]]:
    """Minutes until a true factor was found (None: never), and what was supported wrongly at any time."""
    session, left, wrong, minutes = Session(body), list(ALL), set[str](), None
    while left and session.minutes < MOST_MINUTES:
        test = choose(session, left)
        if test is None:
            break
        left.remove(test)
        session.take(test)
        one, _ = session.balance()
        if one is not None:
            now = {s.factor.id for s in one.sheets if s.label is Label.SUPPORTED}
            wrong |= now - set(body.factors)
        if minutes is None and found_in(one) & set(body.factors):
            minutes = session.minutes
            if body.factors:
                break
    return minutes, wrong


def responding(cases: int, seed: int) -> float:
    """Share of trials of cause in which nothing helps, the finding drifts, and yet "responds" is said, percent."""
    random, false = np.random.default_rng(seed), 0
    for n in range(cases):
        body = _body(n, seed)
        session = Session(body)
        drift = random.uniform(-0.25, 0.25)
        for step, changed in enumerate(("cue", ""), start=1):
            for side, values in body.pattern_values(changed).items():
                moved = values * (1 + drift * step / 2)
                session._keep(Observation(session.measure, Side(side), float(moved.mean()), moved, "mean", "clip",
                                          setup=Setup(task="front-squat", changed=changed)))  # fmt: skip
        _, found = session.balance()
        tried = found.found.responses  # type: ignore[attr-defined]
        false += any(r.effect is Effect.RESPONDS and r.side is not Side.RIGHT for r in tried)
    return 100 * false / cases


def _body(n: int, seed: int) -> Body:
    pattern = list(PATTERNS)[n % len(PATTERNS)]
    return Body(pattern, (), False, np.random.default_rng([seed, 77, n]), *_errors())


def _errors() -> tuple[dict[str, float], frozenset[str]]:
    sem = {m.id: m.sem for m in KNOWLEDGE.measures.values()}
    percent = frozenset(m.id for m in KNOWLEDGE.measures.values() if m.compare is Compare.STRONGER)
    return sem, percent


def _rows(cases: int, seed: int) -> Iterator[str]:
    random = np.random.default_rng(seed)
    ways: dict[str, Callable[[Body], Callable[[Session, list[str]], str | None]]] = {
        "as advised": lambda _: advised,
        "order of the battery": lambda _: in_order(ALL),
        "at random": lambda _: in_order([str(t) for t in random.permutation(ALL)]),
    }
    for name, way in ways.items():
        results = [(body, *run(body, way(body))) for body in people(cases, seed, *_errors())]
        some = [minutes for body, minutes, _ in results if body.factors]
        hit = [minutes for minutes in some if minutes is not None]
        wrong = [bool(w) for _, _, w in results]
        none = [bool(w) for body, _, w in results if not body.factors]
        low, middle, high = np.percentile(hit, [25, 50, 75])
        shares = (
            f"{100 * len(hit) / len(some):.0f} %",
            f"{100 * np.mean(wrong):.1f} %",
            f"{100 * np.mean(none):.1f} %",
        )
        yield f"| {name} | {middle:.1f} ({low:.1f} to {high:.1f}) | {' | '.join(shares)} |"


PAGE = """# What reasoning finds

Written by `python scripts/reasoning_trials.py --cases {cases} --seed {seed}`. Simulated people with no true factor,
one, two, or a two-sided one; a third of them hide one finding and show one of something else. Errors are drawn at the
standard errors of the measures. Each person is tested until a true factor is found (supported, or likely without a
rival), at most {most:.0f} minutes.

| order of tests | minutes until found, median (quartiles) | found | falsely supported | the same, no factor |
|---|---|---|---|---|
{rows}

Trials of cause in which nothing helps and the finding drifts by up to a quarter: "responds" is said in {false:.1f} %.
"""


@click.command()
@click.option("--cases", default=1000)
@click.option("--seed", default=5)
@click.option("--write/--no-write", default=True, help="Write docs/reasoning.md.")
def main(cases: int, seed: int, write: bool) -> None:
    """Run and print; write the page."""
    rows = []
    for row in _rows(cases, seed):
        click.echo(row)
        rows.append(row)
    false = responding(cases, seed)
    click.echo(f"responds falsely: {false:.1f} %")
    if write:
        page = PAGE.format(cases=cases, seed=seed, most=MOST_MINUTES, rows="\n".join(rows), false=false)
        TARGET.write_text(page)


if __name__ == "__main__":
    main()
