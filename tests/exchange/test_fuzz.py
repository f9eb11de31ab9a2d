"""Nothing that a file or an option may hold ends in a traceback: a sentence and exit code 2, or a result."""

from __future__ import annotations

import json
import math

import numpy as np
import pytest
from click.testing import CliRunner
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tuning.cli import main
from tuning.core.errors import BadInput, TuningError
from tuning.core.movement import tasks
from tuning.core.movement.tasks import TASKS, Options
from tuning.core.movement.tracks import Tracks
from tuning.core.types import LEGS, Side
from tuning.core.units import FORCE_UNITS
from tuning.exchange.csv.mapping import Mapping, read_mapping
from tuning.exchange.csv.plates import read_table

ROWS = "time,left,right\n" + "".join(f"{n / 500:.3f},{500 + n % 7},{400 + n % 5}\n" for n in range(1500))
GOOD = {"encoding": "utf-8", "separator": ",", "decimal": ".", "header_rows": 1, "left": 1, "right": 2, "time": 0}

anything = st.one_of(
    st.none(), st.booleans(), st.integers(-3, 9), st.floats(), st.text(max_size=4),
    st.lists(st.integers(-1, 3), max_size=3), st.sampled_from([",", ";", "latin-1", "utf-99", "kg", "ms", "mm", "N"]),
)  # fmt: skip


@settings(suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.dictionaries(st.sampled_from([*Mapping.__dataclass_fields__, "odd"]), anything, max_size=6))
def test_a_mapping_is_read_or_refused_in_words(tmp_path, changed):
    path = tmp_path / "x.csv"
    path.write_text(ROWS)
    try:
        found = read_mapping({**GOOD, **changed})
    except BadInput as err:
        assert len(str(err)) > 15
        return
    columns = [n for n in (found.time, found.left, found.right, *(found.left_point or ()), *(found.right_point or ()))
               if n is not None]  # fmt: skip
    assert all(isinstance(n, int) and n >= 0 for n in columns) and len(set(columns)) == len(columns)
    assert found.unit in FORCE_UNITS and found.decimal in (".", ",") and len(found.separator) == 1
    try:
        read_table(path, found)
    except TuningError as err:
        assert len(str(err)) > 15


@pytest.mark.parametrize(
    ("key", "value"),
    [("unit", "stone"), ("encoding", "utf-99"), ("separator", ""), ("separator", ",;"), ("left", -1), ("left", 2),
     ("time", 1), ("rate", -5.0), ("rate", math.nan), ("header_rows", -1), ("decimal", "x"), ("time_unit", "min"),
     ("left", 1.5), ("left", True), ("point_unit", "ft"), ("left_point", [3]), ("left_point", [3, 3])],
)  # fmt: skip
def test_what_cannot_be_in_a_mapping_is_named(key, value):
    with pytest.raises(BadInput, match=r"mapping.*" + key):
        read_mapping({**GOOD, key: value})
    assert read_mapping(GOOD).left == 1


NAMES = sorted({f"{stem}_{side}" for stem in ("heel", "toe", "psis", "buttock", "knee_back", "asis", "knee", "ankle",
                                              "second_toe", "shoulder") for side in LEGS}
               | {"hip", "knee", "ankle", "heel", "toe", "shoulder", "bar_left", "bar_right"})  # fmt: skip


@st.composite
def degenerate(draw) -> Tracks:
    frames = draw(st.sampled_from([0, 1, 2, 3, 12, 200]))
    names = tuple(draw(st.sets(st.sampled_from(NAMES), max_size=len(NAMES))))
    kind = draw(st.sampled_from(["still", "lost", "noise", "one place", "half", "jumping"]))
    rng = np.random.default_rng(draw(st.integers(0, 99)))
    xy = rng.uniform(0, 700, (1, len(names), 2)) + np.zeros((frames, 1, 1))
    if kind == "noise":
        xy = rng.uniform(0, 700, (frames, len(names), 2))
    if kind == "one place":
        xy = np.full((frames, len(names), 2), 300.0)
    if kind == "jumping":
        xy = xy + 200 * (rng.random((frames, 1, 1)) > 0.5)
    quality = np.ones((frames, len(names)))
    if kind == "lost":
        quality[:] = 0.0
    if kind == "half":
        quality[rng.random(quality.shape) > 0.5] = 0.0
    xy = np.where(quality[..., None] > 0, xy, np.nan)
    return Tracks(names, np.arange(frames) / draw(st.sampled_from([25.0, 60.0, 240.0])), xy, quality)


