"""Twenty-seven more ways in which a file of force plates goes wrong: none gives a wrong number without a word."""

from __future__ import annotations

import numpy as np
import pytest

from tuning.core.errors import BadInput
from tuning.core.force.analysis import analyse
from tuning.core.types import Side
from tuning.devices import plates
from tuning.devices.plates import Body, Faults, heard
from tuning.exchange.plates import read_plates

SCENE = plates.isometric(Body(mass_kg=75, push_left=800, push_right=600), reps=2)
LEFT, RIGHT = heard(SCENE, Faults(), np.random.default_rng(5))
TIME = SCENE.times
TRUE = 100 * SCENE.right[4000] / (SCENE.left + SCENE.right)[4000]
HEAD = "time,left Fz,right Fz"


def lines(t=TIME, left=LEFT, right=RIGHT, head=HEAD, row="{:.4f},{:.3f},{:.3f}") -> list[str]:
    return [head, *(row.format(*values) for values in zip(t, left, right, strict=True))]


def middle(rows: list[str], *more: str) -> list[str]:
    half = len(rows) // 2
    return [*rows[:half], *more, *rows[half:]]


def changed(**columns) -> list[str]:
    return lines(**columns)


DAMAGE = {
    "a word among the rows": lambda: middle(lines(), "pause,,"),
    "remarks": lambda: ["# made by somebody", *middle(lines(), "# second half")],
    "a row of units": lambda: [HEAD, "s,N,N", *lines()[1:]],
    "a foot with sums": lambda: [*lines(), "", "mean,512.3,377.9", "max,1170.2,969.6"],
    "a comma at every end": lambda: [f"{row}," for row in lines()],
    "two recordings in one": lambda: [*lines(), *lines()],
    "the same rows again without a head": lambda: [*lines(), *lines()[1:]],
    "clock of the day": lambda: [HEAD, *(f"10:{15 + int(t) // 60:02d}:{t % 60:06.3f},{a:.2f},{b:.2f}"
                                         for t, a, b in zip(TIME, LEFT, RIGHT, strict=True))],
    "numbers of samples for a clock": lambda: changed(t=np.arange(TIME.size, dtype=float)),
    "kilonewtons on one side": lambda: changed(right=RIGHT / 1000),
    "one plate upside down": lambda: changed(left=-LEFT),
    "one plate not set to zero": lambda: changed(left=LEFT + 250),
    "one plate drifts": lambda: changed(left=LEFT + np.linspace(0, 400, LEFT.size)),
    "hum": lambda: changed(left=LEFT + 400 * np.sin(2 * np.pi * 50 * TIME)),
    "coarse steps": lambda: changed(left=np.round(LEFT / 100) * 100, right=np.round(RIGHT / 100) * 100),
    "the same channel twice": lambda: changed(right=LEFT),
    "nothing but zeros after a third": lambda: changed(
        left=np.where(TIME[-1] / 3 > TIME, LEFT, 0.0), right=np.where(TIME[-1] / 3 > TIME, RIGHT, 0.0)),
    "old ends of lines": lambda: "\r".join(lines()),
    "zero bytes inside": lambda: "\n".join(middle(lines(), "\0" * 300)),
    "everything in quotes": lambda: ["\ufeff" + ",".join(f'"{w}"' for w in row.split(",")) for row in lines()],
    "a quote that is never closed": lambda: middle(lines(), '3.0,"500,400'),
    "powers of ten": lambda: lines(row="{:.6e},{:.6e},{:.6e}"),
    "marks of a spreadsheet": lambda: middle(lines(), "3.001,#DIV/0!,####"),
    "one row too wide": lambda: middle(lines(), "3.0011,500,400,300,200,100"),
    "pounds without a word": lambda: changed(left=LEFT / 4.448, right=RIGHT / 4.448),
    "a hundredth of every force": lambda: changed(left=LEFT / 100, right=RIGHT / 100),
    "the sum in place of one side": lambda: lines(right=LEFT + RIGHT, head="time,left Fz,total Fz"),
}  # fmt: skip


def shares(path) -> tuple[list[float], list[str]]:
    found = analyse(read_plates(path), "squat-iso")
    return list(found.trials("share", Side.NONE)), [*found.warnings]


@pytest.mark.parametrize("name", DAMAGE)
def test_no_damage_gives_a_wrong_number_without_a_word(tmp_path, name):
    made = DAMAGE[name]()
    path = tmp_path / "damaged.csv"
    path.write_bytes((made if isinstance(made, str) else "\n".join(made) + "\n").encode())
    try:
        found, words = shares(path)
    except BadInput as err:
        assert len(str(err)) > 20 and str(err).endswith((".", "?"))
        return
    whole = tmp_path / "whole.csv"
    whole.write_text("\n".join(lines()) + "\n")
    usual = shares(whole)[1]
    new = [w for w in words if w not in usual]
    wrong = not found or max(abs(share - TRUE) for share in found) > 0.5
    assert not wrong or new, f"{name}: {found} for {TRUE:.1f}, and not a word"
