"""Plate files: what is recognised, what is repaired and said, what is refused."""

import json

import numpy as np
import pytest
from click.testing import CliRunner

from tuning.cli import main
from tuning.core.errors import BadInput
from tuning.core.force.analysis import analyse
from tuning.core.force.recording import Recording
from tuning.core.types import LEGS, Side
from tuning.demo import simulated_plates as plates
from tuning.demo.simulated_plates import Faults, SimulatedPerson, heard
from tuning.exchange.csv.detect_columns import preview
from tuning.exchange.csv.mapping import Mapping, read_mapping
from tuning.exchange.csv.plates import read_table, write_csv
from tuning.exchange.plates import read_plates

SCENE = plates.isometric(SimulatedPerson(mass_kg=75, push_left=800, push_right=600), reps=2)
LEFT, RIGHT = heard(SCENE, Faults(), np.random.default_rng(5))
TIME = SCENE.times


def write(path, columns, head="time,left Fz,right Fz", separator=",", decimal=".", encoding="utf-8"):
    lines = [head] if head else []
    for row in zip(*columns, strict=True):
        lines.append(separator.join(f"{v:.4f}".replace(".", decimal) if np.isfinite(v) else "" for v in row))
    path.write_text("\n".join(lines) + "\n", encoding=encoding)
    return path


def share_of(path, mapping=None):
    return analyse(read_plates(path, mapping), "squat-iso").trials("share", Side.NONE).mean()


TRUE = 100 * SCENE.right[4000] / (SCENE.left + SCENE.right)[4000]


@pytest.mark.parametrize(
    ("head", "separator", "decimal", "encoding", "scale"),
    [
        ("time,left Fz,right Fz", ",", ".", "utf-8", 1),
        ("Zeit;Links;Rechts", ";", ",", "latin-1", 1),
        ("time\tleft\tright", "\t", ".", "utf-16", 1),
        ("Maker X\n1000 Hz\ntime (ms),Right_Fz (kgf),Left_Fz (kgf)", ",", ".", "utf-8-sig", 0),
        ("", ";", ",", "utf-8", 1),
    ],
)
def test_files_of_many_makers_say_the_same(tmp_path, head, separator, decimal, encoding, scale):
    columns = [TIME, LEFT, RIGHT]
    if not scale:
        columns = [1000 * TIME, RIGHT / 9.80665, LEFT / 9.80665]
    path = write(tmp_path / "x.csv", columns, head, separator, decimal, encoding)
    assert share_of(path) == pytest.approx(TRUE, abs=0.3)
    assert preview(path).shape.startswith("3 columns")


@pytest.mark.parametrize(
    ("head", "unit", "swapped"),
    [
        ("time_s,left_kg,right_kg", 9.80665, False), ("t,Fz_L_N,Fz_R_N", 1, False),
        ("Time (s),R (lbf),L (lbf)", 4.4482216, True), ("time_ms,links_N,rechts_N", 1, False),
        ("time,Force-Right[kgf],Force-Left[kgf]", 9.80665, True), ("sec,FzLeft,FzRight", 1, False),
        ("time [s],plate.L.Fz [Newton],plate.R.Fz [Newton]", 1, False),
        ("time,LT (pounds),RT (pounds)", 4.4482216, False), ("temps,droit kg,gauche kg", 9.80665, True),
        ("time,F_left [daN],F_right [daN]", 10, False), ("s,Links (Kilogramm),Rechts (Kilogramm)", 9.80665, False),
        ("t,Right kilogrammes,Left kilogrammes", 9.80665, True), ("t,L kiloponds,R kiloponds", 9.80665, False),
        ("time,left dekanewtons,right dekanewtons", 10, False), ("Tiempo (s),Derecha (N),Izquierda (N)", 1, True),
        ("Tempo (s),Forza destra,Forza sinistra", 1, True), ("Tempo (s),Esquerda (N),Direita (N)", 1, False),
        ("Tijd (s),rechterbeen (N),linkerbeen (N)", 1, True), ("Tid,Höger (kN),Vänster (kN)", 1000, True),
        ("Tid,Højre,Venstre", 1, True), ("Czas,Prawa noga,Lewa noga", 1, True), ("Aika,Oikea,Vasen", 1, True),
        ("t,dx (N),sx (N)", 1, True), ("t,R1,L1", 1, True),
    ],
)  # fmt: skip
def test_sides_and_units_are_recognised_however_they_are_written(tmp_path, head, unit, swapped):
    clock = 1000 * TIME if "ms" in head else TIME
    one, other = (RIGHT, LEFT) if swapped else (LEFT, RIGHT)
    found = read_table(write(tmp_path / "x.csv", [clock, one / unit, other / unit], head))
    assert found.rate == pytest.approx(1000, rel=0.01)
    for side, truth in ((Side.LEFT, LEFT), (Side.RIGHT, RIGHT)):
        assert found.force[side].mean() == pytest.approx(truth.mean(), rel=0.01), head


