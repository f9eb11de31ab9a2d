"""Hands-on, strength and by-eye tests, and those on the plates."""

from __future__ import annotations

from collections.abc import Mapping

from tuning.core.force.plate_errors import PlateErrors
from tuning.core.force.plate_tests import TESTS as PLATE_TESTS
from tuning.core.force.plate_tests import UNITS
from tuning.core.force.test_instructions import Advice
from tuning.core.gate.demands import DEMANDS
from tuning.core.judging.measures import Measure
from tuning.core.picture_views import PICTURE_KINDS
from tuning.core.programme.ladders import Ladder
from tuning.core.test_definitions import AnswerKind, TestDefinition
from tuning.knowledge.loaders.ladders import standing_soles
from tuning.knowledge.loaders.toml_reader import TomlReader


def load_tests(reading: TomlReader, measures: Mapping[str, Measure]) -> dict[str, TestDefinition]:
    """Every test by id, file after file in its own order."""
    tests: dict[str, TestDefinition] = {}
    for path in sorted((reading.folder / "tests").glob("*.toml")):
        tables = reading.toml(path)
        for raw in tables.get("test", []):
            table = {**tables.get("defaults", {}), **raw}
            where = f"{path.name}: {table.get('id', 'a test without id')}"
            test = reading.structure({"stage": path.stem, **table}, TestDefinition, where)
            if test is None:
                continue
            _look_at(reading, where, test, measures)
            if test.id in tests:
                reading.wrong(where, "another test already has this id")
            tests[test.id] = test
    reading.names("test", tests.values())
    return tests


def _look_at(reading: TomlReader, where: str, test: TestDefinition, measures: Mapping[str, Measure]) -> None:
    named = [m for q in test.questions for m in (q.measure, q.number, q.proposed_by)]
    reading.orphans(where, named, measures)
    reading.orphans(where, test.picture_kinds, PICTURE_KINDS)
    reading.orphans(where, test.demands, DEMANDS)
    if test.stage == "movement" and test.one_leg and not test.legs:
        reading.wrong(where, "say in legs what {side} and {other} do: standing, raised")
    if test.looks == bool(test.demands or test.maximal):
        reading.wrong(where, "say what it demands, or looks = true; not both")
    if test.score is not None:
        reading.orphans(where, [test.score.measure], measures)
        options = {q.key: q.options for q in test.questions if q.ask is AnswerKind.CHOICE}
        asked = [*test.score.points, *test.score.only, *(k for k in (test.score.region, test.score.height) if k)]
        reading.orphans(where, asked, options)
        if any(set(given) != set(options.get(key, ())) for key, given in test.score.points.items()):
            reading.wrong(where, "every option of a scored question needs its points")
    if any(not (q.key and q.options) if q.ask is AnswerKind.CHOICE else not q.measure for q in test.questions):
        reading.wrong(where, "a choice needs key and options, every other question a measure")


def load_plates(reading: TomlReader) -> dict[str, Advice]:
    """Advice for every test on the plates."""
    path = reading.folder / "plates.toml"
    by_id: dict[str, Advice] = {}
    for raw in reading.toml(path).get("test", []):
        where = f"{path.name}: {raw.get('id')}"
        advice = reading.structure(raw, Advice, where)
        if advice is None:
            continue
        reading.orphans(where, [advice.id], PLATE_TESTS)
        standing_soles(reading, where, advice.frames)
        reading.orphans(where, advice.demands, DEMANDS)
        if not advice.demands:
            reading.wrong(where, "say what it demands")
        if advice.id in by_id:
            reading.wrong(where, "another test already has this id")
        by_id[advice.id] = advice
        if advice.id in PLATE_TESTS and (advice.legs != PLATE_TESTS[advice.id].legs or not advice.frames):
            reading.wrong(where, "legs differ from the test, or no frame is drawn")
    for name in PLATE_TESTS:
        if name not in by_id:
            reading.wrong(path.name, f"“{name}” is missing")
    return by_id


def load_plate_errors(reading: TomlReader) -> PlateErrors | None:
    """How far the metrics of the plates may be off."""
    path = reading.folder / "plates.toml"
    errors = reading.structure(reading.toml(path).get("error"), PlateErrors, f"{path.name}: error")
    if errors is not None:
        reading.orphans(f"{path.name}: error", (*errors.percent, *errors.points), UNITS)
    return errors


def check_poses(reading: TomlReader, tests: Mapping[str, TestDefinition], ladders: Mapping[str, Ladder]) -> None:
    """A test that is drawn as an exercise names a rung, and a variant that it has."""
    rungs = {rung.id: rung for ladder in ladders.values() for rung in ladder.rungs}
    for test in tests.values():
        rung_id, _, variant = test.pose.partition("/")
        rung = rungs.get(rung_id)
        if test.pose and (rung is None or (variant and variant not in {pose.name for pose in rung.poses})):
            reading.wrong(f"{test.stage}.toml: {test.id}", f"pose “{test.pose}” is no rung with such a variant")
