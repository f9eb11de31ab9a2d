"""The order of a visit: positions, kit, clips, templates."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from tuning.core.force.plate_tests import TESTS as PLATE_TESTS
from tuning.core.force.test_instructions import Advice
from tuning.core.test_definitions import TestDefinition
from tuning.core.visit.plan import OrderTable, known_ids
from tuning.knowledge.loaders.toml_reader import TomlReader

ANY_SIDE = ("side-opposite", "side-same")


def load_order(
    reading: TomlReader, tests: Mapping[str, TestDefinition], plates: Mapping[str, Advice]
) -> OrderTable | None:
    """The table of the order."""
    path = reading.folder / "order.toml"
    order = reading.structure(reading.toml(path), OrderTable, path.name)
    if order is None:
        return None
    for test in tests.values():
        reading.orphans(f"{test.id}, {path.name}", test.positions, (*order.positions, *ANY_SIDE))
        reading.orphans(f"{test.id}, {path.name}", [test.equipment], order.equipment)
        reading.orphans(f"{test.id}, {path.name}", [test.at], (*order.at, "tested"))
        if test.at == "tested" and not test.by_side:
            reading.wrong(test.id, "at = “tested” needs by_side")
    for clip in order.clip:
        where = f"{path.name}: {clip.id}"
        if bool(clip.tasks) == bool(clip.plates) or (clip.plates and clip.plates not in PLATE_TESTS):
            reading.wrong(where, "name either tasks or a test on the plates")
        if clip.plates and clip.demands:
            reading.wrong(where, "the limits of a test on the plates stand in plates.toml")
    locked = (replace(c, demands=plates[c.plates].demands) if c.plates in plates else c for c in order.clip)
    order = replace(order, clip=tuple(locked))
    for template in order.template:
        reading.orphans(f"{path.name}: {template.name}", template.tests, known_ids(tests, order.clip))
    if sum(t.usual for t in order.template) != 1:
        reading.wrong(path.name, "exactly one template is the usual one")
    return order
