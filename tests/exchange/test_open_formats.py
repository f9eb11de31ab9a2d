"""Values as CSV, a case as a FHIR bundle, marks as C3D points: written, read back, and read from elsewhere."""

from __future__ import annotations

import io
import json
import shutil
from dataclasses import replace
from datetime import date, timedelta
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner
from conftest import ODD, case_of
from hypothesis import given, settings
from hypothesis import strategies as st

from tuning.cli import main
from tuning.cli.fhir_import import take_over
from tuning.core.errors import BadInput, EnvironmentFault
from tuning.core.types import Observation, Side
from tuning.exchange.csv.observations import observations_csv
from tuning.exchange.json.fhir import bundle, read_bundle
from tuning.knowledge import load
from tuning.records import Record

KNOWLEDGE = load()
RUNGS = {rung.id: rung for ladder in KNOWLEDGE.ladders.values() for rung in ladder.rungs}


def test_values_as_csv_carry_unit_side_error_and_are_no_formulas(record):
    import csv

    case = case_of(record, "glassblower")
    rows = list(csv.DictReader(io.StringIO(observations_csv(case, KNOWLEDGE.measures))))
    assert len(rows) == len(case.all(Observation))
    left = next(
        r for r in rows if r["measure"] == "knee-to-wall" and r["side"] == "left" and r["value"].startswith("7")
    )
    assert (
        left["unit"] == "cm" and float(left["error_95"]) > 0 and left["error_source"] and left["trials"].count(" ") == 2
    )
    assert {r["simulated"] for r in rows} == {"yes", "no"}
    assert not any(cell.startswith(("=", "+", "@")) for r in rows for cell in r.values())


def test_a_bundle_is_valid_names_no_condition_and_comes_back(record, tmp_path):
    case = case_of(record, "glassblower")
    made = bundle(case, KNOWLEDGE.measures, RUNGS)
    kinds = [entry["resource"]["resourceType"] for entry in made["entry"]]
    assert {"Patient", "Observation", "Procedure", "CarePlan"} == set(kinds) and "Condition" not in kinds
    sides = [e["resource"] for e in made["entry"] if e["resource"].get("id") in {o.uid for o in case.all(Observation)}]
    by_uid = {o.uid: o for o in case.all(Observation)}
    for one in sides:
        seen = by_uid[one["id"]]
        text = one.get("bodySite", {}).get("text", "")
        assert (seen.side.value in text) == (seen.side in (Side.LEFT, Side.RIGHT)), one
    (tmp_path / "b.json").write_text(json.dumps(made))
    read = read_bundle(tmp_path / "b.json", KNOWLEDGE.measures)
    assert (read.name, read.birth_date, read.body_mass_kg) == (case.patient.name, case.patient.birth_date, 74.0)
    assert read.stature_m == pytest.approx(1.72)
    sent = [(o.measure_id, o.side, o.measured) for o in case.all(Observation) if o.measured is not None]
    for v in read.values:
        assert min(abs(w - v.value) for m, side, w in sent if (m, side) == (v.measure, v.side)) < 1e-4, v
    assert len(read.values) > 0.9 * len(sent)


FOREIGN = {
    "resourceType": "Bundle", "type": "collection",
    "entry": [
        {"resource": {"resourceType": "Patient", "id": "1", "name": [{"family": "Østby", "given": ["Kari"]}],
                      "birthDate": "1971-05-09", "gender": "female"}},
        {"resource": {"resourceType": "Observation", "id": "2", "status": "final", "effectiveDateTime": "2026-05-01",
                      "code": {"coding": [{"system": "http://loinc.org", "code": "29463-7"}]},
                      "valueQuantity": {"value": 68.5, "unit": "kg"}}},
        {"resource": {"resourceType": "Observation", "id": "3", "status": "final",
                      "effectiveDateTime": "2026-05-01T10:00:00Z", "bodySite": {"text": "left knee"},
                      "code": {"coding": [{"system": "urn:tuning:measure", "code": "knee-to-wall"}]},
                      "valueQuantity": {"value": 8.5, "unit": "cm"}}},
        {"resource": {"resourceType": "Observation", "id": "4", "status": "final",
                      "effectiveDateTime": "2026-05-01T10:00:00Z",
                      "code": {"text": "Haemoglobin"}, "valueQuantity": {"value": 14.1, "unit": "g/dL"}}},
    ],
}  # fmt: skip


