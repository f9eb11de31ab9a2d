"""Plates in C3D files: analog channels, force platforms of each type, and what a damaged file ends in."""

import sys

import chance
import ezc3d
import numpy as np
import pytest

from tuning.core.errors import BadInput
from tuning.core.force.analysis import analyse
from tuning.core.types import Side
from tuning.demo import simulated_plates as plates
from tuning.demo.simulated_plates import Faults, SimulatedPerson, heard
from tuning.exchange.c3d.subprocess_reader import announced
from tuning.exchange.plates import read_plates

SCENE = plates.isometric(SimulatedPerson(mass_kg=75, push_left=800, push_right=600), reps=2)


LEFT, RIGHT = heard(SCENE, Faults(), np.random.default_rng(5))


TIME = SCENE.times


def share_of(path, mapping=None):
    return analyse(read_plates(path, mapping), "squat-iso").trials("share", Side.NONE).mean()


TRUE = 100 * SCENE.right[4000] / (SCENE.left + SCENE.right)[4000]


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


SENSORS = 150.0, 250.0


GAIN = np.array([2.0, 2.0, 5.0, 800.0, 800.0, 400.0])


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


def plates_in_c3d(path, middles, pressed, kind=2, names=None, zero=(0, 0), offset=0.0):
    """Plates of a type at `middles` (mm, laboratory), pressed by (force N, place mm in the laboratory); their channels
    say `names`, `zero` are frames of an empty plate, `offset` is what every channel reads too much."""
    channels, corners, count = [], [], len(middles)
    for middle, (force, place) in zip(middles, pressed, strict=True):
        x, y, _ = (np.column_stack([place - middle, np.zeros(len(place))]) @ DOWN).T
        channels += channels_of(kind, force, x, y)
        box = np.array([[1, 1, 0], [-1, 1, 0], [-1, -1, 0], [1, -1, 0]]) * (200, 300, 0)
        corners.append((np.append(middle, 0) + box @ DOWN.T).T)
    each = len(channels) // count
    labels = [f"{names[n // each] if names else ''} channel {n}" for n in range(len(channels))]
    channels = [channel + offset for channel in channels]
    for file in c3d_of(path, labels, channels, ["V" if kind == 4 else "N"] * len(labels)):
        group = file["parameters"]["FORCE_PLATFORM"]
        group["USED"]["value"], group["TYPE"]["value"] = [count], [kind] * count
        group["ZERO"]["value"] = list(zero)
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


@pytest.mark.parametrize("plates", [False, True])
def test_a_c3d_file_that_breaks_off_is_told_and_a_whole_one_is_not(tmp_path, plates):
    whole, torn = tmp_path / "whole.c3d", tmp_path / "torn.c3d"
    if plates:
        middles = [np.array([250.0, 0.0]), np.array([-250.0, 0.0])]
        still = [np.tile(middle + 10, (TIME.size, 1)) for middle in middles]
        plates_in_c3d(whole, middles, list(zip((RIGHT, LEFT), still, strict=True)))
    else:
        for _ in c3d_of(whole, ["Fz left", "Fz right"], [LEFT, RIGHT], ["N", "N"]):
            pass
    data = whole.read_bytes()
    for share in (1.0, 0.97, 0.6):
        torn.write_bytes(data[: round(share * len(data))])
        notes = read_plates(torn).notes
        assert any("breaks off" in note for note in notes) is (share < 1), notes


@pytest.mark.parametrize(("order", "processor"), [("little", 84), ("big", 86)])
def test_the_frames_a_header_promises_are_read_in_either_byte_order(tmp_path, order, processor):
    head = bytearray(1024)
    head[0], head[515] = 2, processor
    head[6:8], head[8:10] = (11).to_bytes(2, order), (1410).to_bytes(2, order)
    (tmp_path / "head.c3d").write_bytes(head)
    assert announced(str(tmp_path / "head.c3d")) == 1400


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
            refused += bool(read_plates(bad).notes)
        except BadInput as err:
            refused += 1
            assert bad.name in str(err) or "force" in str(err).lower(), err
    assert refused > HARMED // 4


