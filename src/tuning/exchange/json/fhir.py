"""FHIR R4B bundles: a case out, a person with observations in. No Condition: nothing here is a diagnosis."""

from __future__ import annotations

import json
import math
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime
from pathlib import Path
from typing import Any

from tuning.core.case import Case
from tuning.core.entries import PlanItem, Treatment
from tuning.core.errors import BadInput
from tuning.core.judging.measures import Measure
from tuning.core.programme.active_plan import standing_plan
from tuning.core.programme.dose import Dose
from tuning.core.programme.ladders import Rung
from tuning.core.types import LEGS, NotMeasured, Observation, Side
from tuning.core.units import unit_suffix
from tuning.core.visit.notes import treatment_text
from tuning.exchange.csv.observations import error_95
from tuning.exchange.files import read_json

MEASURE, LOINC, UCUM = "urn:tuning:measure", "http://loinc.org", "http://unitsofmeasure.org"
WEIGHT, HEIGHT = "29463-7", "8302-2"
KILOGRAMMES = {"kg": 1.0, "lb": 0.45359237, "[lb_av]": 0.45359237}
METRES = {"cm": 0.01, "m": 1.0, "in": 0.0254, "[in_i]": 0.0254}
"""By what a unit of mass or height is multiplied, written or as the code of UCUM."""
CODES = {"°": "deg", "N": "N", "Nm": "N.m", "Nm/kg": "N.m/kg", "cm": "cm", "mm": "mm", "%": "%", "s": "s", "kg": "kg",
         "m/s": "m/s", "ms": "ms", "N/s": "N/s", "/min": "/min"}  # fmt: skip
"""UCUM codes of units; others travel as words alone."""
SEXES = {"female": "female", "male": "male", "": "unknown"}
MOST_BYTES = 64 << 20


def bundle(case: Case, measures: Mapping[str, Measure], rungs: Mapping[str, Rung]) -> dict[str, Any]:
    """A case as a collection bundle, checked against the models of the library. Raises BadInput if it were invalid."""
    from fhir.resources.R4B.bundle import Bundle

    entries = [_patient(case), *_body(case)]
    entries += [
        _observation(case, measures[o.measure_id], o) for o in case.all(Observation) if o.measure_id in measures
    ]
    entries += [_procedure(case, one) for one in case.all(Treatment)]
    plan = standing_plan(case.entries)
    if plan:
        entries.append(_plan(case, plan, rungs))
    whole = {
        "resourceType": "Bundle",
        "type": "collection",
        "timestamp": datetime.now(UTC).isoformat(timespec="seconds"),
        "entry": [{"fullUrl": f"urn:uuid:{one['id']}", "resource": one} for one in entries],
    }
    try:
        made = Bundle.model_validate(whole)
    except ValueError as err:
        raise BadInput(f"The case makes no valid FHIR bundle: {err}.") from err
    found: dict[str, Any] = json.loads(made.model_dump_json(exclude_none=True))
    return found


def _patient(case: Case) -> dict[str, Any]:
    p = case.patient
    return {"resourceType": "Patient", "id": p.uid, "name": [{"text": p.name}], "birthDate": p.birth_date.isoformat(),
            "gender": SEXES.get(p.sex, "other")}  # fmt: skip


def _of(case: Case) -> dict[str, str]:
    return {"reference": f"urn:uuid:{case.patient.uid}"}


def _body(case: Case) -> list[dict[str, Any]]:
    p = case.patient
    told_values = ((WEIGHT, "Body weight", p.body_mass_kg, "kg"),
                   (HEIGHT, "Body height", None if p.stature_m is None else 100 * p.stature_m, "cm"))  # fmt: skip
    return [
        {
            "resourceType": "Observation",
            "id": f"{p.uid}-{code}"[:64],
            "status": "final",
            "code": {"coding": [{"system": LOINC, "code": code, "display": name}]},
            "subject": _of(case),
            "effectiveDateTime": case.visit.started_at.isoformat(),
            "valueQuantity": _quantity(value, unit),
        }
        for code, name, value, unit in told_values
        if value is not None
    ]


DECIMALS = 6