def test_a_foreign_bundle_is_taken_over_once_and_what_is_unknown_stands_in_a_note(clinic, tmp_path):
    folder = Path(shutil.copytree(clinic, tmp_path / "clinic"))
    (tmp_path / "foreign.json").write_text(json.dumps(FOREIGN))
    for _ in range(2):
        run = CliRunner().invoke(main, ["import", str(folder), str(tmp_path / "foreign.json")])
        assert run.exit_code == 0, run.output
    record = Record(folder)
    [patient] = record.patients("kari østby")
    [visit] = record.visits(patient)
    case = record.case(patient.uid, visit.uid)
    [seen] = case.all(Observation)
    assert (seen.measure_id, seen.side, seen.value, seen.method) == ("knee-to-wall", Side.LEFT, 8.5, "imported")
    assert patient.body_mass_kg == 68.5 and any(
        "Haemoglobin: 14.1 g/dL" in e.text for e in case.entries if hasattr(e, "text")
    )
    assert record.check() == []
    record.close()


def test_a_persons_own_bundle_brings_nothing_anew(clinic, tmp_path):
    folder = Path(shutil.copytree(clinic, tmp_path / "clinic"))
    record = Record(folder)
    person, patient = record.people()[0], max(record.patients(), key=lambda one: len(record.visits(one)))
    before = record.check(), len(record.visits(patient))
    read = bundle_of(record, patient, tmp_path)
    _, visits, values = take_over(record, person, read)
    assert (visits, values) == (0, 0) and (record.check(), len(record.visits(patient))) == before
    assert read.values, "there was something to take"
    record.close()


def bundle_of(record, patient, tmp_path):
    case = record.case(patient.uid, record.visits(patient)[-1].uid)
    (tmp_path / "own.json").write_text(json.dumps(bundle(case, KNOWLEDGE.measures, RUNGS)))
    return read_bundle(tmp_path / "own.json", KNOWLEDGE.measures)


@pytest.mark.parametrize("step", [0, 1, 2])
def test_an_import_that_ends_in_the_middle_leaves_nothing_of_it(clinic, tmp_path, monkeypatch, step):
    """Three days of a stranger; the commit of one of them fails."""
    folder = Path(shutil.copytree(clinic, tmp_path / "clinic"))
    record = Record(folder)
    source = max(record.patients(), key=lambda one: len(record.visits(one)))
    read = bundle_of(record, source, tmp_path)
    days = [replace(one, at=one.at + timedelta(days=n % 3)) for n, one in enumerate(read.values)]
    read = replace(read, name="A Stranger", values=tuple(days))
    people, commit, calls = [p.name for p in record.patients()], Record.commit, []

    def failing(self, *args, **more):
        calls.append(1)
        if len(calls) == step + 1:
            raise EnvironmentFault("The disk is full.")
        return commit(self, *args, **more)

    monkeypatch.setattr(Record, "commit", failing)
    with pytest.raises(EnvironmentFault):
        take_over(record, record.people()[0], read)
    monkeypatch.setattr(Record, "commit", commit)
    assert [p.name for p in record.patients()] == people and record.check() == []
    _, visits, values = take_over(record, record.people()[0], read)
    assert visits >= 3 and values == len(days)
    record.close()


