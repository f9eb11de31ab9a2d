"""A case without its person: names by code, dates shifted, words and pictures left out; and what may still tell."""

from __future__ import annotations

import hmac
import re
from collections.abc import Callable, Collection, Mapping
from dataclasses import asdict, dataclass
from datetime import date, datetime, timedelta
from hashlib import sha256
from typing import Any

from tuning.core.payloads import DECISIONS

LEFT_OUT = "[left out]"
GOES: Mapping[str, tuple[str, ...]] = {
    "observation": ("measure_id", "side", "value", "trials", "summary_rule", "method", "marking_sd", "quality", "setup",
                    "evidence", "pain"),
    "capture": ("purpose", "view", "test", "side", "simulated"),
    "mark": ("capture", "frame", "name", "place", "sd_px"),
    "calibration": ("capture", "what", "ends", "sd_px", "length_m", "frame"),
    "track": ("capture", "task", "side", "names", "moved", "cutoff_hz"),
    "answer": ("test", "question", "side", "option", "looks", "ticked", "out_of", "under", "pain"),
    "ending": ("test", "side", "status"),
    "decision": ("subject", "outcome", "inputs", "side"),
    "screen": ("level", "answers", "rules", "again", "reds", "looks", "ends", "grounds", "same", "numbers", "until"),
    "clearance": ("screen", "on", "subject"),
    "plan": ("ladder", "rung", "dose", "first_side", "withdrawn", "variant", "routine"),
    "treatment": ("minutes",),
    "done": ("rung", "side", "day", "variant", "sets", "reps", "pain", "morning", "morning_pain", "faulty", "faults",
             "felt", "wrong", "alarms", "supervised", "trial", "cued", "source", "after_cut", "first_at", "dose"),
    "load": ("day", "amount", "unit", "effort", "settled"),
}  # fmt: skip
"""What of each kind of entry may leave: everything else was typed by somebody, or stays at home."""
MARKED: Mapping[str, tuple[str, ...]] = {
    "observation": ("reason", "quality_reason"), "answer": ("reason",), "decision": ("reason",), "plan": ("reason",),
    "screen": ("note", "said"), "clearance": ("by", "result"), "treatment": ("what", "by"), "load": ("what",),
}  # fmt: skip
"""Words in whose place it is said that they were left out: whether there were any matters."""
DROPPED = ("letter", "clip", "form", "note")
"""Entries that are documents or typed words."""
SETUP_WORDS = ("cue", "treatment")
"""Parts of how a value was taken that may be typed."""
PICTURES = ("capture", "mark", "calibration", "track")
"""Entries that are pictures or rest on one: they stay with a picture that has a copy without the face."""


@dataclass(frozen=True)
class MaskedCopy:
    """A copy of a picture in which the face is hidden; it takes the place of the picture."""

    sha256: str
    suffix: str
    size: int


def pseudonym(secret: bytes, uid: str) -> str:
    """A code for a uid: the same one in every export of this record, and telling nothing without its secret."""
    return f"P-{hmac.new(secret, uid.encode(), sha256).hexdigest()[:10]}"


def shift_of(secret: bytes, uid: str) -> int:
    """How many days a person's dates are moved back, 30 to 394: the same in every export of this record."""
    return 30 + int(hmac.new(secret, b"days " + uid.encode(), sha256).hexdigest()[:8], 16) % 365


NO_COPIES: Mapping[str, MaskedCopy] = {}


def pseudonymised(
    data: Mapping[str, Any], secret: bytes, masked: Mapping[str, MaskedCopy] = NO_COPIES
) -> dict[str, Any]:
    """A dump without what names the person. Time between events and age stay true.

    `masked` are copies without the face, by the hash of their picture; every other picture is left out.
    """
    days = shift_of(secret, data["patient"]["uid"])
    media = [row for row in data["media"] if row["sha256"] in masked]
    kept = {row["uid"] for row in media}
    shown = {row["uid"] for row in data["entries"] if row["kind"] == "capture" and row["medium"] in kept}

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
        "media": [{**row, **asdict(masked[row["sha256"]]), "uid": code(row["uid"]), "person": code(row["person"]),
                   "original_name": f"picture {n}{masked[row['sha256']].suffix}",
                   "added_at": _stamp(row["added_at"], days)} for n, row in enumerate(media, start=1)],
        "entries": [_entry(row, days, code) for row in data["entries"] if _stays(row, shown)],
        "trail": [],
    }  # fmt: skip


