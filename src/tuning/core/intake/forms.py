"""Fields of a form: what may be typed into them and what is kept."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from tuning.core.errors import BadInput
from tuning.core.units import parse_number


class FieldKind(StrEnum):
    """What a field takes."""

    TEXT = "text"
    NUMBER = "number"
    CHOICE = "choice"
    DAY = "told day"  # as it was told, such as Sept 2026; how it is counted stands beside it


@dataclass(frozen=True)
class Field:
    """One field; `possible` bounds a number, `options` are the words of a choice."""

    id: str
    label: str
    kind: FieldKind = FieldKind.TEXT
    unit: str = ""
    possible: tuple[float, float] | None = None
    options: tuple[str, ...] = ()
    hint: str = ""

    @property
    def default(self) -> str:
        """What an untouched field holds."""
        return self.options[0] if self.options else ""


@dataclass(frozen=True)
class RowsField:
    """A list whose rows all have the same fields."""

    id: str
    label: str
    columns: tuple[Field, ...]


@dataclass(frozen=True)
class FormDefinition:
    """A form of single fields and lists."""

    fields: tuple[Field, ...]
    lists: tuple[RowsField, ...] = ()


def read_field(field: Field, text: str) -> str | float | None:
    """The value to keep: text as typed, a number in the unit of the field, None when empty.

    Raises BadInput with what would be accepted.
    """
    said = text.strip()
    if not said:
        return None
    if field.kind is FieldKind.CHOICE and said not in field.options:
        raise BadInput(f"{field.label}: choose one of {', '.join(field.options)}.")
    if field.kind is not FieldKind.NUMBER:
        return said
    value = parse_number(said, field.unit, {field.unit: 1.0}, field.label)
    if field.possible is not None and not field.possible[0] <= value <= field.possible[1]:
        low, high = field.possible
        unit = f" {field.unit}" if field.unit and field.unit[0] != "/" else ""
        raise BadInput(f"{field.label}: {said} is not possible; {low:g} to {high:g}{unit} is accepted.")
    return value
