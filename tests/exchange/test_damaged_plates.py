"""Further ways in which a file of force plates goes wrong: none gives a wrong number without a word."""

from __future__ import annotations

import numpy as np
import pytest

from tuning.core.errors import BadInput
from tuning.core.force.analysis import analyse
from tuning.core.types import LEGS, Side
from tuning.demo import simulated_plates as plates
from tuning.demo.simulated_plates import Faults, SimulatedPerson, heard
from tuning.exchange.csv.detect_columns import preview
from tuning.exchange.csv.mapping import Mapping
from tuning.exchange.plates import read_plates

SCENE = plates.isometric(SimulatedPerson(mass_kg=75, push_left=800, push_right=600), reps=2)
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


def four(head: str) -> list[str]:
    """A further column before the true ones."""
    return [head, *(f"{t:.4f},{0.6 * a:.3f},{a:.3f},{b:.3f}" for t, a, b in zip(TIME, LEFT, RIGHT, strict=True))]


DAMAGE = {
    "a word among the rows": lambda: middle(lines(), "pause,,"),
    "remarks": lambda: ["# made by somebody", *middle(lines(), "# second half")],
    "a row of units": lambda: [HEAD, "s,N,N", *lines()[1:]],
    "a foot with sums": lambda: [*lines(), "", "mean,512.3,377.9", "max,1170.2,969.6"],
    "a comma at every end": lambda: [f"{row}," for row in lines()],
    "two recordings in one": lambda: [*lines(), *lines()],
    "the same rows again without a head": lambda: [*lines(), *lines()[1:]],
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
    "two columns of one name": lambda: four("time,left Fz,left Fz,right Fz"),
    "two columns for one side": lambda: four("time,left Fz front,left Fz,right Fz"),
    "one name for all": lambda: four("time,Fz,Fz,Fz"),
    "one plate off for 60 ms": lambda: changed(left=np.where((TIME > 1.5) & (TIME < 1.56), 0.0, LEFT)),
    "each side in a unit of its own": lambda: lines(right=RIGHT / 9.80665, head="time,left (N),right (kg)"),
    "the sum in place of one side": lambda: lines(right=LEFT + RIGHT, head="time,left Fz,total Fz"),
}  # fmt: skip


def shares(path) -> tuple[list[float], list[str]]:
    found = analyse(read_plates(path), "squat-iso")
    return list(found.trials("share", Side.NONE)), [*found.warnings]


@pytest.fixture(scope="module")
def usual(tmp_path_factory) -> list[str]:
    """What is said of the file when it is whole."""
    whole = tmp_path_factory.mktemp("whole") / "whole.csv"
    whole.write_text("\n".join(lines()) + "\n")
    return shares(whole)[1]


@pytest.mark.parametrize("name", DAMAGE)
def test_no_damage_gives_a_wrong_number_without_a_word(tmp_path, usual, name):
    made = DAMAGE[name]()
    path = tmp_path / "damaged.csv"
    path.write_bytes((made if isinstance(made, str) else "\n".join(made) + "\n").encode())
    try:
        found, words = shares(path)
    except BadInput as err:
        assert len(str(err)) > 20 and str(err).endswith((".", "?"))
        return
    new = [w for w in words if w not in usual]
    wrong = not found or max(abs(share - TRUE) for share in found) > 0.5
    assert not wrong or new, f"{name}: {found} for {TRUE:.1f}, and not a word"


def beside(head, further) -> list[str]:
    """A column that is no force of a plate before those that are."""
    return [head, *(f"{t:.4f},{x:.3f},{a:.3f},{b:.3f}" for t, x, a, b in zip(TIME, further, LEFT, RIGHT, strict=True))]


def stamped(head, stamp, separator=",") -> list[str]:
    """Rows whose time is told by a clock."""
    return [head, *(separator.join((stamp(t), f"{a:.2f}", f"{b:.2f}"))
                    for t, a, b in zip(TIME, LEFT, RIGHT, strict=True))]  # fmt: skip


def _worded() -> list[str]:
    words = ["note", *["calm"] * TIME.size]
    return [f"{word},{row},{word}" for word, row in zip(words, lines(), strict=True)]


