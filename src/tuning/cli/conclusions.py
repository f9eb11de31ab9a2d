"""Commands that draw conclusions from files: reason, plan."""

from __future__ import annotations

from pathlib import Path

import click

from tuning.cli.errors import run_or_exit


@click.command()
@click.argument("case", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of text.")
@click.option("--position", help="Where the patient is now: standing, sitting, supine, prone, side-left, side-right.")
def reason(case: Path, as_json: bool, position: str | None) -> None:
    """What contributes, what speaks against it, what to test next, for the CASE of a JSON file."""

    def run() -> None:
        import json
        from dataclasses import replace

        from tuning.core.errors import BadInput
        from tuning.core.programme.plan_status import plan_status
        from tuning.core.reasoning.conclusion import conclude, tests_of
        from tuning.core.reasoning.next_best_test import SHOWN, next_tests
        from tuning.core.types import Side, Triage
        from tuning.core.visit.visit_items import Station
        from tuning.exchange.json.cases import conclusion_to_dict, read_case
        from tuning.knowledge import load
        from tuning.knowledge.gate_acts import not_proposed

        knowledge = load()
        if position is not None and position not in knowledge.order.positions:
            raise BadInput(f"“{position}” is no position; one of {', '.join(knowledge.order.positions)}.")
        read, tests = read_case(case, knowledge), tests_of(knowledge)
        found = conclude(read.case, knowledge.reasoning, knowledge.measures, tests, read.triage, read.schools)
        now = Station(position, "free", "hands") if position else None
        status = plan_status(read.case, knowledge, read.case.visit.started_at.astimezone().date())
        # A file holds no visit in which to ask today; without a screen only the person says what cannot be done.
        facts = replace(status.facts, asked=True, triage=status.facts.triage or Triage.NONE)

        def is_open(test: str, side: Side) -> bool:
            return not not_proposed(knowledge, status, facts, test, side)

        options = {
            n: next_tests(knowledge.reasoning, one, found.found, tests, now, is_open)[:SHOWN]
            for n, one in enumerate(found.balances)
        }
        told = conclusion_to_dict(read, found, options)
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

    run_or_exit(run)


@click.command()
@click.argument("log", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of text.")
def plan(log: Path, as_json: bool) -> None:
    """Up, hold or back for every exercise of a plan, from the LOG of its sessions (JSON)."""

    def run() -> None:
        import json

        from tuning.core.programme.plan_file import with_next_step
        from tuning.core.programme.progression_rules import decide
        from tuning.exchange.json.plan_log import decided, exercises, read_plan
        from tuning.knowledge import load

        told, knowledge = read_plan(log), load()
        made = []
        for exercise, sets, standing in exercises(told):
            ahead = with_next_step(exercise, knowledge, told.phase, told.kit)
            made.append(decided(ahead, decide(ahead, sets, standing, knowledge.progression)))
        if as_json:
            about = {"version": 1, "person": told.person, "today": str(told.today)}
            click.echo(json.dumps({**about, "decisions": made}, indent=1, ensure_ascii=False))
            return
        for one in made:
            to = f" to {one['to']}" if one["to"] != one["rung"] else ""
            click.echo(f"{one['move'].upper()} {one['rung']}{to}. Why: {one['reason']} (rule {one['row']}).")
            for words in one["also"]:
                click.echo(f"  {words}")
            click.echo(f"  Changes with: {one['reverses']}. May be overruled by {one['override']}.")

    run_or_exit(run)
