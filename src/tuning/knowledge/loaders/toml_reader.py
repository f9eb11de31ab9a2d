"""Reads TOML into core types and notes what breaks a rule, by file, key and reason."""

from __future__ import annotations

import tomllib
from collections.abc import Iterable
from pathlib import Path
from typing import Any, TypeVar

import cattrs
import cattrs.v

from tuning.core.intake.forms import FieldKind
from tuning.core.judging.measures import Compare, Measure
from tuning.core.pose import BodyPosition, PoseFrame, parse_frame
from tuning.core.programme.ladders import Sides
from tuning.core.programme.phases import Phase
from tuning.core.programme.rules import PainPolicy
from tuning.core.reasoning.rules import EvidenceKind, Pattern, SideMapping, SignCondition
from tuning.core.standing.posture import Posture, SpineCurve
from tuning.core.test_definitions import AnswerKind, TestDefinition
from tuning.core.types import Triage

T = TypeVar("T")
SHORT = 24
"""Letters that a chip, a curve or the head of a column has room for."""


def _converter() -> cattrs.Converter:
    converter = cattrs.Converter(forbid_extra_keys=True)

    def number(value: Any, _: Any) -> float:
        if isinstance(value, bool) or not isinstance(value, int | float):
            raise ValueError("is not a number")
        return float(value)

    def text(value: Any, _: Any) -> str:
        if not isinstance(value, str):
            raise ValueError("is not text")
        return value

    converter.register_structure_hook(float, number)
    converter.register_structure_hook(str, text)
    # The hook for str would otherwise catch enumerations of words, too.
    for words in (
        Compare,
        AnswerKind,
        Triage,
        FieldKind,
        Posture,
        SpineCurve,
        SignCondition,
        SideMapping,
        EvidenceKind,
        Sides,
        Phase,
        BodyPosition,
        PainPolicy,
    ):
        converter.register_structure_hook(words, lambda value, kind: kind(value))
    converter.register_structure_hook(PoseFrame, lambda value, _: parse_frame(value))
    return converter


_CONVERTER = _converter()


def _reason(err: BaseException, kind: Any) -> str:
    """Our own sentences as they are; the library's words for the rest."""
    return str(err) if type(err) is ValueError else cattrs.v.format_exception(err, kind)


class TomlReader:
    """A pass over the files of a folder; `problems` grows, nothing is raised."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.problems: list[str] = []

    def wrong(self, where: str, reason: str) -> None:
        """Note a problem."""
        self.problems.append(f"{where}: {reason}")

    def toml(self, path: Path) -> dict[str, Any]:
        """A file as tables; empty when it cannot be read."""
        try:
            return tomllib.loads(path.read_text(encoding="utf-8"))
        except (OSError, ValueError) as err:
            self.wrong(path.name, f"cannot be read ({err})")
            return {}

    def structure(self, data: Any, kind: type[T], where: str) -> T | None:
        """A table as a core type; None, and the problem noted, when it does not fit."""
        try:
            return _CONVERTER.structure(data, kind)
        except Exception as err:
            self.problems += cattrs.transform_error(err, path=where, format_exception=_reason)
            return None

    def orphans(self, where: str, named: Iterable[str], known: Iterable[str]) -> None:
        """Note every name that is not known."""
        there = set(known)
        for name in named:
            if name and name not in there:
                self.wrong(where, f"unknown id “{name}”")

    def names(self, kind: str, things: Iterable[Measure | TestDefinition | Pattern]) -> None:
        """Note what has no word for a patient, no short name where it needs one, or the name of another."""
        seen: dict[str, str] = {}
        for one in things:
            where = f"{kind} {one.id}"
            if not one.plain:
                self.wrong(where, "needs plain: what a patient reads")
            if len(one.short or one.name) > SHORT:
                self.wrong(where, f"needs short: a name of at most {SHORT} letters")
            if one.name in seen:
                self.wrong(where, f"has the name of {seen[one.name]}")
            seen[one.name] = one.id