@pytest.mark.parametrize(
    ("weight", "height"),
    [
        ((154.0, "lb", None), (70.0, "in", None)),
        ((154.0, "pounds", "[lb_av]"), (70.0, "inches", "[in_i]")),
        ((69.853, "kg", "kg"), (177.8, "cm", "cm")),
        ((69.853, None, "kg"), (1.778, "m", None)),
    ],
)
def test_mass_and_height_of_another_country_are_the_same_person(tmp_path, weight, height):
    """154 lb are 69.853 kg, 70 in are 1.778 m (international pound and inch, exact)."""
    patient = {"resourceType": "Patient", "name": [{"text": "Ada Sund"}], "birthDate": "1980-02-01"}
    told = []
    for code, (value, unit, ucum) in (("29463-7", weight), ("8302-2", height)):
        quantity = {"value": value, "unit": unit, "code": ucum}
        told.append({
            "resourceType": "Observation", "status": "final",
            "code": {"coding": [{"system": "http://loinc.org", "code": code}]},
            "valueQuantity": {key: part for key, part in quantity.items() if part is not None},
        })  # fmt: skip
    file = tmp_path / "bundle.json"
    entries = [{"resource": one} for one in (patient, *told)]
    file.write_text(json.dumps({"resourceType": "Bundle", "type": "collection", "entry": entries}))
    read = read_bundle(file, KNOWLEDGE.measures)
    assert read.body_mass_kg == pytest.approx(69.853, abs=0.001) and read.stature_m == pytest.approx(1.778, abs=1e-6)


@settings(max_examples=80)
@given(where=st.lists(st.integers(0, 30), min_size=1, max_size=5), odd=ODD)
def test_a_bundle_of_any_shape_ends_in_a_sentence(tmp_path_factory, where, odd):
    data = json.loads(json.dumps(FOREIGN))
    spot, key = data, "entry"
    for step in where:
        inner = spot[key]
        if isinstance(inner, dict) and inner:
            spot, key = inner, sorted(inner)[step % len(inner)]
        elif isinstance(inner, list) and inner:
            spot, key = inner, step % len(inner)
    spot[key] = odd
    file = tmp_path_factory.mktemp("fhir") / "b.json"
    file.write_text(json.dumps(data))
    try:
        read = read_bundle(file, KNOWLEDGE.measures)
    except BadInput as err:
        assert str(err).endswith(".")
    else:
        assert read.name and read.birth_date <= date.today()


def test_marks_as_c3d_points_are_where_they_were_and_unseen_ones_are_none(tmp_path):
    import ezc3d

    from tuning.core.movement.tracks import Tracks
    from tuning.exchange.c3d.tracks import write_c3d

    times = np.arange(60) / 120
    left = np.stack([100 + np.arange(60.0), np.full(60, 400.0)], axis=1)
    right = np.stack([300 + np.arange(60.0), 410 + 3 * np.sin(np.arange(60.0))], axis=1)
    quality = np.full((60, 2), 0.9)
    quality[20:30, 1] = 0.1
    tracks = Tracks(("knee_left", "knee_right"), times, np.stack([left, right], axis=1), quality)
    write_c3d(tracks, tmp_path / "marks.c3d", height_px=720, mm_per_px=2.0)
    file = ezc3d.c3d(str(tmp_path / "marks.c3d"))
    assert file["parameters"]["POINT"]["LABELS"]["value"] == ["knee_left", "knee_right"]
    assert file["parameters"]["POINT"]["UNITS"]["value"] == ["mm"]
    assert file["header"]["points"]["frame_rate"] == pytest.approx(120, rel=1e-6)
    points = file["data"]["points"]
    assert np.allclose(points[0, 0], 2 * left[:, 0], atol=1e-3) and np.allclose(
        points[1, 0], 2 * (720 - 400), atol=1e-3
    )
    assert np.isnan(points[0, 1, 20:30]).all() and np.isfinite(points[0, 1, :20]).all()
    seen = [*range(20), *range(30, 60)]
    assert np.allclose(points[1, 1, seen], 2 * (720 - right[seen, 1]), atol=1e-3), "left is not right, up is up"