def comma(value):
    return f"{value:.3f}".replace(".", ",")


def german(value):
    whole, rest = f"{value:.1f}".split(".")
    return f"{int(whole):,}".replace(",", ".") + f",{rest}"


def english(value):
    return f"{value:,.1f}"


def whole_grouped(value):
    return f"{round(value):,}".replace(",", ".")


@pytest.mark.parametrize(
    ("time", "left", "right"),
    [
        (comma, comma, comma),
        ("{:.3f}".format, comma, comma),
        ("{:.3f}".format, "{:.1f}".format, comma),
        ("{:.4f}".format, "{:.2f}".format, german),
        (comma, german, "{:.1f}".format),
        ("{:.3f}".format, english, english),
        ("{:.3f}".format, english, "{:.1f}".format),
        ("{:.3f}".format, whole_grouped, german),
    ],
)
def test_a_decimal_mark_is_read_column_by_column_and_never_costs_a_power_of_ten(tmp_path, time, left, right):
    """Programs write the clock with a dot and the force with a comma, or group thousands either way."""
    t, one, other = TIME, LEFT, RIGHT
    rows = "".join(f"{time(a)};{left(b)};{right(c)}\n" for a, b, c in zip(t, one, other, strict=True))
    path = tmp_path / "mixed.csv"
    path.write_text("time;left Fz;right Fz\n" + rows)
    found = read_table(path)
    truth = np.array([one.mean(), other.mean()])
    assert [found.force[side].mean() for side in LEGS] == pytest.approx(truth, rel=0.01)


def test_a_column_that_uses_both_marks_as_decimals_is_refused(tmp_path):
    path = tmp_path / "both.csv"
    rows = "".join(f"{n / 500:.3f};{'512,5' if n % 2 else '512.5'};{500 + n % 7},5\n" for n in range(3000))
    path.write_text("time;left;right\n" + rows)
    with pytest.raises(BadInput, match="decimal"):
        read_table(path)


def test_a_mapping_names_columns_that_nobody_could_guess(tmp_path):
    path = write(tmp_path / "x.csv", [LEFT, np.ones_like(LEFT), RIGHT], "a,b,c")
    mapping = Mapping("utf-8", ",", ".", 1, 0, 2, None, 1000.0)
    assert share_of(path, mapping) == pytest.approx(TRUE, abs=0.3)


def damaged(name):
    """Twenty kinds of damage: columns and head of the file."""
    t, left, right = TIME.copy(), LEFT.copy(), RIGHT.copy()
    head = "time,left Fz,right Fz"
    if name == "empty":
        return None, ""
    if name == "header only":
        return [t[:0], left[:0], right[:0]], head
    if name == "words":
        return None, "dear colleague\nplease find\nthe results\n"
    if name == "binary":
        return None, b"\x00\x01\x02PNG\xff" * 50
    if name == "a few lost":
        left[1000:1010] = np.nan
    if name == "long gap":
        left[1000:1300] = np.nan
    if name == "a plate of nothing":
        right[:] = np.nan
    if name == "time runs back":
        t[5000:] -= 3
    if name == "doubled stamps":
        t[700] = t[699]
    if name == "many doubled stamps":
        t = np.floor(t * 100) / 100
    if name == "missing rows":
        keep = np.ones(t.size, bool)
        keep[2000:2010] = False
        t, left, right = t[keep], left[keep], right[keep]
    if name == "many missing rows":
        keep = np.ones(t.size, bool)
        keep[2000:2500] = False
        t, left, right = t[keep], left[keep], right[keep]
    if name == "a spike":
        left[2500] += 4000
    if name == "many spikes":
        left[::97] += 4000
    if name == "saturated":
        left = np.minimum(left, 900.0)
    if name == "upside down":
        left, right = -left, -right
    if name == "milligrams":
        left, right = left * 1000, right * 1000
    if name == "kgf without a word":
        left, right = left / 98.0665, right / 98.0665
    if name == "dead plate":
        right[:] = 300.0
    if name == "infinite":
        left[100] = np.inf
    if name == "too short":
        t, left, right = t[:500], left[:500], right[:500]
    if name == "too slow":
        t, left, right = t[::10], left[::10], right[::10]
    if name == "one plate":
        return [t, left], "time,left Fz"
    return [t, left, right], head


