"""A case without its person: names by code, dates shifted, words and pictures left out; and what may still tell."""

from __future__ import annotations

import hmac
from collections.abc import Callable, Mapping
from datetime import date, datetime, timedelta
from hashlib import sha256
from typing import Any

LEFT_OUT = "[left out]"
WORDS = {
    "note": ("text",), "treatment": ("what", "by"), "screen": ("note", "said"), "clearance": ("by", "result"),
    "plan": ("reason",), "decision": ("reason",), "answer": ("reason",), "observation": ("reason", "quality_reason"),
    "load": ("what",),
}  # fmt: skip
"""Fields of entries that hold typed words."""
DROPPED = ("capture", "letter", "mark", "calibration", "clip", "track", "form")
"""Entries that are pictures, rest on one, or are typed forms."""


def pseudonym(secret: bytes, uid: str) -> str:
    """A code for a uid: the same one in every export of this record, and telling nothing without its secret."""
    return f"P-{hmac.new(secret, uid.encode(), sha256).hexdigest()[:10]}"


def shift_of(secret: bytes, uid: str) -> int:
    """How many days a person's dates are moved back, 30 to 394: the same in every export of this record."""
    return 30 + int(hmac.new(secret, b"days " + uid.encode(), sha256).hexdigest()[:8], 16) % 365


def pseudonymised(data: Mapping[str, Any], secret: bytes) -> dict[str, Any]:
    """A dump without what names the person. Time between events and age stay true."""
    days = shift_of(secret, data["patient"]["uid"])

    def code(uid: str) -> str:
        """The pseudonym of a uid; an empty one stays."""
        return pseudonym(secret, uid) if uid else uid

    patient = data["patient"]
    return {
        "pseudonymised": True,
        "patient": {
            **patient, "uid": code(patient["uid"]), "name": code(patient["uid"]), "occupation": "", "complaint": "",
            "birth_date": _day(patient["birth_date"], days), "created_at": _stamp(patient["created_at"], days),
            "created_by": code(patient["created_by"]),
        },
        "people": [{**row, "uid": code(row["uid"]), "name": code(row["uid"]),
                    "created_at": _stamp(row["created_at"], days)} for row in data["people"]],
        "visits": [{**row, "uid": code(row["uid"]), "started_at": _stamp(row["started_at"], days),
                    "person": code(row["person"])} for row in data["visits"]],
        "media": [],
        "entries": [_entry(row, days, code) for row in data["entries"] if row["kind"] not in DROPPED],
        "trail": [],
    }  # fmt: skip


def _entry(row: Mapping[str, Any], days: int, code: Callable[[str], str]) -> dict[str, Any]:
    body = dict(row["body"])
    for name in WORDS.get(row["kind"], ()):
        if body.get(name):
            body[name] = LEFT_OUT
    if row["kind"] == "observation" and (body.get("evidence") or {}).get("of") == "frame":
        body.pop("evidence")
    if isinstance(body.get("value"), dict):
        body["value"] = {**body["value"], "detail": LEFT_OUT}
    for name in ("day", "on"):
        if body.get(name):
            body[name] = _day(body[name], days)
    if body.get("ends"):
        body["ends"] = {key: (datetime.fromisoformat(at) - timedelta(days=days)).isoformat()
                        for key, at in body["ends"].items()}  # fmt: skip
    if row["kind"] == "clearance":
        body["screen"] = code(body.get("screen", ""))
    struck = _stamp(row["struck_at"], days) if row["struck_at"] else None
    return {
        **{k: v for k, v in row.items() if k != "places"}, "uid": code(row["uid"]), "visit": code(row["visit"]),
        "person": code(row["person"]), "replaces": code(row["replaces"]), "at": _stamp(row["at"], days),
        "struck_at": struck, "medium": None, "body": body,
    }  # fmt: skip


def _day(text: str, days: int) -> str:
    return (date.fromisoformat(text) - timedelta(days=days)).isoformat()


def _stamp(text: str, days: int) -> str:
    moved = datetime.strptime(text, "%Y-%m-%d %H:%M:%S.%f") - timedelta(days=days)
    return moved.strftime("%Y-%m-%d %H:%M:%S.%f")


def may_identify(made: Mapping[str, Any], true: Mapping[str, Any]) -> list[str]:
    """What in a pseudonymised case could still tell who it is, in sentences; the last ones are always true."""
    text = str(made).casefold()
    person = true["patient"]
    names = [word for word in person["name"].split() if len(word) > 2]
    found = [f"the word “{word}” of the name still stands in it" for word in names if word.casefold() in text]
    found += [f"{who['name']}, who worked, is still named" for who in true["people"] if who["name"].casefold() in text]
    if person["birth_date"] in text:
        found.append("the birth date still stands in it")
    days = sorted({row["started_at"][:10] for row in true["visits"]})
    found += [f"the day {day} of a visit still stands in it" for day in days if day in text]
    given = [f"{name} {person[key]:g} {unit}" for key, name, unit in
             (("body_mass_kg", "mass", "kg"), ("stature_m", "stature", "m")) if person[key] is not None]  # fmt: skip
    found.append(f"age, sex, {', '.join([*given, 'the days between visits'])} are true and may be rare together")
    return found
