"""Files that anybody may send: whatever stands in them, every reader ends in a sentence or in something sound."""

from __future__ import annotations

import json
import math
from dataclasses import asdict
from datetime import date
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tuning.cli import main
from tuning.core.errors import BadInput
from tuning.exchange.csv.detect_columns import preview
from tuning.exchange.csv.mapping import Mapping, read_mapping
from tuning.exchange.csv.tracks import read_points, read_tracks
from tuning.exchange.json.cases import read_case
from tuning.exchange.json.fhir import read_bundle
from tuning.exchange.json.home_log import read_home_log
from tuning.exchange.json.plan_log import decided, exercises, read_plan
from tuning.exchange.plates import read_plates
from tuning.knowledge import load

KNOWLEDGE = load()
CASES = sorted((Path(__file__).parents[2] / "docs" / "cases").glob("*.json"))
LOG = {
    "kind": "home-log",
    "owner": "x",
    "version": 2,
    "log": [{"day": "2026-11-20", "side": "left", "rung": "sd-1-hold-taps", "pain": 1}],
}
PLAN = {
    "version": 1, "today": "2026-11-28",
    "exercises": [{"rung": "sd-1-hold-taps", "line": ["sd-1-hold-taps", "sd-2-sit-back"], "since": "2026-11-01",
                   "sets": [{"day": "2026-11-20", "side": "left", "rung": "sd-1-hold-taps", "pain": 1}]}],
}  # fmt: skip
POINTS = {"frame": 0, "points": {"knee_left": [10.0, 20.0]}, "extra": [{"frame": 3, "points": {"hip_left": [1, 2]}}]}
ODD = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=12)),
    lambda inner: st.one_of(st.lists(inner, max_size=3), st.dictionaries(st.text(max_size=6), inner, max_size=3)),
    max_leaves=6,
)
STEPS = st.lists(st.integers(0, 50), min_size=1, max_size=6)
FUZZ = settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])


def changed(data, steps, odd):
    """A copy with one spot, found by walking in, put to something odd."""
    copy = json.loads(json.dumps(data))
    spot, key = {"": copy}, ""
    for step in steps:
        inner = spot[key]
        if isinstance(inner, dict) and inner:
            spot, key = inner, sorted(inner)[step % len(inner)]
        elif isinstance(inner, list) and inner:
            spot, key = inner, step % len(inner)
        else:
            break
    if key == "":
        return odd
    spot[key] = odd
    return copy


def tried(read, file: Path, data) -> object:
    """What reading gives; None where it ended in a sentence."""
    file.write_text(data if isinstance(data, str) else json.dumps(data), encoding="utf-8", errors="surrogatepass")
    try:
        return read(file)
    except BadInput as err:
        assert str(err).strip().endswith((".", "”", "?")), err
        return None


@FUZZ
@given(STEPS, ODD)
def test_a_home_log_of_any_shape(tmp_path, steps, odd):
    rungs = {"sd-1-hold-taps"}
    found = tried(
        lambda f: read_home_log(f, "x", rungs, date(2026, 11, 28)), tmp_path / "log.json", changed(LOG, steps, odd)
    )
    for line in found or ():
        assert line.rung in rungs and 0 <= line.pain <= 10 and line.day <= date(2026, 11, 28)


@FUZZ
@given(STEPS, ODD)
def test_a_plan_of_any_shape(tmp_path, steps, odd):
    told = tried(read_plan, tmp_path / "plan.json", changed(PLAN, steps, odd))
    if told is not None:
        from tuning.core.programme.progression_rules import decide

        for one, sets, around in exercises(told):
            json.dumps(decided(one, decide(one, sets, around, KNOWLEDGE.progression)))


@FUZZ
@given(st.sampled_from(CASES), STEPS, ODD)
def test_a_case_of_any_shape(tmp_path, case, steps, odd):
    data = json.loads(case.read_text())
    tried(lambda f: read_case(f, KNOWLEDGE), tmp_path / "case.json", changed(data, steps, odd))


@FUZZ
@given(STEPS, ODD)
def test_points_of_any_shape(tmp_path, steps, odd):
    found = tried(read_points, tmp_path / "points.json", changed(POINTS, steps, odd))
    for frame, places in found or ():
        assert frame >= 0 and all(np.isfinite(at).all() for at in places.values())


