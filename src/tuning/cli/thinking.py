"""Commands that draw conclusions from files: reason, plan."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING

import click

from tuning.cli.telling import run_told

if TYPE_CHECKING:
    from tuning.core.programme.decide import Exercise
    from tuning.exchange.json.plans import PlanFile

NO_CAPS = (3, 3)
"""A file knows no knee dial."""


@click.command()
@click.argument("case", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of text.")
@click.option("--position", help="Where the patient is now: standing, sitting, supine, prone, side-left, side-right.")
def reason(case: Path, as_json: bool, position: str | None) -> None:
    """What contributes, what speaks against it, what to test next, for the CASE of a JSON file."""

    def run() -> None:
        import json

        from tuning.core.errors import BadInput
        from tuning.core.reasoning.advice import SHOWN, next_tests
        from tuning.core.reasoning.conclusion import conclude
        from tuning.core.visit.efforts import Place
        from tuning.exchange.json.cases import read_case, reasoned
        from tuning.knowledge import load
        from tuning.knowledge.reasoning import tests_of

        knowledge = load()
        if position is not None and position not in knowledge.order.positions:
            raise BadInput(f"“{position}” is no position; one of {', '.join(knowledge.order.positions)}.")
        read, tests = read_case(case, knowledge), tests_of(knowledge)
        found = conclude(read.case, knowledge.reasoning, knowledge.measures, tests, read.triage, read.schools)
        now = Place(position, "free", "hands") if position else None
        options = {
            n: next_tests(knowledge.reasoning, one, found.found, tests, now)[:SHOWN]
            for n, one in enumerate(found.balances)
        }
        told = reasoned(read, found, options)
        if as_json:
            click.echo(json.dumps(told, indent=1, ensure_ascii=False))
            return
        click.echo(told["refer"] or f"{len(told['patterns'])} patterns seen.")
        for pattern in told["patterns"]:
            click.echo(f"\n{pattern['name']}")
            for factor in pattern["factors"]:
                lines = "; ".join(f"{'+' if w['speaks'] == 'for' else '-'} {w['words']}" for w in factor["lines"])
                click.echo(f"  {factor['label']:10s} {factor['name']:34s} {lines}")
            for option in pattern["next"]:
                click.echo(f"  next: {option['name']}, {option['minutes']:g} min: {option['separates']}")

    run_told(run)


@click.command()
@click.argument("log", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of text.")
def plan(log: Path, as_json: bool) -> None:
    """Up, hold or back for every exercise of a plan, from the LOG of its sessions (JSON)."""

    def run() -> None:
        import json

        from tuning.core.programme.decide import decide
        from tuning.exchange.json.plans import decided, exercises, read_plan

        told = read_plan(log)
        made = [decided(one, decide(_ahead(one, told), sets, told.standing)) for one, sets in exercises(told)]
        if as_json:
            about = {"version": 1, "person": told.person, "today": str(told.today)}
            click.echo(json.dumps({**about, "decisions": made}, indent=1, ensure_ascii=False))
            return
        for one in made:
            to = f" to {one['to']}" if one["to"] != one["rung"] else ""
            click.echo(f"{one['move'].upper()} {one['rung']}{to}. Row {one['row']}: {one['reason']}.")
            for words in one["also"]:
                click.echo(f"  {words}")
            click.echo(f"  Changes with: {one['reverses']}. May be overruled by {one['override']}.")

    run_told(run)


def _ahead(exercise: Exercise, told: PlanFile) -> Exercise:
    """The exercise with what phase and kit of the file keep locked; a lock of the file itself stays."""
    from tuning.core.errors import BadInput
    from tuning.core.programme.climb import Step, exceeds, start_dose
    from tuning.core.programme.kit import Kit
    from tuning.core.programme.phases import Phase
    from tuning.knowledge import load

    knowledge = load()
    kit = Kit(None if told.kit is None else frozenset(told.kit), knowledge.kit)
    strange = sorted(set(told.kit or ()) - set(kit.things()))
    if strange:
        raise BadInput(f"“{strange[0]}” is no kit that an exercise uses; known are {', '.join(kit.things())}.")
    place = exercise.line.index(exercise.rung)
    known = {rung.id for ladder in knowledge.ladders.values() for rung in ladder.rungs}
    above = exercise.line[place + 1] if place + 1 < len(exercise.line) else ""
    if exercise.locked or exercise.within or above not in known:
        return exercise
    rung, phase = knowledge.rung(above), told.phase or Phase.RETURN
    missing = kit.missing(knowledge.ladder_of(above).needs(rung))
    step = Step(rung, start_dose(rung, phase), rung.name, rung.poses[0].name)
    return replace(exercise, locked=exceeds(step, phase, NO_CAPS, missing))