WHOLE = {
    "kilonewtons": lambda: lines(left=LEFT / 1000, right=RIGHT / 1000, head="time (s),left (kN),right (kN)",
                                 row="{:.4f},{:.6f},{:.6f}"),
    "a mass beside forces": lambda: [f"{row},{tail}" for row, tail in zip(
        lines(head="time (s),left (N),right (N)"), ["mass (kg)", *["75"] * TIME.size], strict=True)],
    "what was done before, in fewer columns or as many": lambda: [
        "device,plate 2", "rate,1000", "mass,75,kg", *lines()],
    "a clock in microseconds": lambda: lines(t=1e6 * TIME, head="Time (µs),left Fz,right Fz"),
    "forces named by their unit alone": lambda: lines(head="time (s),N,N 2"),
    "rows counted beside the clock": lambda: ["frame,time,Fz 1,Fz 2", *(
        f"{n},{row}" for n, row in enumerate(lines()[1:]))],
    "words in every row": lambda: ["mass,75,kg", *_worded()],
    "a difference before them": lambda: beside("time,L/R difference (N),left (N),right (N)", LEFT - RIGHT),
    "a difference by minus": lambda: beside("time,right-left,left,right", RIGHT - LEFT),
    "a sum before them": lambda: beside("time,left + right (N),left (N),right (N)", LEFT + RIGHT),
    "a speed before the force": lambda: beside("time,left speed (m/s),left (N),right (N)", 0.001 * LEFT),
    "clock of the day": lambda: stamped(HEAD, lambda t: f"10:{15 + int(t) // 60:02d}:{t % 60:06.3f}"),
    "date and clock": lambda: stamped("Timestamp;left;right", lambda t: f"2026-11-20T09:59:{t % 60:06.3f}+01:00", ";"),
    "minutes and seconds": lambda: stamped("Zeit;left;right", lambda t: f"{int(t) // 60:02d}:{t % 60:06.3f}", ";"),
    "over midnight": lambda: stamped(HEAD, lambda t: f"23:59:{58 + t:06.3f}" if t < 2 else f"00:00:{t - 2:06.3f}"),
}  # fmt: skip
"""Odd, but whole."""


@pytest.mark.parametrize("name", WHOLE)
def test_an_odd_file_that_says_everything_is_read_right(tmp_path, name):
    path = tmp_path / "odd.csv"
    path.write_text("\n".join(WHOLE[name]()) + "\n")
    found, _ = shares(path)
    assert found and max(abs(share - TRUE) for share in found) < 0.5
    read = read_plates(path)
    assert read.rate == pytest.approx(SCENE.rate, rel=0.01)
    assert read.force[Side.LEFT][:500].mean() == pytest.approx(LEFT[:500].mean(), rel=0.01)


@pytest.mark.parametrize("name", ["frame", "Sample no.", "#", "index", ""])
@pytest.mark.parametrize("rate", [None, 500])
def test_rows_that_are_only_counted_are_no_clock(tmp_path, name, rate):
    """Taken for milliseconds they would make twice the rates at 500 samples a second."""
    path, head = tmp_path / "counted.csv", f"{name},left Fz,right Fz" + (f" ({rate} Hz)" if rate else "")
    path.write_text("\n".join(lines(t=np.arange(TIME.size), row="{:.0f},{:.3f},{:.3f}", head=head)) + "\n")
    if rate:
        read = read_plates(path)
        assert read.rate == rate and "500 samples a second were taken for granted" in " ".join(read.notes)
    else:
        with pytest.raises(BadInput, match="no column of time"):
            read_plates(path)


def test_rows_that_grow_wider_do_not_lose_those_before(tmp_path):
    """A mark is written into a column of its own from the middle on."""
    path, rows = tmp_path / "wider.csv", lines()
    path.write_text("\n".join([*rows[:150], *(f"{row},0" for row in rows[150:])]) + "\n")
    assert read_plates(path).size == TIME.size


@pytest.mark.parametrize("leg", LEGS)
def test_a_plate_that_drops_out_is_bridged_for_a_moment_and_refused_for_longer(tmp_path, leg):
    columns, path = {Side.LEFT: LEFT, Side.RIGHT: RIGHT}, tmp_path / "off.csv"

    def read(seconds):
        off = np.where((TIME > 1.5) & (1.5 + seconds > TIME), 0.0, columns[leg])
        shown = {**columns, leg: off}
        path.write_text("\n".join(lines(left=shown[Side.LEFT], right=shown[Side.RIGHT])) + "\n")
        return read_plates(path)

    assert any(f"{leg.value} plate fell to nothing" in note for note in read(0.012).notes)
    assert read(0.012).force[leg][1506] == pytest.approx(columns[leg][:1400].mean(), rel=0.05)
    with pytest.raises(BadInput, match=f"{leg.value} plate misses"):
        read(0.06)


