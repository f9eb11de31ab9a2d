"""A case as a JSON file, to be reasoned about without a record: person, safety answers, observations and findings."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from datetime import UTC, date, datetime, timedelta
from functools import cache
from pathlib import Path
from typing import Any

import cattrs
import cattrs.v
import numpy as np

from tuning.core.case import Case, Patient, Visit
from tuning.core.entries import Answer, Form
from tuning.core.errors import BadInput
from tuning.core.gate.triage import screen, screen_entry
from tuning.core.reasoning.conclusion import Conclusion, name_for
from tuning.core.reasoning.evidence import PatternEvidence, ReasoningPolicy
from tuning.core.reasoning.next_best_test import Option
from tuning.core.test_definitions import AnswerKind
from tuning.core.types import Entry, FrameRef, NotMeasured, Observation, Role, Setup, Side, Triage
from tuning.exchange.files import read_json
from tuning.knowledge.knowledge import Knowledge

VERSION = 1
SETUP = {f.name for f in fields(Setup)}


@dataclass(frozen=True)
class CaseSubject:
    """Who the case is about; role is who looks."""

    birth_date: str = "1985-01-01"
    sex: str = ""
    mass_kg: float | None = None
    stature_m: float | None = None
    role: str = Role.CLINICIAN.value


@dataclass(frozen=True)
class ObservationRecord:
    """One observation: a measure with its value or trials; `value` null with a reason is "not measured"."""

    measure: str
    side: str = "none"
    value: float | None = None
    trials: tuple[float, ...] = ()
    method: str = "typed"
    setup: Mapping[str, Any] = field(default_factory=dict)
    time: str = ""
    capture: str = ""
    pain: int | None = None
    quality: float = 1.0
    marking_sd: float | None = None
    reason: str = ""


@dataclass(frozen=True)
class AnswerRecord:
    """One answer to a question of a test."""

    test: str
    question: str
    option: str
    side: str = "none"
    time: str = ""
    capture: str = ""


@dataclass(frozen=True)
class CaseFile:
    """The whole file."""

    version: int = VERSION
    day: str = "2026-01-15"
    person: CaseSubject = CaseSubject()
    safety: Mapping[str, bool] | None = None
    observations: tuple[ObservationRecord, ...] = ()
    findings: tuple[AnswerRecord, ...] = ()
    forms: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    schools: ReasoningPolicy = ReasoningPolicy()


@dataclass(frozen=True)
class ReadCase:
    """A case ready to be reasoned about: who looks, what the safety screen says, which schools are followed."""

    case: Case
    role: Role
    triage: Triage | None
    schools: ReasoningPolicy


def read_case(path: Path, knowledge: Knowledge) -> ReadCase:
    """Read a case. Raises BadInput with what is wrong, by place; unknown ids, sides and options are refused."""
    data = read_json(path)
    try:
        told = _converter().structure(data, CaseFile)
    except Exception as err:
        problems = cattrs.transform_error(err, path="case", format_exception=cattrs.v.format_exception)
        raise BadInput(f"“{path.name}” is no case: {'; '.join(problems[:5])}.") from err
    return _Reader(path.name, knowledge).read(told)


@cache
def _converter() -> cattrs.Converter:
    made = cattrs.Converter(forbid_extra_keys=True)
    made.register_structure_hook(float, _number)
    return made


def _number(value: Any, _: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float) or not np.isfinite(value):
        raise ValueError("is not a number")
    return float(value)


class _Reader:
    """Turns what was told into entries, and refuses what it does not know."""

    def __init__(self, name: str, knowledge: Knowledge) -> None:
        self._name, self._knowledge = name, knowledge

    def read(self, told: CaseFile) -> ReadCase:
        """The case of one visit."""
        if told.version != VERSION:
            raise self._wrong("version", f"is {told.version}; this program reads {VERSION}")
        start = datetime.combine(self._day(told.day, "day"), datetime.min.time(), UTC) + timedelta(hours=9)
        who = told.person
        patient = Patient("p", "", self._day(who.birth_date, "birth_date"), who.sex, who.mass_kg, who.stature_m, "", "",
                          "", Side.NONE)  # fmt: skip
        visit = Visit("v", "p", start)
        entries: list[Entry] = [self._observed(n, one, start) for n, one in enumerate(told.observations)]
        entries += [self._answered(n, one, start) for n, one in enumerate(told.findings)]
        for n, (kind, data) in enumerate(told.forms.items()):
            entries.append(Form(kind, dict(data), uid=f"form-{n}", visit="v", at=start))
        triage = None
        if told.safety is not None:
            known = {question.id for question in self._knowledge.safety.questions}
            self._known("safety", told.safety, known)
            found = screen(self._knowledge.safety, told.safety, patient.age_on(start.date()))
            made = screen_entry(found, told.safety, "", "", start)
            entries.append(type(made)(**{**vars(made), "uid": "screen", "visit": "v", "at": start}))
            triage = found.level
        case = Case(patient, (visit,), visit, tuple(entries), 1)
        return ReadCase(case, self._role(who.role), triage, told.schools)

    def _wrong(self, where: str, what: str) -> BadInput:
        return BadInput(f"“{self._name}”: {where} {what}.")

    def _known(self, where: str, names: Any, known: Any) -> None:
        for name in names:
            if name not in known:
                raise self._wrong(where, f"names “{name}”, which is not known")

    def _day(self, text: str, where: str) -> date:
        try:
            return date.fromisoformat(text)
        except ValueError as err:
            raise self._wrong(where, f"“{text}” is no day; write 2026-03-12") from err

    def _role(self, text: str) -> Role:
        try:
            return Role(text)
        except ValueError as err:
            known = ", ".join(role.value for role in Role)
            raise self._wrong("role", f"“{text}” is not known; one of {known}") from err

    def _side(self, text: str, where: str) -> Side:
        if text not in (Side.LEFT.value, Side.RIGHT.value, Side.NONE.value):
            raise self._wrong(where, f"has the side “{text}”; left, right or none")
        return Side(text)

    def _time(self, text: str, where: str, start: datetime, n: int) -> datetime:
        if not text:
            return start + timedelta(minutes=1 + n)
        try:
            at = datetime.fromisoformat(text)
        except ValueError as err:
            raise self._wrong(where, f"has the time “{text}”; write 2026-03-12T09:30:00+00:00") from err
        return at if at.tzinfo is not None else at.replace(tzinfo=UTC)

    def _observed(self, n: int, told: ObservationRecord, start: datetime) -> Observation:
        where = f"observation {n + 1}"
        measure = self._knowledge.measures.get(told.measure)
        if measure is None:
            raise self._wrong(where, f"names the measure “{told.measure}”, which is not known")
        self._known(f"{where}, setup,", told.setup, SETUP)
        side = self._side(told.side, where)
        if measure.paired and side is Side.NONE:
            raise self._wrong(where, f"needs a side: {told.measure} has two")
        trials = np.array(told.trials or ([] if told.value is None else [told.value]), dtype=np.float64)
        value: float | NotMeasured = NotMeasured("told", told.reason or "not measured")
        if told.value is not None:
            value = told.value
        elif trials.size:
            value = float(trials.mean())
        return Observation(
            told.measure,
            side,
            value,
            trials,
            "mean" if trials.size > 1 else "single",
            told.method,
            told.marking_sd,
            told.quality,
            setup=Setup(**told.setup),
            evidence=FrameRef(told.capture) if told.capture else None,
            pain=told.pain,
            uid=f"obs-{n}",
            visit="v",
            at=self._time(told.time, where, start, n),
        )

    def _answered(self, n: int, told: AnswerRecord, start: datetime) -> Answer:
        where = f"finding {n + 1}"
        test = self._knowledge.tests.get(told.test)
        if test is None:
            raise self._wrong(where, f"names the test “{told.test}”, which is not known")
        asked = {q.key: q.options for q in test.questions if q.ask is AnswerKind.CHOICE}
        if told.option not in asked.get(told.question, ()):
            raise self._wrong(where, f"“{told.question}: {told.option}” is no answer in {told.test}")
        at = self._time(told.time, where, start, n)
        side = self._side(told.side, where)
        return Answer(
            told.test, told.question, side, told.option, capture=told.capture, uid=f"ans-{n}", visit="v", at=at
        )


def conclusion_to_dict(read: ReadCase, found: Conclusion, next_of: Mapping[int, list[Option]]) -> dict[str, Any]:
    """What was concluded, as plain data: patterns with their balance sheets and next tests, or whom to refer."""
    return {
        "version": VERSION,
        "refer": found.refer,
        "patterns": [_pattern(one, read.role, next_of.get(n, [])) for n, one in enumerate(found.balances)],
        "responses": [
            {
                "measure": r.measure.id,
                "side": r.side.value,
                "change": r.change,
                "effect": r.effect.value,
                "gain": r.gain,
                "error": r.error,
                "drifted": r.drifted,
            }
            for r in found.found.responses
        ],
    }


def _pattern(one: PatternEvidence, role: Role, options: list[Option]) -> dict[str, Any]:
    return {
        "pattern": one.seen.pattern.id,
        "side": one.seen.side.value,
        "name": one.seen.name,
        "raised_by": [look.text for _, look in one.seen.raised],
        "factors": [
            {
                "factor": sheet.factor.id,
                "name": name_for(one, sheet.factor.id, role),
                "label": sheet.label.value,
                "what_to_train": sheet.trains,
                "score": round(sheet.score, 3),
                "follows": sheet.follows,
                "contradictory": sheet.contradictory,
                "lines": [
                    {
                        "speaks": chip.line.speaks,
                        "words": chip.line.words,
                        "text": chip.look.text,
                        "kind": chip.kind.value,
                        "weight": abs(chip.score),
                        "counted": chip.counted,
                        "source": chip.line.source,
                    }
                    for chip in sheet.fired
                ],
                "untested": [chip.line.words for chip in sheet.untested],
                "action": sheet.factor.action,
            }
            for sheet in one.sheets
        ],
        "next": [
            {
                "test": option.id,
                "name": option.name,
                "minutes": option.minutes,
                "moves": option.moves,
                "separates": option.separates,
                "factors": list(option.factors),
                "usefulness": round(option.usefulness, 4),
            }
            for option in options
        ],
    }