@settings(deadline=None, max_examples=120)
@given(degenerate(), st.sampled_from(sorted(TASKS)), st.sampled_from([*LEGS, Side.NONE]))
def test_tracks_that_hold_no_movement_are_measured_or_refused_in_words(tracks, task, side):
    try:
        found = tasks.measure(tracks, task, Options(side=side, metres_per_px=0.002, mass_kg=70.0))
    except TuningError as err:
        assert len(str(err)) > 15
        return
    assert all(math.isfinite(v.value) for v in found.values)
    assert found.values or found.warnings, "either a number, or why there is none"


def run(*arguments):
    result = CliRunner().invoke(main, [str(a) for a in arguments])
    assert result.exception is None or isinstance(result.exception, SystemExit), result.exception
    return result


def still_tracks(tmp_path):
    path = tmp_path / "still.csv"
    rows = [f"{n},{n / 60:.4f},{name},{300 + 10 * k},{400 + k},1.0" for n in range(90) for k, name in enumerate(NAMES)]
    path.write_text("frame,time_s,landmark,x_px,y_px,quality\n" + "\n".join(rows) + "\n")
    return path


@pytest.mark.parametrize("task", sorted(set(TASKS) - {"bridge"}))  # a bar that lies still has a tilt
def test_nothing_measured_is_exit_code_two_with_the_reason(tmp_path, task):
    result = run("measure", still_tracks(tmp_path), "--task", task, "--side", "left")
    assert result.exit_code == 2 and len(result.output) > 20
    as_json = run("measure", still_tracks(tmp_path), "--task", task, "--side", "left", "--json")
    assert as_json.exit_code == 2


@pytest.mark.parametrize(
    ("option", "value"),
    [("--scale-mm-per-px", "-2"), ("--scale-mm-per-px", "0"), ("--mass-kg", "nan"), ("--mass-kg", "0"),
     ("--roll-deg", "90"), ("--load-kg", "-1"), ("--load-kg", "inf"), ("--turn-out-deg", "200"),
     ("--standing-tilt-deg", "nan"), ("--heel-mm", "1e9")],
)  # fmt: skip
def test_options_that_cannot_be_are_refused_by_name(tmp_path, option, value):
    result = run("measure", still_tracks(tmp_path), "--task", "rear-gait", option, value)
    assert result.exit_code == 2 and option in result.output and "between" in result.output


def test_a_file_of_the_plates_without_a_repetition_is_exit_code_two(tmp_path):
    path = tmp_path / "still.csv"
    path.write_text(ROWS)
    result = run("force", path, "--test", "squat-iso", "--json")
    assert result.exit_code == 2 and json.loads(result.stdout)["repetitions"] == []


def test_pixels_counted_from_the_middle_are_half_a_pixel_off_the_corner(tmp_path):
    from tuning.exchange.csv.tracks import read_points, read_tracks, write_tracks

    points = tmp_path / "p.json"
    points.write_text(json.dumps({"frame": 0, "points": {"knee": [10.0, 20.0]}}))
    [(_, corner)] = read_points(points)
    [(_, centre)] = read_points(points, origin="centre")
    assert corner["knee"].tolist() == [10.0, 20.0] and centre["knee"].tolist() == [10.5, 20.5]
    tracks = Tracks(("knee",), np.arange(3) / 60, np.full((3, 1, 2), 7.25), np.ones((3, 1)))
    write_tracks(tracks, tmp_path / "t.csv", origin="centre")
    assert ",6.750,6.750," in (tmp_path / "t.csv").read_text()
    assert read_tracks(tmp_path / "t.csv", origin="centre").xy[0, 0].tolist() == [7.25, 7.25]
    assert read_tracks(tmp_path / "t.csv").xy[0, 0].tolist() == [6.75, 6.75]
