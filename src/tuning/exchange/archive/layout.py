"""How an archive is laid out, and the limits of what is read."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

VERSION = 1
CASE, SCHEMA, SUMS = "case.json", "case.schema.json", "SHA256SUMS"
MEDIA = re.compile(r"media/([0-9a-f]{64})(\.[a-z0-9]{1,8})?")
MOST_MEMBERS, MOST_JSON, MOST_TOTAL = 5_000, 256 << 20, 64 << 30
"""Members, bytes of the JSON, bytes of everything: far beyond any person (practice judgement, editable)."""

_TEXT, _UID = {"type": "string"}, {"type": "string", "minLength": 1, "maxLength": 36}
_STAMP = {"type": "string", "pattern": r"^\d{4}-\d{2}-\d{2} \d{2}:\d{2}:\d{2}\.\d{6}$"}
_MAYBE = {"type": ["number", "null"]}


def _object(required: Mapping[str, Any], optional: Mapping[str, Any] | None = None) -> dict[str, Any]:
    return {
        "type": "object",
        "properties": {**required, **(optional or {})},
        "required": list(required),
        "additionalProperties": False,
    }


def _list(of: Mapping[str, Any]) -> dict[str, Any]:
    return {"type": "array", "items": dict(of)}


def schema() -> dict[str, Any]:
    """The published JSON Schema (draft 2020-12) of case.json."""
    patient = _object({
        "uid": _UID, "name": _TEXT, "birth_date": {"type": "string", "pattern": r"^\d{4}-\d{2}-\d{2}$"}, "sex": _TEXT,
        "body_mass_kg": _MAYBE, "stature_m": _MAYBE, "dominant_hand": _TEXT, "dominant_leg": _TEXT,
        "complaint": _TEXT, "involved": {"enum": ["left", "right", "both", "none"]}, "occupation": _TEXT,
        "created_at": _STAMP, "created_by": _UID,
    })  # fmt: skip
    medium = _object({
        "uid": _UID, "sha256": {"type": "string", "pattern": "^[0-9a-f]{64}$"},
        "suffix": {"type": "string", "pattern": r"^(\.[a-z0-9]{1,8})?$"}, "original_name": _TEXT,
        "size": {"type": "integer", "minimum": 0}, "added_at": _STAMP, "person": _UID,
    })  # fmt: skip
    entry = _object(
        {
            "uid": _UID, "kind": _TEXT, "visit": _UID, "at": _STAMP, "person": _UID,
            "medium": {"type": ["string", "null"]}, "replaces": _TEXT, "struck_at": {"type": ["string", "null"]},
            "body": {"type": "object"},
        },
        {"places": _TEXT},
    )  # fmt: skip
    line = _object({"at": _STAMP, "who": _TEXT, "what": _TEXT, "subject": _TEXT, "detail": {"type": "object"}})
    whole = _object({
        "format": {"const": "tuning-case"}, "version": {"const": VERSION}, "patient": patient,
        "people": _list(_object({"uid": _UID, "name": _TEXT, "role": _TEXT, "created_at": _STAMP})),
        "visits": _list(_object({"uid": _UID, "started_at": _STAMP, "person": _UID})),
        "media": _list(medium), "entries": _list(entry), "trail": _list(line),
    }, {"pseudonymised": {"type": "boolean"}})  # fmt: skip
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Case archive of Tuning", **whole}