def _quantity(value: float, unit: str) -> dict[str, Any]:
    known = {"system": UCUM, "code": CODES[unit]} if unit in CODES else {}
    return {"value": round(value, DECIMALS), "unit": unit or "1", **known}


def _observation(case: Case, measure: Measure, seen: Observation) -> dict[str, Any]:
    made: dict[str, Any] = {
        "resourceType": "Observation",
        "id": seen.uid,
        "status": "final",
        "code": {"coding": [{"system": MEASURE, "code": measure.id, "display": measure.name}], "text": measure.name},
        "subject": _of(case),
        "effectiveDateTime": seen.at.isoformat(),
    }
    if seen.side in LEGS:
        made["bodySite"] = {"text": " ".join(part for part in (seen.side.value, seen.setup.region) if part)}
    if seen.method:
        made["method"] = {
            "text": ", ".join(part for part in (seen.method, seen.setup.fixation, seen.setup.mode) if part)
        }
    if isinstance(seen.value, NotMeasured):
        made["dataAbsentReason"] = {"text": seen.value.detail}
    else:
        made["valueQuantity"] = _quantity(seen.value, measure.unit)
        error = error_95(measure, seen)
        words = (
            [f"95 % error {error:.3g}{unit_suffix(measure.unit)}: {measure.sem_source}"] if error is not None else []
        )
        words += ["from a simulated device"] if seen.setup.simulated else []
        if words:
            made["note"] = [{"text": "; ".join(words)}]
    if seen.trials.size > 1:
        made["component"] = [
            {"code": {"text": f"trial {n}"}, "valueQuantity": _quantity(float(v), measure.unit)}
            for n, v in enumerate(seen.trials, start=1)
        ]
    return made


def _procedure(case: Case, one: Treatment) -> dict[str, Any]:
    return {
        "resourceType": "Procedure",
        "id": one.uid,
        "status": "completed",
        "code": {"text": one.what},
        "subject": _of(case),
        "performedDateTime": one.at.isoformat(),
        "note": [{"text": treatment_text(one)}],
    }


def _plan(case: Case, plan: list[PlanItem], rungs: Mapping[str, Rung]) -> dict[str, Any]:
    items = [f"{rungs[i.rung].name}: {Dose(**i.dose).text}" if i.rung in rungs else i.rung for i in plan]
    return {
        "resourceType": "CarePlan", "id": f"{case.patient.uid}-plan"[:64], "status": "active", "intent": "plan",
        "subject": _of(case),
        "activity": [{"detail": {"status": "in-progress", "description": text}} for text in items],
    }  # fmt: skip


# in


@dataclass(frozen=True)
class Value:
    """An observation that is known here: measure, side, value in the unit of the measure, when."""

    measure: str
    side: Side
    value: float
    at: datetime


@dataclass(frozen=True)
class ReadBundle:
    """A person and the values that are known here; `unknown` tells the others in words."""

    name: str
    birth_date: date
    sex: str
    body_mass_kg: float | None
    stature_m: float | None
    values: tuple[Value, ...]
    unknown: tuple[str, ...]


def read_bundle(path: Path, measures: Mapping[str, Measure]) -> ReadBundle:
    """Read a bundle of one patient. Raises BadInput with what is wrong."""
    from fhir.resources.R4B.bundle import Bundle

    data = read_json(path, MOST_BYTES)
    if not isinstance(data, dict) or data.get("resourceType") != "Bundle":
        raise BadInput(f"“{path.name}” is no FHIR bundle.")
    try:
        Bundle.model_validate(data)
    except (ValueError, KeyError, TypeError, AttributeError) as err:  # the library trips over some shapes itself
        raise BadInput(f"“{path.name}” is no valid FHIR R4B bundle: {_first(err)}.") from err
    resources = [_dict(_dict(entry).get("resource")) for entry in _list(data.get("entry"))]
    people = [one for one in resources if one.get("resourceType") == "Patient"]
    if len(people) != 1:
        raise BadInput(f"“{path.name}” holds {len(people)} patients; one is read at a time.")
    reader = _Reader(measures)
    for one in resources:
        if one.get("resourceType") == "Observation":
            reader.observation(one)
    return reader.read_all(path, people[0])


