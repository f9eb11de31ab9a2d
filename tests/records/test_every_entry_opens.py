"""Nothing that can be saved may be unreadable: entries of every kind, drawn from their types, in a real record."""

import json
import types
import typing
from collections.abc import Mapping
from dataclasses import MISSING, fields, replace
from datetime import UTC, date, datetime
from enum import Enum

import numpy as np
import pytest
from desks import Desk, seen
from hypothesis import given, settings
from hypothesis import strategies as st

from tuning.core import entries as kinds
from tuning.core import payloads
from tuning.core.day_list_entry import overview
from tuning.core.errors import BadInput, TuningError
from tuning.core.programme.dose import Dose
from tuning.core.types import Entry, Side, Triage
from tuning.knowledge import load
from tuning.records import Record, audit_log, rows
from tuning.records.backup import backup, verify
from tuning.records.dbapi import sqlite
from tuning.records.entry_codec import KINDS

HEAD = {f.name for f in fields(Entry)}
NUMBERS = st.floats(allow_nan=False, allow_infinity=False)
TEXT = st.text(st.characters(codec="utf-8"), max_size=12)
PLAIN = st.recursive(
    st.none() | st.booleans() | st.integers(-(2**53), 2**53) | NUMBERS | TEXT,
    lambda inner: st.lists(inner, max_size=2) | st.dictionaries(TEXT, inner, max_size=2),
    max_leaves=4,
)
"""What JSON can say."""
MOMENTS = st.datetimes(datetime(1990, 1, 1), datetime(2090, 1, 1), timezones=st.just(UTC))


def drawn(hint) -> st.SearchStrategy:
    """Values of a type as the fields of an entry declare it."""
    origin, args = typing.get_origin(hint), typing.get_args(hint)
    if hint is typing.Any:
        return PLAIN
    if origin in (typing.Union, types.UnionType):
        return st.one_of(*map(drawn, args))
    if origin is tuple:
        return st.lists(drawn(args[0]), max_size=3).map(tuple) if args[-1] is ... else st.tuples(*map(drawn, args))
    if origin is Mapping:
        return st.dictionaries(drawn(args[0]), drawn(args[1]), max_size=3)
    if origin is np.ndarray:
        return st.lists(NUMBERS, max_size=3).map(lambda v: np.array(v, dtype=np.float64))
    known = {
        str: TEXT, int: st.integers(-(2**31), 2**31), float: NUMBERS, bool: st.booleans(), bytes: st.binary(max_size=4),
        date: st.dates(date(1900, 1, 1), date(2090, 1, 1)), datetime: MOMENTS, type(None): st.none(),
    }  # fmt: skip
    if hint in known:
        return known[hint]
    if issubclass(hint, Enum):
        return st.sampled_from(hint)
    return built(hint)


def built(kind) -> st.SearchStrategy:
    hints = typing.get_type_hints(kind)
    own = [f for f in fields(kind) if not issubclass(kind, Entry) or f.name not in HEAD | {"medium"}]
    must = {f.name: drawn(hints[f.name]) for f in own if f.default is MISSING and f.default_factory is MISSING}
    may = {f.name: drawn(hints[f.name]) for f in own if f.name not in must}
    return st.fixed_dictionaries(must, optional=may).map(lambda values: kind(**values))


def filled(kinds_of: Mapping[str, type], name: str, data: str, entry: type) -> st.SearchStrategy:
    """Decisions and forms of every subject and kind with what they hold, drawn from its class, too."""

    def one(key: str) -> st.SearchStrategy:
        kind = kinds_of[key]
        free = st.dictionaries(TEXT, PLAIN, max_size=3) if kind is payloads.Asked else built(kind).map(as_keys)
        return st.builds(lambda made, inside: replace(made, **{name: key, data: inside}), built(entry), free)

    return st.sampled_from(sorted(kinds_of)).flatmap(one)


def as_keys(payload) -> dict:
    return {f.name.rstrip("_"): getattr(payload, f.name) for f in fields(payload)}


WITHOUT_FILES = [kind for kind in KINDS.values() if "medium" not in {f.name for f in fields(kind)}]
DECIDED = filled(payloads.DECISIONS, "subject", "inputs", kinds.Decision)
TOLD = filled({k: v for k, v in payloads.FORMS.items() if k != "patient-facts"}, "kind", "data", kinds.Form)
PLANNED = st.builds(lambda item, dose: replace(item, dose=as_keys(dose)), built(kinds.PlanItem), built(Dose))
ANY = st.one_of(*map(built, WITHOUT_FILES), DECIDED, TOLD, PLANNED)


@pytest.fixture(scope="module")
def desk(tmp_path_factory):
    return Desk(tmp_path_factory.mktemp("any"))


def same(a, b) -> bool:
    return np.array_equal(a, b) if isinstance(a, np.ndarray) else a == b and type(a) is type(b)


def as_json(value):
    """What JSON makes of a tuple or a mapping of one's own."""
    return json.loads(json.dumps(value))


@settings(max_examples=150)
@given(entry=ANY)
def test_every_kind_and_field_comes_back_through_the_real_record(desk, entry):
    try:
        [before] = desk.keep(entry)
    except BadInput:  # told in a sentence before it was written
        assert isinstance(entry, kinds.Form | kinds.Decision | kinds.PlanItem)
        return
    after = desk.case.entry(before.uid)
    for field in fields(before):
        a, b = getattr(before, field.name), getattr(after, field.name)
        if field.name != "places":
            assert same(a, b) or (isinstance(a, Mapping) and as_json(a) == as_json(b)), field.name