REPAIRED = {
    "a few lost": "bridged", "doubled stamps": "doubled time stamps", "missing rows": "bridged", "a spike": "spikes",
    "upside down": "sign was turned", "infinite": "bridged",
}  # fmt: skip
REFUSED = {
    "empty": "empty", "header only": "no rows of numbers", "words": "no rows of numbers", "binary": "no text file",
    "long gap": "misses", "a plate of nothing": "no readable sample|both plates",
    "time runs back": "backwards",
    "many doubled stamps": "clock", "many missing rows": "missing at", "many spikes": "spikes", "saturated": "ceiling",
    "milligrams": "unit", "kgf without a word": "unit", "dead plate": "not measuring", "too short": "shorter",
    "too slow": "too few", "one plate": "both plates",
}  # fmt: skip


def damaged_file(tmp_path, name):
    columns, head = damaged(name)
    path = tmp_path / "damaged.csv"
    if isinstance(head, bytes):
        path.write_bytes(head)
    elif columns is None:
        path.write_text(head)
    else:
        write(path, columns, head)
    return path


@pytest.mark.parametrize("name", REPAIRED)
def test_damage_that_can_be_mended_is_mended_and_said(tmp_path, name):
    found = analyse(read_plates(damaged_file(tmp_path, name)), "squat-iso")
    assert any(REPAIRED[name] in warning for warning in found.warnings)
    assert found.trials("share", Side.NONE).mean() == pytest.approx(TRUE, abs=0.3)


@pytest.mark.parametrize("name", REFUSED)
def test_damage_that_leaves_doubt_is_refused_in_a_sentence(tmp_path, name):
    with pytest.raises(BadInput, match=REFUSED[name]):
        analyse(read_plates(damaged_file(tmp_path, name)), "squat-iso")


def test_other_refusals(tmp_path):
    path = write(tmp_path / "x.csv", [TIME, LEFT, RIGHT])
    with pytest.raises(BadInput, match="cannot be opened"):
        read_plates(tmp_path / "none.csv")
    with pytest.raises(BadInput, match="Column 9 is missing"):
        read_table(path, Mapping("utf-8", ",", ".", 1, 1, 8, 0))
    with pytest.raises(BadInput, match="how many samples a second"):
        read_table(path, Mapping("utf-8", ",", ".", 1, 1, 2))
    with pytest.raises(BadInput, match="No column of force"):
        read_table(path, Mapping("utf-8", ",", ".", 1, None, None, 0))
    (tmp_path / "x.c3d").write_bytes(b"nothing of the kind")
    with pytest.raises(BadInput, match="not a readable C3D file"):
        read_plates(tmp_path / "x.c3d")


"""Axes of a plate in the laboratory: its z points into the ground, as makers build them."""


"""Half the distances of the four sensors of a type 3 plate, mm."""
"""Newtons and newton-millimetres a volt of a type 4 plate."""


def test_points_of_pressure_survive_a_table_and_are_lost_where_nothing_presses(tmp_path):
    force = np.where(TIME < 2, 5.0, 600.0 + 20 * np.sin(40 * TIME))
    place = np.column_stack([20 * np.sin(TIME), 100 + 10 * np.cos(TIME)])
    head = "time (s);left Fz (N);left COP x (cm);left COP y (cm);right Fz (N)"
    path = write(tmp_path / "x.csv", [TIME, force, *(place / 10).T, force + 1], head, ";")
    found = read_plates(path)
    assert set(found.point) == {Side.LEFT}
    assert np.isnan(found.point[Side.LEFT][:1900]).all()
    np.testing.assert_allclose(found.point[Side.LEFT][2100:], place[2100:], atol=0.01)
    write_csv(found, tmp_path / "again.csv")
    again = read_plates(tmp_path / "again.csv")
    np.testing.assert_allclose(again.point[Side.LEFT][2100:], place[2100:], atol=0.01)
    far = write(tmp_path / "far.csv", [TIME, force, *(100 * place).T, force + 1], head, ";")
    with pytest.raises(BadInput, match="Check its unit"):
        read_plates(far)
    kept = json.loads(json.dumps(preview(path).mapping.to_dict()))
    assert read_mapping(kept).left_point == (2, 3)


def test_a_flat_top_is_a_ceiling_only_where_force_would_have_gone_on(tmp_path):
    """Whole newtons and no noise: slow sway has flat tops by rounding, a push into a ceiling has not."""
    t = np.arange(8000) / 1000
    sway = np.round(350 + 12 * np.sin(2 * np.pi * 0.3 * t))
    assert read_plates(write(tmp_path / "stand.csv", [t, sway, 700 - sway])).size == 8000
    push = 350 + 800 * np.clip((t - 2) / 0.15, 0, 1)
    with pytest.raises(BadInput, match="ceiling of 900 N"):
        read_plates(write(tmp_path / "push.csv", [t, np.minimum(push, 900), 700 - sway]))


