"""The `tuning` command: what it prints, what it refuses, and how it ends."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner

from tuning.cli import folder_of, main
from tuning.core.movement.tracks import Tracks
from tuning.demo import simulated_plates as plates
from tuning.demo.camera import PinholeCamera
from tuning.demo.mannequin import build
from tuning.demo.motions import Squatter, squatting
from tuning.demo.simulated_plates import Faults, SimulatedPerson, heard
from tuning.exchange.csv.tracks import write_tracks


def run(*words: object):
    return CliRunner().invoke(main, [str(word) for word in words])


@pytest.fixture(scope="module")
def squat(tmp_path_factory) -> Path:
    """Exact tracks of a squat from the front, 30 frames a second."""
    times = np.arange(200) / 30
    seen = [
        build(squatting(Squatter(knee_in_right=8, shift=-0.02), t)).projected(PinholeCamera("front")) for t in times
    ]
    names = tuple(seen[0])
    xy = np.array([[s[n] for n in names] for s in seen])
    path = tmp_path_factory.mktemp("tracks") / "squat.csv"
    write_tracks(Tracks(names, times, xy, np.ones(xy.shape[:2])), path)
    return path


def test_a_record_is_checked_and_its_faults_are_named(demo_folder, tmp_path):
    folder = tmp_path / "clinic"
    shutil.copytree(demo_folder, folder)
    sound = run("check-record", folder)
    assert sound.exit_code == 0 and "The record is sound." in sound.output
    kept = next(path for path in (folder / "media").rglob("*") if path.suffix == ".csv")
    kept.write_text(kept.read_text() + "0,0,0\n")
    broken = run("check-record", folder)
    assert broken.exit_code == 1 and "is missing or changed" in broken.output and "sound" not in broken.output
    nothing = run("check-record", tmp_path / "no such folder")
    assert nothing.exit_code == 2


def test_building_the_demo_clinic_twice_leaves_the_first(demo_folder, tmp_path):
    folder = tmp_path / "clinic"
    shutil.copytree(demo_folder, folder)
    before = (folder / "record.sqlite").stat().st_mtime_ns
    again = run("demo", folder)
    assert again.exit_code == 0 and "Building" not in again.output
    assert (folder / "record.sqlite").stat().st_mtime_ns == before
    assert folder_of("record") != folder_of("demo-clinic"), "one's own record never lies in the demo clinic"


def test_measuring_tracks_prints_a_table_with_errors_or_the_same_as_json(squat):
    table = run("measure", squat, "--task", "front-squat", "--scale-mm-per-px", 2.2)
    assert table.exit_code == 0
    lines = [line for line in table.output.splitlines() if line.split()[0] == "squat-front-fppa"]
    assert len(lines) == 2 and all("±" in line and "SD" in line for line in lines)
    told = json.loads(run("measure", squat, "--task", "front-squat", "--scale-mm-per-px", 2.2, "--json").stdout)
    assert told["version"] == 1
    by_side = {s["side"]: s for s in told["summaries"] if s["measure"] == "squat-front-fppa"}
    assert by_side["right"]["mean"] > by_side["left"]["mean"] + 3, "the right knee was made to go in"
    for value in told["values"]:
        assert set(value) == {"measure", "side", "cycle", "value", "unit", "frame", "time_s"} and value["unit"]
    offsets = {s["measure"] for s in told["summaries"]}
    without = json.loads(run("measure", squat, "--task", "front-squat", "--json").stdout)
    assert offsets - {s["measure"] for s in without["summaries"]}, "centimetres need a scale"


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("measure", "{squat}", "--task", "handstand"), "is no task"),
        (("measure", "{folder}/none.csv", "--task", "front-squat"), "none.csv"),
        (("measure", "{squat}", "--task", "side-squat", "--plates", "{folder}/none.csv"), "none.csv"),
        (("force", "{folder}/none.csv", "--test", "jump"), "cannot be opened"),
        (("force", "{plates}", "--test", "handstand"), "is no test on the plates"),
        (("force", "{plates}", "--test", "lunge-iso"), "which leg"),
        (("force", "{plates}", "--test", "squat-iso", "--map", "{folder}/none.json"), "is not there"),
        (("track", "{folder}/none.mp4", "--points", "{folder}/none.json", "--out", "{folder}/o.csv"), "none"),
    ],
)
def test_what_cannot_be_done_is_one_sentence_without_a_traceback(squat, tmp_path, words, told):
    scene = plates.isometric(SimulatedPerson(), reps=1)
    left, right = heard(scene, Faults(), np.random.default_rng(1))
    table = np.column_stack([scene.times, left, right])
    path = tmp_path / "plates.csv"
    np.savetxt(path, table, fmt="%.3f", delimiter=",", header="time,left,right", comments="")
    places = {"squat": squat, "folder": tmp_path, "plates": path}
    done = run(*(word.format(**places) for word in words))
    assert done.exit_code == 2 and told in done.output
    assert "Traceback" not in done.output and len(done.output.strip().splitlines()) == 1
    assert not (tmp_path / "o.csv").exists()


def test_a_table_of_the_plates_says_what_is_not_measured(tmp_path):
    scene = plates.step_on_off(SimulatedPerson(), "left")
    left, right = heard(scene, Faults(), np.random.default_rng(2))
    path = tmp_path / "steps.csv"
    table = np.column_stack([scene.times, left, right])
    np.savetxt(path, table, fmt="%.3f", delimiter=",", header="time,left,right", comments="")
    done = run("force", path, "--test", "lunge-fast", "--side", "left", "--body-mass", 75)
    assert done.exit_code == 0 and "contact" in done.output and "n 3" in done.output
    assert "since the other foot carries force that the plate does not see: velocity" in done.output
    wrong = run("force", path, "--test", "lunge-fast", "--side", "right")
    assert "plates swapped?" in wrong.output