def _stays(row: Mapping[str, Any], shown: Collection[str]) -> bool:
    """Whether an entry may travel: none of words, none on a picture that shows a face."""
    if row["kind"] == "capture":
        return row["uid"] in shown
    if row["kind"] == "decision" and row["body"].get("subject") not in DECISIONS:
        return False
    return (
        row["kind"] in GOES
        and row["kind"] not in DROPPED
        and (row["kind"] not in PICTURES or row["body"].get("capture") in shown)
    )


def _entry(row: Mapping[str, Any], days: int, code: Callable[[str], str]) -> dict[str, Any]:
    kind, told = row["kind"], row["body"]
    body = {name: told[name] for name in GOES[kind] if name in told}
    body |= {name: LEFT_OUT for name in MARKED.get(kind, ()) if told.get(name)}
    if kind == "decision":
        goes = DECISIONS[told["subject"]].travels
        body["inputs"] = {key: value for key, value in (told.get("inputs") or {}).items() if key in goes}
    if "setup" in body:
        body["setup"] = {k: LEFT_OUT if k in SETUP_WORDS and v else v for k, v in body["setup"].items()}
    if kind == "observation" and (body.get("evidence") or {}).get("of") == "frame":
        body.pop("evidence")
    if isinstance(body.get("value"), dict):
        body["value"] = {**body["value"], "detail": LEFT_OUT}
    if body.get("first_at"):
        body["first_at"] = (datetime.fromisoformat(body["first_at"]) - timedelta(days=days)).isoformat()
    if body.get("until"):
        body["until"] = {key: _day(at, days) for key, at in body["until"].items()}
    for name in ("day", "on"):
        if body.get(name):
            body[name] = _day(body[name], days)
    if row["kind"] == "screen" and body.get("ends"):
        body["ends"] = {key: (datetime.fromisoformat(at) - timedelta(days=days)).isoformat()
                        for key, at in body["ends"].items()}  # fmt: skip
    if row["kind"] in PICTURES:
        body = {**body, "capture": code(body["capture"])} if body.get("capture") else body
    if row["kind"] == "clearance":
        body["screen"] = code(body.get("screen", ""))
    struck = _stamp(row["struck_at"], days) if row["struck_at"] else None
    kept = {k: v for k, v in row.items() if k != "places" or row["kind"] == "track"}
    coded = {name: code(row[name]) for name in ("uid", "visit", "person", "replaces")}
    medium = code(row["medium"]) if row["medium"] else None
    return {**kept, **coded, "at": _stamp(row["at"], days), "struck_at": struck, "medium": medium, "body": body}


def _day(text: str, days: int) -> str:
    return (date.fromisoformat(text) - timedelta(days=days)).isoformat()


def _stamp(text: str, days: int) -> str:
    moved = datetime.strptime(text, "%Y-%m-%d %H:%M:%S.%f") - timedelta(days=days)
    return moved.strftime("%Y-%m-%d %H:%M:%S.%f")


CODES = re.compile(r"p-[0-9a-f]{10}|[0-9a-f]{64}")
"""Pseudonyms and hashes: letters inside them are nobody's name."""


def may_identify(made: Mapping[str, Any], true: Mapping[str, Any]) -> list[str]:
    """What in a pseudonymised case could still tell who it is, in sentences; the last ones are always true."""
    text = CODES.sub("", str(made).casefold())
    person = true["patient"]
    names = [word for word in person["name"].split() if len(word) > 2]
    found = [f"the word “{word}” of the name is still in it" for word in names if word.casefold() in text]
    found += [f"{who['name']}, who worked, is still named" for who in true["people"] if who["name"].casefold() in text]
    if person["birth_date"] in text:
        found.append("the birth date is still in it")
    found += [f"the day {day} of a visit is still in it" for day in _unmoved_days(made, true)]
    given = [f"{name} {person[key]:g} {unit}" for key, name, unit in
             (("body_mass_kg", "mass", "kg"), ("stature_m", "stature", "m")) if person[key] is not None]  # fmt: skip
    found.append(f"age, sex, {', '.join([*given, 'the days between visits'])} are true and may be rare together")
    return found


def _unmoved_days(made: Mapping[str, Any], true: Mapping[str, Any]) -> list[str]:
    """Days of visits that stand in the case more often than moved days fall on them."""
    text, before = str(made), str(true)
    pairs = [(b["started_at"][:10], a["started_at"][:10]) for a, b in zip(made["visits"], true["visits"], strict=False)]
    days = max(((date.fromisoformat(day) - date.fromisoformat(moved)).days for day, moved in pairs), default=0)
    unmoved = {day for day, moved in pairs if day == moved}

    def falls_on(day: str) -> int:
        """How often a moved day may fall on this one by chance."""
        return before.count(_day(day, -days)) if days else 0

    return [day for day in sorted({day for day, _ in pairs}) if day in unmoved or text.count(day) > falls_on(day)]
