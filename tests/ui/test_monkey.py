"""Senseless hammering of the window leaves no mark; where something gives way, it is told and cut down."""

from pathlib import Path

import monkey
import pytest
from click.testing import CliRunner


@pytest.mark.long
def test_a_hundred_senseless_events_raise_nothing(demo_folder: Path):
    made = CliRunner().invoke(monkey.main, ["--events", "120", "--clinic", str(demo_folder)])
    assert made.exit_code == 0 and "nothing gave way" in made.output, made.output


def test_what_gives_way_is_cut_down_to_the_events_that_do_it(monkeypatch, tmp_path: Path):
    def trial(_: Path, numbers: list[tuple[int, int]]) -> str:
        here = {n for n, _ in numbers}
        return "exit 1\nBoom: here" if {17, 60} <= here else ""

    monkeypatch.setattr(monkey, "trial", trial)
    made = CliRunner().invoke(monkey.main, ["--events", "90", "--seed", "5", "--shrink", "--clinic", str(tmp_path)])
    assert made.exit_code == 1 and "the shortest: events [17, 60]" in made.output
