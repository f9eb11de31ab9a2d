"""Words to search by."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from tuning.core.programme.ladders import Ladder
from tuning.core.search import SearchWords
from tuning.knowledge.loaders.toml_reader import TomlReader


def load_search(
    reading: TomlReader,
    tests: Iterable[str],
    measures: Iterable[str],
    factors: Iterable[str],
    ladders: Mapping[str, Ladder],
) -> SearchWords | None:
    """What things are also called; every id must be there. Pages and actions are those of the window."""
    path = reading.folder / "search.toml"
    words = reading.structure(reading.toml(path), SearchWords, path.name)
    if words is None:
        return None
    rungs = {rung.id for ladder in ladders.values() for rung in ladder.rungs}
    for name, ids, known in (
        ("tests", words.tests, tests), ("measures", words.measures, measures), ("factors", words.factors, factors),
        ("ladders", words.ladders, ladders), ("rungs", words.rungs, rungs),
    ):  # fmt: skip
        reading.orphans(f"{path.name}: {name}", ids, known)
    return words