@pytest.mark.parametrize("leg", LEGS)
def test_a_hop_on_one_leg_beside_an_empty_plate_is_no_fault_at_few_samples_a_second(tmp_path, leg):
    t = np.arange(0, 8, 0.005)
    hop = np.where((t % 1 < 0.3) & (t > 2), 2.0, 700 + 800 * np.sin(np.pi * np.clip((t % 1 - 0.3) / 0.7, 0, 1)))
    empty, path = np.random.default_rng(2).normal(0, 1, t.size), tmp_path / "hop.csv"
    left, right = (hop, empty) if leg is Side.LEFT else (empty, hop)
    path.write_text("\n".join(lines(t, left, right)) + "\n")
    read = read_plates(path)
    assert read.force[leg].min() < 10 and not any("fell" in note for note in read.notes)


@pytest.mark.parametrize("head", ["time,left (N),right (kg)", "time,left (lb),right (N)"])
def test_two_units_in_one_file_are_refused(tmp_path, head):
    path = tmp_path / "units.csv"
    path.write_text("\n".join(lines(head=head)) + "\n")
    with pytest.raises(BadInput, match="one unit"):
        read_plates(path)


def test_a_plate_left_for_a_moment_by_a_foot_that_steps_is_no_fault(tmp_path):
    """Weight goes over to the other plate, and slowly enough for a foot."""
    step = np.clip(np.minimum(TIME - 1.5, 1.8 - TIME) / 0.04, 0, 1)
    path = tmp_path / "stepped.csv"
    path.write_text("\n".join(lines(left=LEFT * (1 - step), right=RIGHT + LEFT * step)) + "\n")
    read = read_plates(path)
    assert read.force[Side.LEFT][1650] == pytest.approx(0, abs=3) and not any("plate" in note for note in read.notes)


@pytest.mark.parametrize("head", ["time,left Fz,left Fz", "time,Fz,Fz,Fz", "t;Links Fz;Links  fz"])
def test_one_name_for_two_columns_is_refused_with_one_leg_too(tmp_path, head):
    separator = ";" if ";" in head else ","
    rows = [head, *(separator.join(f"{v:.3f}" for v in (t, a, b, b)[: head.count(separator) + 1])
                    for t, a, b in zip(TIME, LEFT, RIGHT, strict=True))]  # fmt: skip
    (tmp_path / "twice.csv").write_text("\n".join(rows) + "\n")
    with pytest.raises(BadInput, match="same name"):
        analyse(read_plates(tmp_path / "twice.csv"), "lunge-iso", Side.LEFT)
    named = Mapping("utf-8", separator, ".", 1, 2, None, 0)
    assert read_plates(tmp_path / "twice.csv", named).size > 5000, "a map says which is meant"


@pytest.mark.parametrize("leg", LEGS)
def test_one_plate_that_names_no_leg_is_read_for_the_leg_that_is_told_and_never_without(tmp_path, leg):
    path = tmp_path / "one.csv"
    path.write_text("\n".join(["time,Fz", *(f"{t:.4f},{b:.3f}" for t, b in zip(TIME, RIGHT, strict=True))]) + "\n")
    found = analyse(read_plates(path), "lunge-iso", leg)
    assert found.side is leg and {side for rep in found.reps for _, side in rep.values} <= {leg, Side.NONE}
    assert found.trials("peak", leg).size and not found.trials("peak", leg.other).size
    for recording in (read_plates(path), read_plates(path).swapped(), read_plates(path).part(0, 9000)):
        with pytest.raises(BadInput, match="which leg"):
            analyse(recording, "lunge-iso")
    path.write_text(path.read_text().replace("Fz", f"Fz {leg.value}"))
    assert analyse(read_plates(path), "lunge-iso").side is leg, "its name says so"
    with pytest.raises(BadInput, match="which leg"):
        analyse(read_plates(path), "lunge-iso", leg.other)


