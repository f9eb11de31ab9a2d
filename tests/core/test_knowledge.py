"""Knowledge files: what is shipped is sound; what is broken is refused by file, key and reason."""

import ast
import shutil
import tomllib
from copy import deepcopy
from dataclasses import fields, is_dataclass
from functools import lru_cache
from pathlib import Path
from typing import get_args, get_type_hints

import pytest

import tuning
from tuning.core.errors import KnowledgeError
from tuning.core.judging.measures import Compare, Measure
from tuning.knowledge import FOLDER, load
from tuning.knowledge.knowledge import Knowledge
from tuning.knowledge.loaders import toml_reader

_parsed = lru_cache(tomllib.loads)


def parsed(text: str) -> dict:
    """All files but one are as shipped: read once."""
    return deepcopy(_parsed(text))


def test_every_number_of_every_measure_names_its_source():
    for measure in load().measures.values():
        assert isinstance(measure.compare, Compare)
        assert measure.compare is Compare.ALONE or measure.sem_source
        assert measure.band is None or measure.band_source
        assert measure.definition and measure.sign
    assert {f.name for f in fields(Measure)} >= {"sem", "band", "reference"}


@pytest.mark.parametrize(
    ("file", "old", "new", "told"),
    [
        (
            "measures/movement.toml",
            "sem = 1.3",
            'sem = "wide"',
            ["movement.toml", "gait-pelvic-tilt", "not a number"],
        ),
        ("measures/movement.toml", "sem = 1.3", "sem = -1", ["movement.toml", "gait-pelvic-tilt", "above zero"]),
        ("measures/movement.toml", "sem = 1.3", "sem = 1.3\ncolour = 3", ["movement.toml", "colour"]),
        ("measures/mobility.toml", "[knee-to-wall]", "[pain-now]", ["mobility.toml", "pain-now", "another file"]),
        ("measures/movement.toml", 'compare = "value"', 'compare = "guess"', ["movement.toml", "compare"]),
        ("measures/movement.toml", 'within = "gait-bkh-deviation"', 'within = "nothing"', ["gait-bkh", "nothing"]),
        ("measures/movement.toml", "[gait-pelvic-tilt]", "[gait-pelvic-tilt", ["movement.toml", "cannot be read"]),
        ("ladders/stepdown.toml", 'faults = ["F01"', 'faults = ["F99"', ["stepdown.toml", "sd-1", "F99"]),
        ("ladders/stepdown.toml", "40/70/35/5; F 63/10", "40/20/35/5; F 63/10", ["stepdown.toml", "hip = trunk"]),
        ("ladders/stepdown.toml", 'measure = "knee-to-wall"', 'measure = "toe"', ["sd-3", "toe"]),
        ("ladders/stepdown.toml", 'id = "sd-2-sit-back"', 'id = "sd-1-hold-taps"', ["two rungs"]),
        ("ladders/stepdown.toml", 'purpose = "Learn the shape', 'porpoise = "Learn', ["stepdown.toml", "purpose"]),
        (
            "measures/mobility.toml",
            'finding = "smaller"',
            'finding = "left"',
            ["mobility.toml", "“larger” or “smaller”"],
        ),
        ("tests/standing.toml", 'number = "psis-level"', 'number = "psis"', ["standing.toml: psis-level", "psis"]),
        ("tests/mobility.toml", 'picture_kinds = ["wall"]', 'picture_kinds = ["door"]', ["knee-to-wall", "door"]),
        ("tests/movement.toml", 'key = "felt"', 'koy = "felt"', ["movement.toml", "koy"]),
        ("tests/movement.toml", 'id = "wall-sit"', 'id = "band-walk"', ["band-walk", "already has this id"]),
        (
            "levels_chain.toml",
            'id = "no-row"\ncrease = "any"',
            'id = "no-row"\ncrease = "level"',
            ["no row catches", "low"],
        ),
        ("levels_chain.toml", "typed = 11.0, ", "", ["levels_chain.toml", "typed"]),
        ("levels_chain.toml", "[5, 10, 20]", "[5, 20, 10]", ["levels_chain.toml", "rise"]),
        ("posture.toml", '"hip - shoulder" =', '"hip - neck" =', ["posture.toml: sway-back", "neck"]),
        ("posture.toml", "sway-back", "slouch", ["posture.toml", "slouch"]),
        ("soles.toml", "zone_gap = 2", "", ["soles.toml", "zone_gap"]),
        ("plates.toml", "peak = 4,", "peek = 4,", ["plates.toml: error", "peek"]),
        ("safety.toml", 'all = ["saddle"]', 'all = ["sadle"]', ["safety.toml", "sadle"]),
        ("safety.toml", 'level = "RED"', 'level = "PINK"', ["safety.toml", "PINK"]),
        (
            "intake.toml",
            'kind = "number", unit = "h/day"',
            'kind = "hours", unit = "h/day"',
            ["intake.toml: history", "hours"],
        ),
        ("plates.toml", 'id = "jump"', 'id = "hop"', ["plates.toml", "jump", "missing"]),
        ("plates.toml", 'demands = ["weight", "fast", "hip", "knee", "ankle"]', 'demands = ["air"]', ["jump", "air"]),
        ("plates.toml", 'demands = ["weight", "fast", "hip", "knee", "ankle"]', "demands = []", ["jump", "demands"]),
        ("tests/mobility.toml", 'demands = ["hip", "knee", "turn"]', "", ["figure4-shin", "demands"]),
        ("tests/standing.toml", "looks = true", "looks = false", ["standing.toml", "demands"]),
        ("ladders/stepdown.toml", "demands = [", "demands = []  # [", ["demands"]),
        ("safety.toml", 'bars = ["prone"]', 'bars = ["prune"]', ["pregnant", "prune"]),
        ("safety.toml", 'all = ["night"]', "all = []", ["night", "everybody"]),
        ("plates.toml", '"20/80/80/20"', '"20/80/40/20"', ["plates.toml: squat-iso", "hip = trunk"]),
        ("plates.toml", "legs = 1", "legs = 2", ["plates.toml", "stance-one-leg", "legs differ"]),
        (
            "order.toml",
            'plates = "jump"',
            'plates = "jump"\ndemands = ["fast"]',
            ["plates-jump", "plates.toml"],
        ),
        ("cautions.toml", 'rules = ["dizzy"]', 'rules = ["giddy"]', ["cautions.toml", "falls", "giddy"]),
        ("progression.toml", "strict = 2, monitored = 5", "strict = 2", ["progression.toml", "school"]),
        ("ladders/wide.toml", '"groin-strain"', '"groin-sprain"', ["groin-sprain"]),
    ],
)
def test_a_broken_file_is_named(tmp_path: Path, monkeypatch, file, old, new, told):
    monkeypatch.setattr(toml_reader.tomllib, "loads", parsed)
    folder = tmp_path / "knowledge"
    shutil.copytree(FOLDER, folder)
    text = (folder / file).read_text()
    assert old in text
    (folder / file).write_text(text.replace(old, new, 1))
    with pytest.raises(KnowledgeError) as error:
        load(folder)
    for part in told:
        assert part in str(error.value)


READ_BY_THE_LOADER = {("Pattern", "deficit")}
"""The loader writes the lines of pain inhibition from it."""


def _kinds(hint: object) -> list[type]:
    found = [hint] if is_dataclass(hint) and isinstance(hint, type) else []
    return found + [kind for part in get_args(hint) for kind in _kinds(part)]


def test_no_field_of_the_knowledge_is_loaded_and_never_read():
    """A caution nobody reads is a defect. A name is read where any module but the loaders takes it from an object."""
    kinds, todo = set(), [Knowledge]
    while todo:
        kind = todo.pop()
        if kind not in kinds:
            kinds.add(kind)
            todo += [inner for hint in get_type_hints(kind).values() for inner in _kinds(hint)]
    files = [path for path in Path(tuning.__file__).parent.rglob("*.py") if "loaders" not in path.parts]
    read = {
        node.attr for path in files for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.Attribute) and isinstance(node.ctx, ast.Load)
    }  # fmt: skip
    dead = {(kind.__name__, f.name) for kind in kinds for f in fields(kind) if f.name not in read}
    assert len(kinds) > 40 and dead == READ_BY_THE_LOADER
