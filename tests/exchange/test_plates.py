"""Plate files: what is recognised, what is repaired and said, what is refused."""

import json
import sys

import chance
import ezc3d
import numpy as np
import pytest
from click.testing import CliRunner

from tuning.cli import main
from tuning.core.errors import BadInput
from tuning.core.force.analysis import analyse
from tuning.core.force.recording import Recording
from tuning.core.types import LEGS, Side
from tuning.devices import plates
from tuning.devices.plates import Body, Faults, heard
from tuning.exchange.csv.mapping import Mapping, read_mapping
from tuning.exchange.csv.plates import read_table, write_csv
from tuning.exchange.csv.recognise import preview
from tuning.exchange.plates import read_plates

SCENE = plates.isometric(Body(mass_kg=75, push_left=800, push_right=600), reps=2)
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
    with pytest.raises(BadInput, match="no C3D file"):
        read_plates(tmp_path / "x.c3d")


def c3d_of(path, labels, channels, units):
    """A file with one marker and these analog channels at 1000 Hz; shape of each (n,)."""
    count = 10 * (len(channels[0]) // 10)
    file = ezc3d.c3d()
    file["parameters"]["POINT"]["RATE"]["value"] = [100.0]
    file["parameters"]["POINT"]["UNITS"]["value"] = ["mm"]
    file["parameters"]["POINT"]["LABELS"]["value"] = ["m"]
    file["data"]["points"] = np.ones((4, 1, count // 10))
    file["parameters"]["ANALOG"]["RATE"]["value"] = [1000.0]
    file["parameters"]["ANALOG"]["LABELS"]["value"] = labels
    file["parameters"]["ANALOG"]["UNITS"]["value"] = units
    file["data"]["analogs"] = np.stack([c[:count] for c in channels])[None]
    yield file
    file.write(str(path))


def test_analog_channels_of_a_c3d_file(tmp_path):
    path = tmp_path / "session.c3d"
    for file in c3d_of(path, ["Fz left", "Fz right"], [LEFT, RIGHT], ["N", "N"]):
        # Plates that the file describes in a way nobody can follow do not keep its channels from being read.
        file["parameters"]["FORCE_PLATFORM"]["USED"]["value"] = [3]
    assert share_of(path) == pytest.approx(TRUE, abs=0.3)


DOWN = np.diag([1.0, -1.0, -1.0])
"""Axes of a plate in the laboratory: its z points into the ground, as makers build them."""


SENSORS = 150.0, 250.0
"""Half the distances of the four sensors of a type 3 plate, mm."""
GAIN = np.array([2.0, 2.0, 5.0, 800.0, 800.0, 400.0])
"""Newtons and newton-millimetres a volt of a type 4 plate."""


def channels_of(kind, force, x, y):
    """What a plate of a C3D type sends when `force` (N) presses at x, y (mm, axes of the plate)."""
    none = 0 * force
    if kind == 1:
        return [none, none, force, x, y, none]
    if kind == 3:
        u, v = x / SENSORS[0], y / SENSORS[1]
        corners = [force / 4 * (1 + i * u) * (1 + j * v) for i, j in ((1, 1), (-1, 1), (-1, -1), (1, -1))]
        return [none] * 4 + corners
    moments = [none, none, force, y * force, -x * force, none]
    return [m / g for m, g in zip(moments, GAIN, strict=True)] if kind == 4 else moments


def plates_in_c3d(path, middles, pressed, kind=2):
    """Plates of a type at `middles` (mm, laboratory), pressed by (force N, place mm in the laboratory)."""
    channels, corners, count = [], [], len(middles)
    for middle, (force, place) in zip(middles, pressed, strict=True):
        x, y, _ = (np.column_stack([place - middle, np.zeros(len(place))]) @ DOWN).T
        channels += channels_of(kind, force, x, y)
        box = np.array([[1, 1, 0], [-1, 1, 0], [-1, -1, 0], [1, -1, 0]]) * (200, 300, 0)
        corners.append((np.append(middle, 0) + box @ DOWN.T).T)
    labels = [f"channel {n}" for n in range(len(channels))]
    for file in c3d_of(path, labels, channels, ["V" if kind == 4 else "N"] * len(labels)):
        group = file["parameters"]["FORCE_PLATFORM"]
        group["USED"]["value"], group["TYPE"]["value"] = [count], [kind] * count
        group["ZERO"]["value"] = [0, 0]
        group["ORIGIN"]["value"] = np.array([[*SENSORS, 0.0] if kind == 3 else [0.0, 0.0, 0.0]] * count).T
        group["CHANNEL"]["value"] = np.arange(1, len(channels) + 1).reshape(count, -1).T
        group["CORNERS"]["value"] = np.stack(corners, axis=2)
        if kind == 4:
            file.add_parameter("FORCE_PLATFORM", "CAL_MATRIX", np.stack([np.diag(GAIN)] * count, axis=2))
    return path


@pytest.mark.parametrize("kind", [1, 2, 3, 4])
@pytest.mark.parametrize(("right", "forward"), [((1, 0), (0, 1)), ((0, 1), (-1, 0))])
def test_plates_in_a_c3d_file_tell_force_and_point_by_leg(tmp_path, right, forward, kind):
    """Plates side by side along either axis of the laboratory; the person may have faced either way."""
    right, forward = np.array(right, float), np.array(forward, float)
    swing = np.sin(2 * np.pi * 0.3 * TIME)
    ahead = {Side.LEFT: 30 + 15 * swing, Side.RIGHT: 55 - 10 * swing}
    out = {Side.LEFT: -230.0, Side.RIGHT: 240.0}
    force = {Side.LEFT: LEFT, Side.RIGHT: RIGHT}
    places = {s: out[s] * right + ahead[s][:, None] * forward for s in ahead}
    order = (Side.RIGHT, Side.LEFT)  # the file's first plate is the right one
    middles = [(-250 if s is Side.LEFT else 250) * right for s in order]
    path = plates_in_c3d(tmp_path / "p.c3d", middles, [(force[s], places[s]) for s in order], kind)
    found = read_plates(path)
    assert any("smaller" in note for note in found.notes)
    assert analyse(found, "squat-iso").trials("share", Side.NONE).mean() == pytest.approx(TRUE, abs=0.3)
    n = found.size
    for side in ahead:
        np.testing.assert_allclose(found.point[side][:, 0], out[side], atol=0.01)
        np.testing.assert_allclose(found.point[side][:, 1], ahead[side][:n], atol=0.01)
    both = (LEFT * ahead[Side.LEFT] + RIGHT * ahead[Side.RIGHT])[:n] / (LEFT + RIGHT)[:n]
    np.testing.assert_allclose(found.support()[:, 1], both, atol=0.02)
    away = found.swapped()
    np.testing.assert_allclose(away.point[Side.LEFT][:, 1], -ahead[Side.RIGHT][:n], atol=0.01)
    np.testing.assert_allclose(away.force[Side.LEFT], found.force[Side.RIGHT])


def test_plates_of_a_type_that_nobody_can_follow_are_named(tmp_path):
    path = plates_in_c3d(tmp_path / "p.c3d", [np.zeros(2)], [(LEFT, np.zeros((LEFT.size, 2)))], kind=6)
    with pytest.raises(BadInput, match="type 6; types 1 to 4"):
        read_plates(path)


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
    kept = json.loads(json.dumps(preview(path).mapping.kept()))
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
    kept.write_text(json.dumps(Mapping("utf-8", ",", ".", 1, 2, 1, 0).kept()))
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
    still = np.full(8000, mass * 9.80665 / 2) + np.random.default_rng(1).normal(0, 1, 8000)
    found = analyse(Recording(1000.0, dict.fromkeys(LEGS, still)), "quiet-stance")
    assert (words in " ".join(found.warnings)) if words else not found.warnings


HARMED = 60 if chance.FRESH else 12


def test_a_damaged_c3d_file_ends_in_a_sentence_whatever_the_reading_library_does(tmp_path):
    """Bytes of the header and the parameters are what sizes and offsets are read from."""
    whole = None
    for file in c3d_of(tmp_path / "whole.c3d", ["Fz left", "Fz right"], [LEFT, RIGHT], ["N", "N"]):
        whole = file
    assert whole is not None
    data = (tmp_path / "whole.c3d").read_bytes()
    refused = 0
    for n in range(HARMED):
        harmed = bytearray(data)
        for _ in range(int(chance.RANDOM.integers(1, 6))):
            harmed[chance.RANDOM.integers(min(2048, len(harmed)))] = int(chance.RANDOM.integers(256))
        bad = tmp_path / f"bad{n}.c3d"
        bad.write_bytes(harmed if n % 3 else harmed[: len(harmed) // 3])
        try:
            read_plates(bad)
        except BadInput as err:
            refused += 1
            assert bad.name in str(err) or "force" in str(err).lower(), err
    assert refused > HARMED // 4


def test_a_file_that_ends_the_reader_or_eats_memory_is_refused(tmp_path, monkeypatch):
    from tuning import apart

    for file in c3d_of(tmp_path / "whole.c3d", ["Fz left", "Fz right"], [LEFT, RIGHT], ["N", "N"]):
        assert file is not None
    ended = "import os, signal; os.kill(os.getpid(), signal.SIGSEGV)"
    eating = "import resource; resource.setrlimit(resource.RLIMIT_AS, (1 << 28, 1 << 28)); bytearray(1 << 30)"
    for program in (ended, eating):
        (tmp_path / "python").write_text(f"#!/bin/sh\nexec {sys.executable} -c '{program}'\n")
        (tmp_path / "python").chmod(0o755)
        with monkeypatch.context() as patch:
            patch.setattr(apart.sys, "executable", str(tmp_path / "python"))
            with pytest.raises(BadInput, match=r"whole\.c3d is no C3D file"):
                read_plates(tmp_path / "whole.c3d")
