"""Writes docs/gate.md: for every test, recording and rung what the gate says, by state and by who works."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

from tuning.core.case import Case, Patient, Visit
from tuning.core.entries import Clearance, Screen
from tuning.core.gate.permission import Gate, GateAct, gate_facts, permission_for
from tuning.core.gate.triage import screen, screen_entry
from tuning.core.types import Entry, Role, Side, Triage
from tuning.knowledge import Knowledge, load
from tuning.knowledge.gate_acts import act_of_clip, act_of_plates, act_of_rung, act_of_test

TARGET = Path(__file__).parent.parent / "docs" / "gate.md"
NOW = datetime(2026, 3, 2, 9, tzinfo=UTC)
SIGNS = {Gate.OPEN: "open", Gate.REASON: "reason", Gate.LOCKED: "**locked**"}
HEAD = """# What the gate says

Written by `python scripts/gate_table.py` from the knowledge files; a test keeps it so. *open*: anybody. *reason*: a
licensed clinician gives one and it is kept; for trainer and student such an act is locked. *locked*: nobody,
until the finding is cleared. A limit is for both legs here; a limit of one leg leaves one-leg acts of the other open.
Once a finding is cleared, its column is that of NONE.

## By state

{states}

## By surgeon's limit

{limits}

## Rules of the safety screen

{rules}
"""


def named_acts(knowledge: Knowledge) -> Iterator[tuple[str, str, GateAct]]:
    """Everything that can be done to somebody: stage, name, act; a test with its usual pad, and with each other one."""
    for test in knowledge.tests.values():
        yield test.stage, test.name, act_of_test(test)
        for pad in test.pads[1:]:
            yield test.stage, f"{test.name}, pad at the {pad.id}", act_of_test(test, pad=pad.id)
        if test.stage == "strength":
            yield test.stage, f"{test.name}, break", act_of_test(test, mode="break")
    for clip in knowledge.order.clip:
        if not clip.plates:
            yield clip.stage, clip.name, act_of_clip(clip)
    for name in knowledge.plates:
        yield "force", f"plates: {name}", act_of_plates(knowledge, name)
    for ladder in knowledge.ladders.values():
        for rung in ladder.rungs:
            yield "programme", f"rung: {rung.name}", act_of_rung(rung)


def gates(knowledge: Knowledge, entries: list[Entry], role: Role = Role.CLINICIAN) -> list[Gate]:
    """The gate's answer for every act after these entries."""
    visit = Visit("v", "p", NOW)
    who = Patient("p", "Ada", date(1986, 1, 1), "", None, None, "", "", "", Side.NONE)
    facts = gate_facts(Case(who, (visit,), visit, tuple(entries), 1), knowledge.safety, role, NOW + timedelta(hours=1))
    return [permission_for(act, facts).gate for _, _, act in named_acts(knowledge)]


def told(knowledge: Knowledge, *yes: str, age: int = 40) -> Screen:
    """A screen with these answers."""
    answers = dict.fromkeys(yes, True)
    made = screen_entry(screen(knowledge.safety, answers, age), answers, "", "", NOW)
    return Screen(**{**vars(made), "uid": "s", "visit": "v", "at": NOW})


def table(knowledge: Knowledge, columns: dict[str, list[Gate]]) -> str:
    """Rows of acts, columns of states."""
    lines = [f"| stage | act | {' | '.join(columns)} |", f"|---|---|{'---|' * len(columns)}"]
    for n, (stage, name, _) in enumerate(named_acts(knowledge)):
        lines.append(f"| {stage} | {name} | {' | '.join(SIGNS[found[n]] for found in columns.values())} |")
    return "\n".join(lines)


def rule_rows(knowledge: Knowledge) -> str:
    """Every rule, its level, what it bars and asks a reason for besides."""
    lines = ["| rule | level | fires on | bars | asks besides | ends |", "|---|---|---|---|---|---|"]
    for rule in knowledge.safety.rules:
        some = f"{rule.count} of {', '.join(rule.any)}" if rule.any else ""
        on = " and ".join(part for part in (", ".join(rule.all), some) if part)
        ends = f"after {rule.hours:g} h" if rule.hours else "when cleared" if rule.level is not Triage.NONE else ""
        bars, asks = ", ".join(rule.bars), ", ".join(rule.asks)
        lines.append(f"| {rule.name} | {rule.level.value} | {on} | {bars} | {asks} | {ends} |")
    return "\n".join(lines)


def page() -> str:
    """The page as it should be."""
    knowledge = load()
    special = [rule for rule in knowledge.safety.rules if rule.bars or rule.asks]
    lifted = Clearance("s", "Dr. Lind", NOW.date(), "clear", "night", uid="c", visit="v", at=NOW)
    states = {
        "no screen": gates(knowledge, []),
        "NONE": gates(knowledge, [told(knowledge)]),
        "RED": gates(knowledge, [told(knowledge, "chest")]),
        "AMBER": gates(knowledge, [told(knowledge, "night")]),
        "AMBER cleared": gates(knowledge, [told(knowledge, "night"), lifted]),
        **{rule.name: gates(knowledge, [told(knowledge, *rule.all)]) for rule in special},
    }
    limits = {lim.name: gates(knowledge, [told(knowledge, "surgeon", lim.id)]) for lim in knowledge.safety.limits}
    return HEAD.format(states=table(knowledge, states), limits=table(knowledge, limits), rules=rule_rows(knowledge))


def main() -> None:
    """Write the page."""
    TARGET.write_text(page())


if __name__ == "__main__":
    main()
