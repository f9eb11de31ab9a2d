"""The house: names that say what a thing is, functions with few parameters, every module short enough to read."""

from __future__ import annotations

import ast
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
