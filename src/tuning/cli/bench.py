"""The command that tells how far readings can be trusted: reliability."""

from __future__ import annotations

import json
import math
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from tuning.cli.errors import run_or_exit

if TYPE_CHECKING:
    from tuning.core.types import Floats
    from tuning.exchange.csv.ratings import Ratings


@click.command()
@click.argument("ratings", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print everything as JSON.")
@click.option("--log", is_flag=True, help="Errors grow with the value: read ratios.")
@click.option("--grades", is_flag=True, help="Values are whole grades: weighted kappa as well.")
def reliability(ratings: Path, as_json: bool, log: bool, grades: bool) -> None:
    """ICC, SEM, MDC95 and limits of agreement of RATINGS, a table with columns target, rater, value, trial."""

    def run() -> None:
        from tuning.exchange.csv.ratings import read_ratings

        told = _told(read_ratings(ratings), log, grades)
        click.echo(json.dumps(_finite(told), indent=2, allow_nan=False) if as_json else "\n".join(_lines(told)))

    run_or_exit(run)


def _told(read: Ratings, log: bool, grades: bool) -> dict[str, Any]:
    """Between raters where there are several, and within each rater who has several trials."""
    from tuning.core.errors import BadInput

    raters, (targets, table, left_out) = read.names(1), read.by_rater()
    told: dict[str, Any] = {"targets": len(targets), "raters": raters, "left_out": left_out}
    if len(raters) > 1:
        told["between_raters"] = _of_table(table, log, grades)
    trials = {rater: read.of_rater(rater) for rater in raters}
    within = {
        rater: _of_table(one, log, grades) | {"left_out": lost}
        for rater, (one, lost) in trials.items()
        if one.shape[1] > 1
    }
    if within:
        told["within_rater"] = within
    if len(told) == 3:
        raise BadInput("Every target was read once only; a second rater or a second trial is needed.")
    return told


def _of_table(table: Floats, log: bool, grades: bool) -> dict[str, Any]:
    from tuning.core.bench.reliability import limits_of_agreement, reliability, weighted_kappa
    from tuning.core.types import NotMeasured

    found = reliability(table, log)
    if isinstance(found, NotMeasured):
        return {"not_measured": found.detail}
    told = asdict(found)
    if table.shape[1] == 2:
        pair = limits_of_agreement(table[:, 0], table[:, 1], log)
        told["limits_of_agreement"] = {"not_measured": pair.detail} if isinstance(pair, NotMeasured) else asdict(pair)
        if grades:
            kappa = weighted_kappa(table[:, 0], table[:, 1])
            told["weighted_kappa"] = {"not_measured": kappa.detail} if isinstance(kappa, NotMeasured) else asdict(kappa)
    return told


def _finite(told: Any) -> Any:
    """The same with null for what no number tells: JSON knows no NaN."""
    if isinstance(told, dict):
        return {key: _finite(value) for key, value in told.items()}
    return None if isinstance(told, float) and not math.isfinite(told) else told


def _lines(told: dict[str, Any]) -> list[str]:
    lines = [f"{told['targets']} targets, raters: {', '.join(told['raters'])}"]
    if told["left_out"]:
        lines.append(f"Left out, since not every rater read them: {told['left_out']}.")
    parts = [("Between raters", told["between_raters"])] if "between_raters" in told else []
    parts += [(f"Within {rater}", one) for rater, one in told.get("within_rater", {}).items()]
    for name, one in parts:
        if "not_measured" in one:
            lines.append(f"{name}: not measured, {one['not_measured']}.")
            continue
        lines.append(f"{name}: {one['targets']} targets, {one['readings']} readings each, 95 % intervals in brackets")
        lines += [
            f"  ICC({form}) {r['value']:.2f} ({r['low']:.2f} to {r['high']:.2f})" for form, r in one["icc"].items()
        ]
        unit = " times" if one["log"] else " (unit of the values)"
        for kind in ("agreement", "consistency"):
            lines.append(
                f"  SEM, {kind}: {one[f'sem_{kind}']:.3g}{unit}; MDC95 (1.96 √2 SEM) {one[f'mdc95_{kind}']:.3g}{unit}"
            )
        pair = one.get("limits_of_agreement", {})
        if "bias" in pair:
            low, high = pair["low"]["value"], pair["high"]["value"]
            difference = "second over first" if one["log"] else "second minus first"
            lines.append(f"  {difference} {pair['bias']['value']:.3g}, 95 % of differences {low:.3g} to {high:.3g}")
        if "value" in one.get("weighted_kappa", {}):
            lines.append(f"  weighted kappa {one['weighted_kappa']['value']:.2f} (squared weights)")
    return lines
