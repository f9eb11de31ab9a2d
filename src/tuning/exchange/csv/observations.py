"""Every value as one line of a tidy CSV, and beside it what each measure is."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from pathlib import Path

from tuning.core.case import Case
from tuning.core.judging.comparison import error_parts, trials_averaged
from tuning.core.judging.measures import Measure
from tuning.core.judging.verdict import error_of_value
from tuning.core.types import NotMeasured, Observation
from tuning.exchange.files import write_whole

COLUMNS = (
    "person", "visit", "visit_date", "time", "measure", "name", "side", "region", "value", "unit", "error_95",
    "error_source", "trials", "trial_sd", "summary", "method", "pain", "not_measured", "setup", "simulated", "by",
    "entry",
)  # fmt: skip
DEFINITIONS = (
    "measure", "name", "unit", "stage", "definition", "sign", "compared", "sem", "sem_source", "band", "band_source",
)  # fmt: skip


def error_95(measure: Measure, seen: Observation) -> float | None:
    """The 95 % error of one value in the unit of the measure; None where none is known."""
    if measure.sem <= 0 or seen.measured is None:
        return None
    error = error_of_value(error_parts(measure, seen), trials_averaged(seen))
    return abs(seen.measured) * error / 100 if measure.in_percent else error


def observations_csv(case: Case, measures: Mapping[str, Measure]) -> str:
    """All standing observations of a case, one a line, oldest first. Decimal points; empty where nothing is known."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(COLUMNS)
    dates = {visit.uid: visit.started_at for visit in case.visits}
    for seen in case.all(Observation):
        measure = measures.get(seen.measure_id)
        if measure is None:
            continue
        error = error_95(measure, seen)
        setup = {k: v for k, v in asdict(seen.setup).items() if v not in ("", None, False) and k != "region"}
        writer.writerow([
            case.patient.uid, seen.visit, f"{dates[seen.visit].date()}", seen.at.isoformat(), measure.id, measure.name,
            seen.side.value, _text(seen.setup.region), "" if seen.measured is None else repr(seen.measured),
            measure.unit, "" if error is None else f"{error:.6g}", measure.sem_source if error is not None else "",
            " ".join(repr(float(v)) for v in seen.trials), f"{seen.spread:.6g}" if seen.trials.size > 1 else "",
            seen.summary_rule, seen.method, "" if seen.pain is None else seen.pain,
            _text(seen.value.detail) if isinstance(seen.value, NotMeasured) else "",
            json.dumps(setup, ensure_ascii=False) if setup else "", "yes" if seen.setup.simulated else "no",
            _text(seen.who), seen.uid,
        ])  # fmt: skip
    return out.getvalue()


def definitions_csv(measures: Mapping[str, Measure], used: Sequence[str]) -> str:
    """What each used measure is, with its error and band and their sources."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(DEFINITIONS)
    for key in dict.fromkeys(used):
        if key in measures:
            m = measures[key]
            percent = " %" if m.in_percent else f" {m.unit}"
            sem, band = (f"{v:g}{percent}" if v else "" for v in (m.sem, m.band))
            writer.writerow([m.id, m.name, m.unit, m.stage, m.definition, m.sign, m.formula, sem,
                             m.sem_source, band, m.band_source])  # fmt: skip
    return out.getvalue()


def write_observations(case: Case, measures: Mapping[str, Measure], target: Path) -> Path:
    """Write the values to `target` and the definitions beside it, whose path is returned. Raises EnvironmentFault."""
    beside = target.with_name(f"{target.stem}-definitions.csv")
    used = [seen.measure_id for seen in case.all(Observation)]
    write_whole(definitions_csv(measures, used).encode(), beside, "The definitions")
    write_whole(observations_csv(case, measures).encode(), target, "The values")
    return beside


def _text(typed: str) -> str:
    """Typed words that a spreadsheet would run as a formula get an apostrophe before them."""
    return f"'{typed}" if typed[:1] in ("=", "+", "-", "@", "\t", "\r") else typed