@FUZZ
@given(STEPS, ODD)
def test_a_mapping_of_any_shape(steps, odd):
    data = changed(json.loads(json.dumps(asdict(Mapping("utf-8", ",", ".", 1, 1, 2, 0)))), steps, odd)
    try:
        made = read_mapping(data)
    except BadInput as err:
        assert str(err).endswith(".")
    else:
        assert made.rate is None or math.isfinite(made.rate)


TABLE = "time,left,right\n" + "\n".join(f"{n / 1000:.3f},{400 + n % 7},{390 + n % 5}" for n in range(60))
TRACKS = "frame,time_s,landmark,x_px,y_px,quality\n" + "\n".join(
    f"{n},{n / 60:.4f},knee_left,{100 + n},{200},0.9" for n in range(20)
)
MESS = st.sampled_from(
    ['"', "\0", ",", ";", "\t", "\n", "\r", "nan", "inf", "-1e999", "é", "\ufeff", "''", "=1+1", "x" * 500, ""]
)


@FUZZ
@given(st.sampled_from([TABLE, TRACKS]), st.lists(st.tuples(st.integers(0, 2000), st.integers(0, 5), MESS), max_size=6))
def test_tables_with_anything_typed_into_them(tmp_path, text, harms):
    for at, cut, mess in harms:
        at %= len(text) + 1
        text = text[:at] + mess + text[at + cut :]
    file = tmp_path / "table.csv"
    tried(preview, file, text)
    recording = tried(read_plates, file, text)
    if recording is not None:
        assert all(np.isfinite(f).all() for f in recording.force.values()) and recording.rate > 0
    tracks = tried(read_tracks, file, text)
    if tracks is not None:
        assert np.isfinite(tracks.times).all()


@FUZZ
@given(st.binary(max_size=400))
def test_bytes_of_any_kind(tmp_path, data):
    for read, name in ((read_plates, "x.csv"), (read_tracks, "x.csv"), (read_points, "x.json"), (read_plan, "x.json"),
                       (lambda f: read_case(f, KNOWLEDGE), "x.json")):  # fmt: skip
        (tmp_path / name).write_bytes(data)
        with pytest.raises(BadInput):
            read(tmp_path / name)


READERS = {
    "points": read_points,
    "case": lambda file: read_case(file, KNOWLEDGE),
    "plan": read_plan,
    "log": lambda file: read_home_log(file, "x", ("sd-1-hold-taps",), date(2026, 11, 28)),
    "bundle": lambda file: read_bundle(file, KNOWLEDGE.measures),
    "map": lambda file: force_map(file),
}


def force_map(file: Path) -> None:
    """The mapping that is given to the command line. Raises BadInput with what that says."""
    table = file.with_suffix(".csv")
    table.write_text("time,left,right\n" + "".join(f"{n / 500},{500 + n % 7},{400 + n % 5}\n" for n in range(900)))
    done = CliRunner().invoke(main, ["force", str(table), "--test", "quiet-stance", "--map", str(file)])
    assert isinstance(done.exception, SystemExit) and done.exit_code == 2
    raise BadInput(done.output.strip())


@pytest.mark.parametrize("reader", READERS)
@pytest.mark.parametrize(
    "text",
    ["[" * 100_000, '{"frame": 0, "frame": 1}', "\udcff", "", "{", "null", "3", '"x"', "[]", '[{"frame": 0}]'],
    ids=["deep", "twice", "no text", "empty", "cut", "null", "number", "word", "list", "in a list"],
)
def test_what_is_no_such_file_is_refused_by_every_reader(tmp_path, reader, text):
    file = tmp_path / "sent.json"
    file.write_text(text, encoding="utf-8", errors="surrogateescape")
    with pytest.raises(BadInput) as told:
        READERS[reader](file)
    assert "sent.json" in str(told.value) or reader == "map", told.value
    with pytest.raises(BadInput, match=r"is not there|cannot be"):
        READERS[reader](tmp_path / "nowhere.json")


def test_a_byte_order_mark_is_no_part_of_what_a_file_says(tmp_path):
    file = tmp_path / "points.json"
    file.write_text(json.dumps(POINTS), encoding="utf-8-sig")
    assert read_points(file)[0][1]["knee_left"] == pytest.approx([10, 20])
