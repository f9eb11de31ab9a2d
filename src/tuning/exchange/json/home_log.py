"""The log that a patient kept on the page: lines by day, rung and side, read with care."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from dataclasses import fields
from datetime import date
from hashlib import sha256
from pathlib import Path
from typing import Any

import cattrs

from tuning.core.entries import Done
from tuning.core.errors import BadInput
from tuning.core.programme.log_mapping import ALARMS
from tuning.core.programme.progression_state import LoggedSet
from tuning.core.types import Side
from tuning.exchange.files import read_json
from tuning.exchange.json.plan_log import plain_converter

VERSION, KIND = 2, "home-log"
MOST_BYTES, MOST_LINES = 5_000_000, 20_000
HOME = "home"


def owner_mark(patient: str) -> str:
    """What tells one person's log from another's and names nobody: a short sum of the patient's uid."""
    return sha256(f"{KIND} {patient}".encode()).hexdigest()[:16]


def read_home_log(path: Path, owner: str, rungs: Collection[str], today: date) -> list[Done]:
    """Lines of the file as entries, oldest first. Raises BadInput with what is wrong; nothing is taken in part.

    `owner` is the mark of the person whose log it has to be.
    """
    told = read_json(path, MOST_BYTES)
    if not isinstance(told, dict) or told.get("kind") != KIND or told.get("version") != VERSION:
        raise BadInput(f"“{path.name}” is no home log of version {VERSION}.")
    if told.get("owner") != owner:
        raise BadInput(f"“{path.name}” is the log of somebody else; nothing was taken in.")
    lines = told.get("log")
    if not isinstance(lines, list) or len(lines) > MOST_LINES:
        raise BadInput(f"“{path.name}”: its log is no list of up to {MOST_LINES} lines.")
    return sorted((_line(path, n, line, rungs, today) for n, line in enumerate(lines, 1)), key=lambda d: d.day)


def _line(path: Path, number: int, line: Any, rungs: Collection[str], today: date) -> Done:
    where = f"“{path.name}”, line {number}"
    known = {f.name for f in fields(LoggedSet)} - {"supervised", "answered", "past", "after_cut"}
    if not isinstance(line, dict) or not set(line) <= known:
        raise BadInput(f"{where}: it may hold {', '.join(sorted(known))}.")
    try:
        one = plain_converter().structure(line, LoggedSet)
    except Exception as err:
        raise BadInput(f"{where}: {'; '.join(cattrs.transform_error(err, path='line')[:3])}.") from err
    if one.rung not in rungs:
        raise BadInput(f"{where}: “{one.rung}” is no exercise of this plan.")
    if one.pain is None:
        raise BadInput(f"{where}: say the worst pain, 0 to 10; what nobody said is not 0.")
    pains = (one.pain, one.morning_pain or 0)
    if one.day > today or not all(0 <= p <= 10 for p in pains) or not 0 <= one.faulty <= 100:
        raise BadInput(f"{where}: a day ahead, pain beyond 0-10, or a share beyond 100 %.")
    alarms = tuple(name for name in ALARMS if getattr(one, name.replace(" ", "_")))
    return Done(
        rung=one.rung, side=Side(one.side), day=one.day, pain=one.pain, morning=one.morning,
        morning_pain=one.morning_pain, faulty=one.faulty, felt=one.felt, wrong=one.wrong, alarms=alarms, source=HOME,
    )  # fmt: skip


def only_new(read: Iterable[Done], standing: Iterable[Done]) -> tuple[list[Done], list[tuple[Done, Done]]]:
    """What the record does not hold yet, and what says something else than a home line that it holds (new, old).

    A line is known by day, rung and side: the same file twice adds nothing, and no clinic line is touched.
    """
    held = {(d.day, d.rung, d.side): d for d in standing if not d.trial}
    added, changed = [], []
    for one in read:
        old = held.get((one.day, one.rung, one.side))
        if old is None:
            added.append(one)
        elif old.source == HOME and _said(old) != _said(one):
            changed.append((one, old))
    return added, changed


def _said(done: Done) -> tuple[Any, ...]:
    return (done.pain, done.morning, done.morning_pain, done.faulty, done.felt, done.wrong, done.alarms)