@settings(max_examples=60)
@given(entries=st.lists(ANY, min_size=1, max_size=6))
def test_no_sequence_of_saves_gives_a_record_that_does_not_open(tmp_path_factory, entries):
    own = Desk(tmp_path_factory.mktemp("sequence"))
    for entry in entries:
        try:
            own.keep(entry)
        except BadInput:
            continue
    own.record.close()
    again = Desk(own.record.folder)
    assert len(again.case.entries) == len(again.record.case(again.patient.uid, again.visit.uid).entries)
    assert [
        overview(d, date(2026, 12, 1), load().progression, load().safety).need is not None
        for d in again.record.digests()
    ] == [True]
    assert [line for line in again.record.check() if "names a picture" not in line] == []
    again.record.close()


@settings(max_examples=150)
@given(entry=st.one_of(DECIDED, TOLD, PLANNED))
def test_whatever_is_decided_told_or_planned_is_taken_as_its_class_says(desk, entry):
    desk.keep(entry)


@pytest.mark.parametrize(
    "entry",
    [
        kinds.Decision("colour", "red"),
        kinds.Decision("dial", "3/3", {"zone": "wide", "kneecap": 3}),
        kinds.Decision("goal-closed", "closed", {}),
        kinds.Decision("phase", "load", {"from": "restore", "to": "load"}),
        kinds.Form("horoscope", {}),
        kinds.Form("plate-weight", {"newtons": "heavy", "sd": 1.0}),
        kinds.PlanItem("stepdown", "sd-1", {"sets": "many"}, Side.LEFT),
        kinds.PlanItem("stepdown", "sd-1", {}, Side.LEFT),
    ],
)
def test_what_no_class_knows_is_refused(desk, entry):
    before = len(desk.case.entries)
    with pytest.raises(BadInput):
        desk.keep(entry)
    assert len(desk.case.entries) == before


def test_a_fall_in_the_last_days_is_read_back_as_the_moment_at_which_it_ends(desk):
    ends = {"trauma": datetime(2026, 3, 4, 10, 30, tzinfo=UTC)}
    [screen] = desk.keep(kinds.Screen(Triage.AMBER, {"trauma": True}, ("trauma",), ends=ends))
    assert desk.case.entry(screen.uid).ends == ends


@pytest.mark.parametrize("value", [float("nan"), float("inf"), -float("inf")])
def test_what_is_no_number_is_refused_before_it_is_written(desk, value):
    """JSON has no word for it: one such body would hide everybody from the day list."""
    before = len(desk.case.entries)
    for entry in (seen(value), kinds.Form("intake-load", {"hours": value}), kinds.Note("strength", "\ud800")):
        with pytest.raises(BadInput):
            desk.keep(entry)
    assert len(desk.case.entries) == before
    assert len(desk.record.digests()) == 1


def _spoil(record: Record, uid: str, body: str) -> None:
    """A body as an older version may have written it: sound by its sum, and unreadable."""
    with sqlite.connect(record.file) as raw:
        raw.row_factory = sqlite.Row
        row = dict(raw.execute(f"{rows.ENTRIES} where entry.uid = ?", (uid,)).fetchone()) | {"body": body}
        raw.execute(
            "update entry set body = ?, sum = ? where uid = ?", (body, audit_log.sum_of(row, audit_log.ENTRY), uid)
        )
    raw.close()


def test_one_unreadable_entry_hides_neither_the_person_nor_the_list_and_is_said(tmp_path):
    own = Desk(tmp_path)
    kept = own.keep(seen(1.0), kinds.Screen(Triage.AMBER, {"night": True}, ("night",)), seen(2.0))
    for body in ('{"level": "PURPLE"}', '{"level": 3, "rules": 7}', "[1, 2]"):
        _spoil(own.record, kept[1].uid, body)
        again = Record(tmp_path)
        case = again.case(own.patient.uid, own.visit.uid)
        assert [e.uid for e in case.entries] == [e.uid for e in kept], "its place is kept"
        unread = case.entries[1]
        assert isinstance(unread, kinds.Unreadable) and unread.kind == "screen" and unread.why
        assert [d.patient.name for d in again.digests()] == [own.patient.name]
        assert any("cannot be read" in line for line in again.check())
        again.close()
    assert any("cannot be read" in line for line in verify(tmp_path))
    taken = backup(tmp_path, tmp_path.parent / "backups")  # the rest is worth saving
    assert any("cannot be read" in line for line in taken.unreadable)


def test_a_screen_that_cannot_be_read_locks_as_no_screen_does(tmp_path):
    from tuning.core.gate.open_findings import screening_status

    own = Desk(tmp_path)
    clean, red = own.keep(kinds.Screen(Triage.NONE), kinds.Screen(Triage.RED, {"saddle": True}, ("saddle",)))
    _spoil(own.record, red.uid, '{"level": "PURPLE"}')
    found = screening_status(Record(tmp_path).case(own.patient.uid, own.visit.uid).entries)
    assert found is not None and found.level is Triage.RED, "what is not known is not health"
    assert clean.level is Triage.NONE


def test_an_unreadable_entry_is_written_by_nobody(desk):
    with pytest.raises(TuningError):
        desk.keep(kinds.Unreadable("screen", "why"))


def test_facts_of_a_person_that_make_no_sense_are_refused(desk):
    for wrong in ({"birth_date": "yesterday"}, {"involved": "middle"}, {"nickname": "x"}, {"body_mass_kg": "heavy"}):
        with pytest.raises(BadInput):
            desk.keep(kinds.Form("patient-facts", wrong))
    assert desk.case.patient.birth_date == date(1990, 2, 28)
    desk.keep(kinds.Form("patient-facts", {"birth_date": "1991-03-01"}))
    assert desk.case.patient.birth_date == date(1991, 3, 1)
