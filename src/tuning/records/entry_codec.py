"""Entries of the core as rows and back: the one place that knows how an entry is written down."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import fields
from datetime import date, datetime
from functools import cache
from typing import Any

import cattrs
import numpy as np
from cattrs.gen import make_dict_structure_fn, make_dict_unstructure_fn, override

from tuning.core import entries, payloads
from tuning.core.entries import Medium, Unreadable
from tuning.core.errors import BadInput
from tuning.core.programme.dose import Dose
from tuning.core.types import (
    UNWRITTEN,
    Entry,
    Evidence,
    Floats,
    FormRef,
    FrameRef,
    NotMeasured,
    Observation,
    Setup,
    Side,
    TraceRef,
)

KINDS: dict[str, type[Entry]] = {
    "observation": Observation,
    "capture": entries.Capture,
    "mark": entries.Mark,
    "calibration": entries.Calibration,
    "clip": entries.ClipFacts,
    "track": entries.Track,
    "answer": entries.Answer,
    "ending": entries.Ending,
    "form": entries.Form,
    "decision": entries.Decision,
    "screen": entries.Screen,
    "clearance": entries.Clearance,
    "plan": entries.PlanItem,
    "note": entries.Note,
    "treatment": entries.Treatment,
    "done": entries.Done,
    "load": entries.OtherLoad,
    "letter": entries.Letter,
}
"""Names in the file; they stay, whatever the classes are called."""
HOLD_MEDIA = (entries.Capture, entries.Letter)
"""Entries that hold a kept file."""
NAMES = {kind: name for name, kind in KINDS.items()}
_HEAD = tuple(f.name for f in fields(Entry))
"""What stands in columns of its own."""
_APART = {"medium", "places"}
"""Fields of some entries that stand in tables of their own."""


def _converter() -> cattrs.Converter:
    made = cattrs.Converter(omit_if_default=True)
    made.register_unstructure_hook(date, lambda day: day.isoformat())
    made.register_structure_hook(date, lambda text, _: date.fromisoformat(text))
    made.register_structure_hook(datetime, lambda text, _: datetime.fromisoformat(text))
    made.register_structure_hook(
        float | NotMeasured,
        lambda value, _: NotMeasured(**value) if isinstance(value, dict) else float(value),
    )
    made.register_unstructure_hook(
        float | NotMeasured,
        lambda value: {"reason": value.reason, "detail": value.detail} if isinstance(value, NotMeasured) else value,
    )
    refs: dict[str, type] = {"frame": FrameRef, "trace": TraceRef, "form": FormRef}
    tags = {kind: tag for tag, kind in refs.items()}
    made.register_structure_hook(
        Evidence | None,
        lambda value, _: (
            made.structure({k: v for k, v in value.items() if k != "of"}, refs[value["of"]]) if value else None
        ),
    )
    made.register_unstructure_hook(
        Evidence | None, lambda value: None if value is None else {"of": tags[type(value)], **made.unstructure(value)}
    )
    return made


@cache
def _converter_of(name: str) -> cattrs.Converter:
    """What reads and writes one kind; made when the first of it is met, as most starts meet few kinds."""
    kind = KINDS[name]
    own = {f.name for f in fields(kind)}
    skipped = {name: override(omit=True) for name in (*_HEAD, *_APART) if name in own}
    if "trials" in own:  # arrays are not compared with a usual value
        skipped["trials"] = override(omit_if_default=False, unstruct_hook=_numbers)
    _CONVERTER.register_unstructure_hook(
        kind,
        make_dict_unstructure_fn(kind, _CONVERTER, _cattrs_omit_if_default=True, **skipped),  # type: ignore[arg-type]
    )
    _CONVERTER.register_structure_hook(kind, make_dict_structure_fn(kind, _CONVERTER, **_read(kind)))
    return _CONVERTER


def _read(kind: type[Entry]) -> dict[str, Any]:
    """Columns are put in beside the body, as they are."""
    own = {f.name for f in fields(kind)}
    read = {name: override(struct_hook=lambda value, _: value) for name in (*_HEAD, *(_APART & own))}
    if "trials" in own:
        read["trials"] = override(struct_hook=lambda value, _: np.asarray(value, dtype=np.float64))
    return read


def _numbers(array: Floats) -> list[float]:
    return [float(v) for v in array]


_CONVERTER = _converter()


def entry_to_dict(entry: Entry) -> str:
    """What an entry says, as JSON.

    Raises BadInput for what could be written and not be read again: no kind of entry, no number, half a character.
    """
    if type(entry) not in NAMES:
        raise BadInput("Not saved: this is no kind of entry. Nothing was changed.")
    plain = _converter_of(NAMES[type(entry)]).unstructure(entry)
    if wrong := _wrong_payload(entry, strict=True):
        raise BadInput(f"Not saved: {wrong}. Nothing was changed.")
    try:
        said = json.dumps(plain, allow_nan=False)
        if "\\ud" in said:  # half a pair of a character: JSON lets it pass, SQLite and files do not
            json.dumps(plain, ensure_ascii=False).encode()
    except (ValueError, TypeError) as err:
        raise BadInput("Not saved: it holds what is no number, or half a character. Nothing was changed.") from err
    return said


def entry_of(name: str, head: dict[str, Any], said: dict[str, Any], medium: Medium | None = None) -> Entry:
    """The entry again. Raises ValueError when kind or body make no sense."""
    kind = KINDS.get(name)
    if kind is None:
        raise ValueError(f"“{name}” is no kind of entry")
    extra = {"medium": medium} if kind in HOLD_MEDIA else {}
    try:
        made: Entry = _converter_of(name).structure({**said, **head, **extra}, kind)
    except Exception as err:  # the library groups whatever went wrong; to us it is one thing
        raise ValueError(f"{name}: {'; '.join(cattrs.transform_error(err))}") from err
    if wrong := _wrong_payload(made):
        raise ValueError(f"{name}: {wrong}")
    return made


def _wrong_payload(entry: Entry, strict: bool = False) -> str:
    """What makes no sense in a decision, form or dose; of an older or newer version only what is there is looked at."""
    try:
        if isinstance(entry, entries.Decision):
            _payload(payloads.DECISIONS, entry.subject, entry.inputs, strict)
        elif isinstance(entry, entries.Form):
            _payload(payloads.FORMS, entry.kind, entry.data, strict)
        elif isinstance(entry, entries.PlanItem) and (entry.dose or strict):
            (_STRICT if strict else _LENIENT).structure(dict(entry.dose), Dose)
    except Exception as err:  # the library groups whatever went wrong; to us it is one thing
        return "; ".join(cattrs.transform_error(err)) if isinstance(err, cattrs.BaseValidationError) else str(err)
    return ""


def _payload(known: Mapping[str, type[payloads.Payload]], name: str, data: Mapping[str, Any], strict: bool) -> None:
    kind = known.get(name)
    if kind is None:
        if strict:
            raise ValueError(f"“{name}” is nothing that can be decided or recorded")
        return
    if not all(isinstance(key, str) for key in data):
        raise ValueError("a key is no text")
    if kind is not payloads.Asked:
        (_STRICT if strict else _LENIENT).structure(dict(data), kind)


def _plain_converter(strict: bool) -> cattrs.Converter:
    made = cattrs.Converter(forbid_extra_keys=strict)

    def exactly(*kinds: type) -> Callable[[Any, Any], Any]:
        def read(value: Any, _: Any) -> Any:
            if not isinstance(value, kinds) or (isinstance(value, bool) and bool not in kinds):
                raise ValueError(f"{value!r} is no {kinds[-1].__name__}")
            return value

        return read

    for kind, kinds in ((str, (str,)), (bool, (bool,)), (int, (int,)), (float, (int, float))):
        made.register_structure_hook(kind, exactly(*kinds))
    for payload in {*payloads.DECISIONS.values(), *payloads.FORMS.values()}:
        renamed: dict[str, Any] = {f.name: override(rename="from") for f in fields(payload) if f.name == "from_"}
        hook = make_dict_structure_fn(payload, made, _cattrs_forbid_extra_keys=strict, **renamed)
        made.register_structure_hook(payload, hook)
    return made


_STRICT, _LENIENT = _plain_converter(True), _plain_converter(False)


def unreadable(name: str, head: dict[str, Any], why: str) -> Unreadable:
    """What stands in the place of an entry that cannot be read."""
    return Unreadable(name, why, **head)


def readable(name: str, said: dict[str, Any]) -> None:
    """Whether a body can be read as an entry of its kind. Raises ValueError."""
    head = {"uid": "", "visit": "", "person": "", "who": "", "replaces": "", "at": UNWRITTEN}
    if not isinstance(said, dict):
        raise ValueError(f"{name}: the body is no object")
    entry_of(name, head, said, Medium("", "", "", "", 0))


__all__ = ["KINDS", "NAMES", "Setup", "Side", "entry_to_dict", "entry_of"]