def _dict(value: Any) -> dict[str, Any]:
    """An object, or an empty one: lists of FHIR may hold nothing in a place."""
    return value if isinstance(value, dict) else {}


def _list(value: Any) -> list[Any]:
    return value if isinstance(value, list) else []


def _first(err: Exception) -> str:
    return " ".join(str(err).split())[:200]


class _Reader:
    def __init__(self, measures: Mapping[str, Measure]) -> None:
        self._measures = measures
        self._mass: float | None = None
        self._stature: float | None = None
        self._values: list[Value] = []
        self._unknown: list[str] = []

    def observation(self, one: Mapping[str, Any]) -> None:
        """Take one in: a known measure, mass or stature, or a line of words."""
        codings = {(str(_dict(c).get("system")), str(_dict(c).get("code")))
                   for c in _list(_dict(one.get("code")).get("coding"))}  # fmt: skip
        quantity = _dict(one.get("valueQuantity"))
        value, unit = _number(quantity.get("value")), str(quantity.get("unit") or quantity.get("code") or "")
        units = (str(quantity.get("code")), unit)
        if value is None:
            self._tell(one, "no number")
        elif (LOINC, WEIGHT) in codings and (known := [KILOGRAMMES[u] for u in units if u in KILOGRAMMES]):
            self._mass = value * known[0]
        elif (LOINC, HEIGHT) in codings and (known := [METRES[u] for u in units if u in METRES]):
            self._stature = value * known[0]
        else:
            self._known(one, codings, value, unit)

    def _known(self, one: Mapping[str, Any], codings: set[tuple[Any, Any]], value: float, unit: str) -> None:
        measure = next((self._measures[c] for s, c in codings if s == MEASURE and c in self._measures), None)
        at = _moment(one.get("effectiveDateTime"))
        if measure is None or at is None or unit not in (measure.unit, CODES.get(measure.unit)):
            self._tell(one, f"{value:g} {unit}".strip())
            return
        words = str(_dict(one.get("bodySite")).get("text", "")).lower().split()
        side = next((leg for leg in LEGS if leg.value in words), Side.NONE)
        if measure.possible and not measure.possible[0] <= value <= measure.possible[1]:
            self._tell(one, f"{value:g} {unit}, which cannot be")
        elif measure.paired and side is Side.NONE:
            self._tell(one, f"{value:g} {unit}, without a side")
        else:
            self._values.append(Value(measure.id, side, value, at))

    def _tell(self, one: Mapping[str, Any], words: str) -> None:
        code = _dict(one.get("code"))
        coded = next((c.get("display") or c.get("code") for c in map(_dict, _list(code.get("coding")))), "something")
        name = code.get("text") or coded
        self._unknown.append(f"{name}: {words} ({str(one.get('effectiveDateTime', 'no date'))[:10]})")

    def read_all(self, path: Path, patient: Mapping[str, Any]) -> ReadBundle:
        """Everything that was taken in."""
        first = _dict(next(iter(_list(patient.get("name"))), None))
        parts = [*_list(first.get("given")), first.get("family")]
        name = str(first.get("text") or " ".join(str(part) for part in parts if part)).strip()
        try:
            born = date.fromisoformat(str(patient.get("birthDate", "")))
        except ValueError as err:
            raise BadInput(f"“{path.name}”: the patient has no whole birth date.") from err
        if not name or born > date.today():
            raise BadInput(f"“{path.name}”: the patient has no name, or a birth date that is in the future.")
        sex = patient.get("gender", "") if patient.get("gender") in ("female", "male") else ""
        return ReadBundle(
            name[:120], born, sex, self._mass, self._stature, tuple(self._values), tuple(self._unknown)
        )  # fmt: skip


def _number(value: Any) -> float | None:
    known = isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
    return float(value) if known else None


def _moment(text: Any) -> datetime | None:
    try:
        found = datetime.fromisoformat(str(text).replace("Z", "+00:00"))
    except ValueError:
        return None
    return found.astimezone(UTC) if found.tzinfo is not None else found.replace(tzinfo=UTC)