def test_a_file_that_ends_the_reader_or_eats_memory_is_refused(tmp_path, monkeypatch):
    from tuning import sandbox

    for file in c3d_of(tmp_path / "whole.c3d", ["Fz left", "Fz right"], [LEFT, RIGHT], ["N", "N"]):
        assert file is not None
    ended = "import os, signal; os.kill(os.getpid(), signal.SIGSEGV)"
    eating = "import resource; resource.setrlimit(resource.RLIMIT_AS, (1 << 28, 1 << 28)); bytearray(1 << 30)"
    for program in (ended, eating):
        (tmp_path / "python").write_text(f"#!/bin/sh\nexec {sys.executable} -c '{program}'\n")
        (tmp_path / "python").chmod(0o755)
        with monkeypatch.context() as patch:
            patch.setattr(sandbox.sys, "executable", str(tmp_path / "python"))
            with pytest.raises(BadInput, match=r"whole\.c3d is not a readable C3D file"):
                read_plates(tmp_path / "whole.c3d")


def in_place(middle):
    return np.tile(np.array(middle) + 10.0, (TIME.size, 1))


@pytest.mark.parametrize("first", [Side.LEFT, Side.RIGHT])
def test_what_the_channels_say_of_a_side_goes_before_the_place(tmp_path, first):
    """The person faces the other way: the plate with the greater x is the left one, and the file says so."""
    force = {Side.LEFT: LEFT, Side.RIGHT: RIGHT}
    middles = [(250.0, 0.0), (-250.0, 0.0)] if first is Side.LEFT else [(-250.0, 0.0), (250.0, 0.0)]
    pressed = [(force[s], in_place(m)) for s, m in zip((first, first.other), middles, strict=True)]
    found = read_plates(
        plates_in_c3d(tmp_path / "p.c3d", middles, pressed, names=[f"{first.value} Fz", f"{first.other.value} Fz"])
    )
    for side in force:
        np.testing.assert_allclose(found.force[side], force[side][: found.size], atol=0.01)
    assert found.point[Side.LEFT][:, 0].mean() < found.point[Side.RIGHT][:, 0].mean(), "to the right is positive"


def test_all_plates_are_looked_at_and_empty_ones_left_out(tmp_path):
    """The feet stand on the second and the fourth of four; three that are loaded are refused."""
    empty, middles = np.full(TIME.size, 0.5), [(x, 0.0) for x in (-750.0, -250.0, 200.0, 250.0)]
    pressed = [(f, in_place(m)) for f, m in zip((empty, LEFT, empty, RIGHT), middles, strict=True)]
    found = read_plates(plates_in_c3d(tmp_path / "four.c3d", middles, pressed))
    np.testing.assert_allclose(found.force[Side.RIGHT], RIGHT[: found.size], atol=0.01)
    assert any("left out: 1, 3 of 4" in note for note in found.notes)
    pressed[0] = (LEFT, pressed[0][1])
    with pytest.raises(BadInput, match=r"3 plates that were stood on \(1, 2, 4\)"):
        read_plates(plates_in_c3d(tmp_path / "three.c3d", middles, pressed))


@pytest.mark.parametrize("kind", [2, 3])
def test_frames_of_an_empty_plate_set_it_to_zero(tmp_path, kind):
    """Every channel reads 20 N too much; the file names ten frames in which nobody stood there."""
    middles, stands = [(-250.0, 0.0), (250.0, 0.0)], TIME > 0.2
    pressed = [(f * stands, in_place(m)) for f, m in zip((LEFT, RIGHT), middles, strict=True)]
    found = read_plates(plates_in_c3d(tmp_path / "z.c3d", middles, pressed, kind, zero=(1, 10), offset=20.0))
    np.testing.assert_allclose(found.force[Side.LEFT], (LEFT * stands)[: found.size], atol=0.01)
    np.testing.assert_allclose(found.point[Side.LEFT][1000:, 0], -240, atol=0.5)
    assert any("set to zero over the frames" in note for note in found.notes)


def test_frames_of_an_empty_plate_in_which_somebody_stands_are_not_used_and_said(tmp_path):
    """Many files name their first frames whatever happens in them."""
    middles = [(-250.0, 0.0), (250.0, 0.0)]
    pressed = [(f, in_place(m)) for f, m in zip((LEFT, RIGHT), middles, strict=True)]
    found = read_plates(plates_in_c3d(tmp_path / "z.c3d", middles, pressed, zero=(1, 10)))
    np.testing.assert_allclose(found.force[Side.LEFT], LEFT[: found.size], atol=0.01)
    assert any("A person stood on a plate" in note for note in found.notes)
