"""Which cautions a person has now, worked out of screen, history, findings, pain and facts."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import date

from tuning.core.case import Case
from tuning.core.dates import latest_day
from tuning.core.entries import Answer, Form
from tuning.core.gate.open_findings import ScreeningStatus
from tuning.core.gate.person_facts import NOT_SAID, PersonFact, told_facts
from tuning.core.programme.plan_facts import HISTORY
from tuning.core.types import LEGS, Observation, Side


@dataclass(frozen=True)
class CautionSign:
    """What shows that a caution is there; of several fields all that are named must hold.

    `rules` are open findings of the safety screen, `answers` yes to its questions; `regions` pain of `least` on told in
    these places; `test`, `question`, `options` an answer; `words` any of them in the joint or operation of the history,
    and `joint` in its joint, no longer than `weeks` ago where a limit is named. `facts` of the person, at `joint` and
    of approach `how` where these are named.
    """

    rules: tuple[str, ...] = ()
    answers: tuple[str, ...] = ()
    regions: tuple[str, ...] = ()
    least: float = 1.0
    test: str = ""
    question: str = ""
    options: tuple[str, ...] = ()
    words: tuple[str, ...] = ()
    joint: str = ""
    weeks: float | None = None
    facts: tuple[str, ...] = ()
    how: tuple[str, ...] = ()


@dataclass(frozen=True)
class Caution:
    """A caution by its name, what to do about it, and the signs any of which shows it."""

    name: str
    signs: tuple[CautionSign, ...]
    care: str = ""
    source: str = "practice judgement, editable"


PAINS = ("pain-now", "pain-worst")


def present(
    case: Case, table: Mapping[str, Caution], screening: ScreeningStatus | None, today: date
) -> dict[str, Caution]:
    """The cautions that a person has on a day, by id."""
    there = _Shown(case, screening, today)
    return {key: there.named(one) for key, one in table.items() if any(there.shows(sign) for sign in one.signs)}


class _Shown:
    """What is on record, looked up sign by sign."""

    def __init__(self, case: Case, screening: ScreeningStatus | None, today: date) -> None:
        self._today = today
        self._open = {f.id for f in screening.open} | set(screening.looks) if screening is not None else set()
        answers = screening.screen.answers if screening is not None else {}
        self._yes = {key for key, yes in answers.items() if yes}
        self._pains: dict[str, float] = {}
        for one in case.all(Observation):
            if one.measure_id in PAINS and one.measured is not None:
                self._pains[one.setup.region] = one.measured
        self._answers = {(a.test, a.question, a.side): a.option for a in case.all(Answer)}
        history = next((f for f in reversed(case.all(Form)) if f.kind == HISTORY), None)
        self._facts = told_facts(case.all(Form), today)
        self._injuries: list[Mapping[str, object]] = list(history.data.get("injuries") or ()) if history else []

    def shows(self, sign: CautionSign) -> bool:
        """Whether everything that a sign names is there."""
        parts = [
            (sign.rules, bool(self._open & set(sign.rules))),
            (sign.answers, bool(self._yes & set(sign.answers))),
            (sign.regions, any(self._pains.get(place, 0.0) >= sign.least for place in sign.regions)),
            (sign.test, self._answered(sign)),
            (sign.facts, any(self._has(sign, one) for one in self._facts)),
            (not sign.facts and (sign.words or sign.joint), any(self._told(sign, row) for row in self._injuries)),
        ]
        named = [holds for wanted, holds in parts if wanted]
        return bool(named) and all(named)

    def _answered(self, sign: CautionSign) -> bool:
        return any(
            option in sign.options
            for (test, question, _), option in self._answers.items()
            if (test, question) == (sign.test, sign.question)
        )

    def named(self, one: Caution) -> Caution:
        """A caution that a fact of the person shows, with the side of that."""
        sides = {fact.side for sign in one.signs for fact in self._facts if sign.facts and self._has(sign, fact)}
        legs = LEGS if Side.BOTH in sides else tuple(leg for leg in LEGS if leg in sides)
        return replace(one, name=f"{one.name}, {' and '.join(leg.value for leg in legs)}") if legs else one

    def _has(self, sign: CautionSign, fact: PersonFact) -> bool:
        """A fact of the person; of no known day it may be fresh, of an approach that nobody named it may be any."""
        if fact.what not in sign.facts or (sign.joint and fact.where != sign.joint):
            return False
        if sign.how and fact.how not in (*sign.how, *NOT_SAID):
            return False
        return sign.weeks is None or fact.day is None or (self._today - fact.day).days <= 7 * sign.weeks

    def _told(self, sign: CautionSign, row: Mapping[str, object]) -> bool:
        joint, what = (str(row.get(key) or "").casefold() for key in ("joint", "operation"))
        told = f"{joint} {what} {row.get('limits') or ''}".casefold()
        if sign.joint and sign.joint not in joint:
            return False
        if sign.words and not any(word in told for word in sign.words):
            return False
        if sign.weeks is None:
            return True
        day = latest_day(str(row.get("date") or ""), self._today)
        return day is None or (self._today - day).days <= 7 * sign.weeks  # of no known day it may be fresh


def sentences(found: Iterable[Caution]) -> list[str]:
    """Each caution with what to do about it."""
    return [f"{one.name}: {one.care}" if one.care else one.name for one in found]
