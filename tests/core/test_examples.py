"""The examples in the docstrings that a newcomer meets first say what the functions do."""

import doctest
import importlib

import pytest

MODULES = ("units", "dates", "pose", "pictures.geometry", "judging.symmetry", "judging.verdict")


@pytest.mark.parametrize("name", MODULES)
def test_the_examples_of_a_module_run(name):
    failed, attempted = doctest.testmod(importlib.import_module(f"tuning.core.{name}"))
    assert attempted and not failed