def test_the_command_line_prints_json_and_refuses_in_words(tmp_path):
    path = write(tmp_path / "x.csv", [TIME, LEFT, RIGHT])
    run = CliRunner()
    done = run.invoke(main, ["force", str(path), "--test", "squat-iso", "--json"])
    told = json.loads(done.output)
    assert told["version"] == 1 and len(told["repetitions"]) == 2
    share = next(s for s in told["summaries"] if s["metric"] == "share")
    assert share["mean"] == pytest.approx(TRUE, abs=0.3) and share["unit"] == "%" and share["n"] == 2
    kept = tmp_path / "map.json"
    kept.write_text(json.dumps(Mapping("utf-8", ",", ".", 1, 2, 1, 0).to_dict()))
    swapped = run.invoke(main, ["force", str(path), "--test", "squat-iso", "--map", str(kept), "--json"])
    other = next(s for s in json.loads(swapped.output)["summaries"] if s["metric"] == "share")
    assert other["mean"] == pytest.approx(100 - share["mean"], abs=1e-6)
    turned = run.invoke(main, ["force", str(path), "--test", "squat-iso", "--swap", "--json"])
    assert json.loads(turned.output)["summaries"] == json.loads(swapped.output)["summaries"]
    peaks = [s for s in told["summaries"] if s["metric"] == "peak" and s["side"] == "left"]
    assert 0.04 < peaks[0]["error"] / peaks[0]["mean"] < 0.0784 and "duration" in {
        s["metric"] for s in told["summaries"] if s["error"] is None
    }
    table = run.invoke(main, ["force", str(path), "--test", "lunge-iso", "--side", "left"])
    assert table.exit_code == 0 and "rate-200" in table.output and "N/s" in table.output
    wrong = run.invoke(main, ["force", str(path), "--test", "lunge-iso"])
    assert wrong.exit_code == 2 and "which leg" in wrong.output
    kept.write_text("{nonsense")
    assert run.invoke(main, ["force", str(path), "--test", "squat-iso", "--map", str(kept)]).exit_code == 2


# nothing wrong goes by without a word


def noted(path) -> str:
    return " ".join(read_table(path).notes)


def test_one_spike_downward_turns_no_plate(tmp_path):
    left, right = LEFT * 0.1, RIGHT.copy()
    left[5000] = -900.0
    found = read_table(write(tmp_path / "x.csv", [TIME, left, right]))
    assert found.force[Side.LEFT].mean() == pytest.approx(LEFT.mean() * 0.1, rel=0.05)
    assert "turned" not in " ".join(found.notes)
    turned = read_table(write(tmp_path / "y.csv", [TIME, -LEFT, RIGHT]))
    assert "left plate pointed down" in " ".join(turned.notes) and turned.force[Side.LEFT].mean() > 0


def test_a_last_line_that_was_cut_is_dropped_and_told(tmp_path):
    path = write(tmp_path / "x.csv", [TIME, LEFT, RIGHT])
    whole = path.read_text()
    path.write_text(whole[: len(whole) - 14])
    found = read_table(path)
    assert "last line was cut" in " ".join(found.notes) and found.size == TIME.size - 1
    cut_number = whole.rstrip("\n")[:-3]  # 345.6789 became 345.6: a number still, and nobody can tell
    path.write_text(cut_number)
    assert read_table(path).size in (TIME.size, TIME.size - 1)


def test_a_plate_that_never_carries_anything_is_told(tmp_path):
    idle = np.random.default_rng(4).normal(0, 1.5, TIME.size)
    assert "right plate never carried" in noted(write(tmp_path / "x.csv", [TIME, LEFT, idle]))
    assert "never carried" not in noted(write(tmp_path / "y.csv", [TIME, LEFT, RIGHT]))


def test_what_was_taken_for_granted_is_told(tmp_path):
    assert "milliseconds" in noted(write(tmp_path / "x.csv", [1000 * TIME, LEFT, RIGHT], "time,left,right"))
    assert "no names" in noted(write(tmp_path / "y.csv", [TIME, LEFT, RIGHT], ""))
    assert noted(write(tmp_path / "z.csv", [TIME, LEFT, RIGHT])) == ""


@pytest.mark.parametrize(("mass", "words"), [(75.0, ""), (20.0, "no adult"), (310.0, "no adult")])
def test_a_weight_that_fits_no_adult_is_questioned(mass, words):
    still = np.full(30_000, mass * 9.80665 / 2) + np.random.default_rng(1).normal(0, 1, 30_000)
    found = analyse(Recording(1000.0, dict.fromkeys(LEGS, still)), "quiet-stance")
    assert (words in " ".join(found.warnings)) if words else not found.warnings