@pytest.mark.parametrize(
    ("head", "told"),
    [
        ("time (s),left (mV),right (mV)", "no unit of force"), ("time,left %BW,right %BW", "no unit of force"),
        ("t,R N/kg,L N/kg", "no unit of force"), ("time,left,right\ns,oz,oz", "no unit of force"),
        ("time,L1,L2", "cells of one plate"), ("time,left front (N),left back (N)", "cells of one plate"),
        ("time,strong leg,weak leg", "says left or right"), ("Fz right,Fz left\ntime,N,N", "the same name"),
            ("Fz right,Fz left", "not over their columns"), ("time,Fz left/right,Fz total", "says left or right"),
            ("Fz right and left\ntime,Fz1,Fz2", "not over their columns"),
    ],
)  # fmt: skip
def test_what_no_column_says_is_not_guessed(tmp_path, head, told):
    path = tmp_path / "unsaid.csv"
    path.write_text("\n".join([head, *lines()[1:]]) + "\n")
    with pytest.raises(BadInput, match=told):
        read_plates(path)
    seen = preview(path)
    assert seen.doubt and (seen.sided or seen.mapping.left is seen.mapping.right is None), "nothing is ticked before"
    named = Mapping("utf-8", ",", ".", 1 + head.count("\n"), 1, 2, 0)
    assert read_plates(path, named).force[Side.LEFT].mean() == pytest.approx(LEFT.mean(), rel=0.01)


def test_columns_told_by_their_order_alone_are_named(tmp_path):
    (tmp_path / "two.csv").write_text("\n".join(lines(head="time,Fz1,Fz2")) + "\n")
    assert any(
        "“fz1” was taken as left and “fz2” was taken as right" in n for n in read_plates(tmp_path / "two.csv").notes
    )
    aside = [0.05 * LEFT, 0.1 * LEFT, LEFT, 0.05 * RIGHT, 0.1 * RIGHT, RIGHT]
    rows = [",".join(f"{v:.3f}" for v in row) for row in np.array([TIME, *aside]).T]
    (tmp_path / "two.csv").write_text("\n".join(["time,Fx1,Fy1,Fz1,Fx2,Fy2,Fz2", *rows]) + "\n")
    found = read_plates(tmp_path / "two.csv")
    assert found.force[Side.LEFT].mean() == pytest.approx(LEFT.mean(), rel=0.01)
    assert found.force[Side.RIGHT].mean() == pytest.approx(RIGHT.mean(), rel=0.01)
    (tmp_path / "two.csv").write_text("\n".join(lines()) + "\n")
    assert not read_plates(tmp_path / "two.csv").notes


@pytest.mark.parametrize("first", LEGS)
def test_a_name_over_several_columns_is_theirs_and_a_title_is_nobodys(tmp_path, first):
    """As laboratories write: a plate's name over its forces and moments; the line of the patient says no side."""
    path, force = tmp_path / "lab.csv", {Side.LEFT: LEFT, Side.RIGHT: RIGHT}
    head = f"Patient: {first.other.value} knee,,,,\n,{first.value},,{first.other.value},\ntime,Fz,My,Fz,My\ns,N,Nm,N,Nm"
    rows = [
        f"{t:.4f},{a:.3f},{a / 9:.3f},{b:.3f},7.5"
        for t, a, b in zip(TIME, force[first], force[first.other], strict=True)
    ]
    path.write_text("\n".join([head, *rows]) + "\n")
    read = read_plates(path)
    assert all(read.force[leg] == pytest.approx(force[leg], abs=0.01) for leg in LEGS)


@pytest.mark.parametrize(
    "head", ["{},{},\ntime,Force A,Force B", ",{},{}\ntime,Fz,Fz", "Plates {} and {}\ntime,Fz1,Fz2", "time,{} Fz,{} Fz"]
)
def test_a_kept_mapping_is_never_used_for_a_file_whose_sides_are_exchanged(tmp_path, head):
    """The window remembers what a column is for files of one shape: the sides belong to it, wherever they stand."""
    shapes = set()
    for order in (LEGS, LEGS[::-1]):
        path = tmp_path / "kept.csv"
        path.write_text("\n".join([head.format(*(leg.value for leg in order)), *lines()[1:]]) + "\n")
        seen = preview(path)
        shapes.add(seen.shape)
        assert not (seen.notes and seen.mapping.left is None), "nothing is told as taken that was not"
    assert len(shapes) == 2


def test_a_second_table_below_is_refused_and_a_summary_is_not(tmp_path):
    path, rows = tmp_path / "two.csv", lines()
    path.write_text("\n".join([*rows, "", *rows]) + "\n")
    with pytest.raises(BadInput, match="Another table begins at row"):
        read_plates(path)
    path.write_text("\n".join([*rows, "mean,300,400"]) + "\n")
    assert read_plates(path).size == TIME.size
