"""The house: names that say what a thing is, functions with few parameters, every module short enough to read."""

from __future__ import annotations

import ast
import importlib
import re
from collections.abc import Iterator
from pathlib import Path

import tuning

SOURCE = Path(tuning.__file__).parent
NO_NAMES = {
    "told", "tell", "said", "seen", "found", "known", "kept", "made", "given", "put", "apart", "anew", "together",
    "alone", "way", "course", "look", "whole", "rest",
}  # fmt: skip
"""Everyday words that say nothing of what a module, a class or a public function is."""


def defined(tree: ast.AST) -> Iterator[str]:
    """Every class, and every function that is no detail of another."""
    for node in ast.iter_child_nodes(tree):
        if isinstance(node, ast.ClassDef):
            yield node.name
            yield from defined(node)
        elif isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef) and not node.name.startswith("_"):
            yield node.name
        elif isinstance(node, ast.If | ast.Try):
            yield from defined(node)


def modules() -> Iterator[tuple[str, ast.Module]]:
    for path in SOURCE.rglob("*.py"):
        if "versions" not in path.parts:
            yield str(path.relative_to(SOURCE)), ast.parse(path.read_text())


def test_no_module_class_or_public_function_is_named_by_a_word_that_says_nothing():
    bad = [
        f"{path}: {name}"
        for path, tree in modules()
        for name in (Path(path).stem, *defined(tree))
        if name.casefold().strip("_") in NO_NAMES
    ]
    assert not bad


def test_what_the_page_of_the_architecture_names_is_there():
    page = (SOURCE.parents[1] / "docs" / "architecture.md").read_text()
    functions = re.findall(r"`(core\.[\w.]+)`", page)
    rooms = re.findall(r"`((?:media|detect|track)/\w+)`", page)
    assert len(functions) > 5 and len(rooms) > 9
    for name in functions:
        module, _, function = f"tuning.{name}".rpartition(".")
        assert callable(getattr(importlib.import_module(module), function)), name
    assert all((SOURCE / "video" / f"{room}.py").exists() for room in rooms)
