"""Forms, the safety table, the chain of levels."""

from __future__ import annotations

from tuning.core.gate.demands import DEMANDS
from tuning.core.gate.triage import AGES, SafetyTable
from tuning.core.intake.forms import FormDefinition
from tuning.core.intake.soles_and_regions import SoleRules
from tuning.core.standing.level_suspicion import LOOK_METHODS, Chain, is_sound
from tuning.core.standing.posture import POINTS, PostureRule
from tuning.knowledge.loaders.toml_reader import TomlReader


def load_forms(reading: TomlReader) -> dict[str, FormDefinition]:
    """The forms of the intake by id."""
    tables = reading.toml(reading.folder / "intake.toml")
    made = {key: reading.structure(table, FormDefinition, f"intake.toml: {key}") for key, table in tables.items()}
    return {key: form for key, form in made.items() if form is not None}


def load_safety(reading: TomlReader) -> SafetyTable | None:
    """Questions, rules and limits of the safety screen."""
    path = reading.folder / "safety.toml"
    table = reading.structure(reading.toml(path), SafetyTable, path.name)
    if table is None:
        return None
    ids = {q.id for q in table.questions}
    reading.orphans(path.name, [key for q in table.questions for key in q.after], ids)
    reading.orphans(path.name, [limit.id for limit in table.limits], ids)
    reading.orphans(
        path.name,
        [k for rule in table.rules for k in (*rule.all, *rule.any, *rule.none)],
        {*ids, *AGES, *(fact.id for fact in table.measured)},
    )
    reading.orphans(path.name, {fact.id for fact in table.measured}, {k for r in table.rules for k in (*r.all, *r.any)})
    reading.orphans(path.name, [rule.urgency for rule in table.rules], table.urgencies)
    for rule in table.rules:
        reading.orphans(f"{path.name}: {rule.id}", (*rule.bars, *rule.asks), DEMANDS)
        if not rule.all and not rule.any:
            reading.wrong(f"{path.name}: {rule.id}", "it fires for nobody, or for everybody: name questions")
    reading.orphans(path.name, [limit.demand for limit in table.limits], DEMANDS)
    reading.orphans(f"{path.name}: absent", [d for one in table.absent for d in one.demands], DEMANDS)
    return table


def load_chain(reading: TomlReader) -> Chain | None:
    """The chain of levels, without a hole."""
    path = reading.folder / "levels_chain.toml"
    table = reading.toml(path)
    table["rows"] = table.pop("row", [])
    chain = reading.structure(table, Chain, path.name)
    if chain is None:
        return None
    for hole in is_sound(chain):
        reading.wrong(path.name, f"no row catches “{hole}”")
    if set(chain.error_mm) != set(LOOK_METHODS) or set(chain.grade_edges) != {"°", "mm"}:
        reading.wrong(path.name, f"error_mm needs {', '.join(LOOK_METHODS)}, grade_edges ° and mm")
    if any(list(edges) != sorted(edges) for edges in chain.grade_edges.values()):
        reading.wrong(path.name, "the edges of the grades must rise")
    return chain


def load_posture(reading: TomlReader) -> tuple[PostureRule, ...]:
    """How a side view is named, first rule first."""
    path = reading.folder / "posture.toml"
    made = [reading.structure(raw, PostureRule, path.name) for raw in reading.toml(path).get("rule", [])]
    rules = tuple(rule for rule in made if rule is not None)
    for rule in rules:
        reading.orphans(f"{path.name}: {rule.posture}", rule.points, POINTS)
    if not rules:
        reading.wrong(path.name, "there is no rule")
    return rules


def load_soles(reading: TomlReader) -> SoleRules | None:
    """What counts when shoes are read."""
    path = reading.folder / "soles.toml"
    return reading.structure(reading.toml(path), SoleRules, path.name)
