"""A camera that is held by hand: how it moves is told by the background, and taken out of what is measured."""

import cv2
import numpy as np
import pytest

from tuning.core.movement.tracks import STILL, TRUSTED, carried
from tuning.video.detect.camera_motion import CameraMotion, known_moves
from tuning.video.media.planes import YuvFrame
from tuning.video.track.clip_tracker import track

SIZE = 1280, 720
ROOM = cv2.GaussianBlur(np.random.default_rng(5).uniform(20, 235, (760, 1320)).astype(np.float32), None, 6.0)
ROOM = np.clip(110 + 9 * (ROOM - ROOM.mean()), 0, 255).astype(np.float32)
"""Blotches of a hand's width."""
MARKS = np.array([[600.0, 160], [660, 160], [610, 640], [650, 640]])


def seen(camera, light=1.0, person=(0, 0), noise=0.0):
    """The room through a camera that moved so (a, b, x, y), with somebody in the middle who moves by himself."""
    a, b, x, y = camera
    plane = cv2.warpAffine(
        ROOM, np.float32([[a, -b, x - 0.5 * (1 - a + b)], [b, a, y - 0.5 * (1 - b - a)]]), SIZE, flags=cv2.INTER_CUBIC
    )
    left, top = 540 + person[0], 120 + person[1]
    plane[top : top + 560, left : left + 180] = ROOM[:560, :180][::-1]
    plane = plane * light + np.random.default_rng(9).normal(0, noise or 1e-9, plane.shape)
    return np.clip(plane, 0, 255).astype(np.uint8)


def moves():
    for x, y in ((9.0, -4.3), (-14.2, 6.6), (2.25, 11.75)):
        for turn in (-1.1, 0.0, 0.7):
            for zoom in (1.0, 0.99):
                a, b = zoom * np.cos(np.radians(turn)), zoom * np.sin(np.radians(turn))
                yield np.array([a, b, x, y])


@pytest.mark.parametrize(("light", "noise"), [(1.0, 0.0), (0.85, 0.0), (1.1, 6.0)])
def test_the_background_tells_shift_turn_and_stretch_whoever_moves_before_it(light, noise):
    background = CameraMotion(seen(STILL), MARKS)
    places = np.array([[0, 0], [1280, 0], [640, 360], [0, 720], [1280, 720.0]])
    for n, camera in enumerate(moves()):
        told = background.moved(seen(camera, light, (3 * n, -2 * n), noise))
        assert carried(places, STILL, told) == pytest.approx(carried(places, STILL, camera), abs=0.3)
        assert carried(MARKS, STILL, told) == pytest.approx(carried(MARKS, STILL, camera), abs=0.2)


def test_a_single_mark_stands_for_a_person_too():
    """In front of a plain wall with one picture on it the person's own way is not the camera's."""

    def room(at):
        plane = np.full(SIZE[::-1], 120, np.uint8)
        plane[100:160, 1000:1080] = 60
        plane[100:660, 560 + at : 720 + at] = seen(STILL)[100:660, 560:720]
        return plane

    told = CameraMotion(room(0), MARKS[:1]).moved(room(6))
    assert np.isnan(told).all() or told == pytest.approx(STILL, abs=0.3)


def test_a_plain_wall_or_one_that_is_gone_tells_nothing():
    plain = CameraMotion(np.full(SIZE[::-1], 120, np.uint8), MARKS)
    assert np.isnan(plain.moved(seen(STILL))).all()
    rng = np.random.default_rng(3)
    other = cv2.GaussianBlur(rng.uniform(0, 255, SIZE[::-1]).astype(np.float32), None, 6.0)
    other = np.clip(110 + 9 * (other - other.mean()), 0, 255).astype(np.uint8)
    background = CameraMotion(seen(STILL), MARKS)
    assert np.isnan(background.moved(other)).all()
    assert background.moved(seen(STILL)) == pytest.approx(STILL, abs=0.05), "and is known again when it is back"


def test_places_carried_there_and_back_are_where_they_were():
    one, other = np.array([0.99, 0.02, 8.0, -3.0]), np.array([1.01, -0.01, -5.0, 12.0])
    assert carried(carried(MARKS, one, other), other, one) == pytest.approx(MARKS)
    assert carried(MARKS, STILL, np.array([1, 0, 7, -2.0])) == pytest.approx(MARKS + [7, -2])
    assert carried(MARKS, one, np.full(4, np.nan)) == pytest.approx(MARKS)
    quarter = carried(np.array([[10.0, 0]]), STILL, np.array([0.0, 1, 0, 0]))
    assert quarter == pytest.approx(np.array([[0.0, 10]])), "x turns to y, downward"


def test_a_camera_that_stood_still_has_no_moves_one_hardly_known_none_that_are_told():
    swaying = np.stack([np.ones(20), np.zeros(20), 8 * np.sin(np.arange(20) / 2), np.arange(20) / 5], axis=1)
    known = swaying.copy()
    known[[4, 11, 12]] = np.nan
    assert known_moves(known, (720, 1280)) == pytest.approx(swaying, abs=1.5)
    known[::3] = np.nan
    assert np.isnan(known_moves(known, (720, 1280))).all()
    assert known_moves(np.tile([1, 0, 0.4, 0.3], (9, 1)), (720, 1280)) is None
    assert known_moves(np.tile([1, 0.002, 0, 0], (9, 1)), (720, 1280)) is not None, "a turn moves the far corner"


class Held:
    """A clip of discs on a person before the room, held by a hand that sways."""

    def __init__(self, at, cameras):
        self.pictures = []
        for places, camera in zip(at, cameras, strict=True):
            big = cv2.resize(seen(camera), None, fx=2, fy=2, interpolation=cv2.INTER_CUBIC)
            big[2 * 130 : 2 * 670, 2 * 550 : 2 * 710] = 70
            for x, y in carried(places, STILL, camera):
                cv2.circle(big, (round(32 * x - 8), round(32 * y - 8)), 160, 210, -1, cv2.LINE_AA, 4)
            self.pictures.append(YuvFrame(cv2.resize(big, SIZE, interpolation=cv2.INTER_AREA)))

    def forward(self, start, stop):
        return ((n, self.pictures[n]) for n in range(start, stop))

    def backward(self, start, stop):
        return ((n, self.pictures[n]) for n in range(start, stop, -1))


@pytest.mark.parametrize("start", [0, 12])
def test_marks_of_a_clip_that_was_held_by_hand_are_where_they_were_in_the_room(start):
    n = np.arange(24)
    sway = np.stack([14 * np.sin(n / 2), -9 * np.sin(n / 3 + 1)], axis=1)
    turn = np.radians(0.5 * np.sin(n / 4))
    cameras = np.stack([np.cos(turn), np.sin(turn), *(sway - sway[start]).T], axis=1)
    at = MARKS + np.stack([0.4 * n, 6 * np.sin(n / 3)], axis=1)[:, None]
    first = carried(at[start], STILL, cameras[start])
    marks = dict(zip(("psis_left", "psis_right", "heel_left", "heel_right"), first, strict=True))
    found = track(Held(at, cameras), n / 60, start, marks)
    assert (found.quality >= TRUSTED).all() and found.camera is not None
    in_the_room = np.array([carried(places, cameras[start], STILL) for places in found.steadied().xy])
    assert np.abs(in_the_room - at).max() < 0.4
    assert np.abs(found.xy - at).max() > 5, "in the picture they are elsewhere"


def test_of_a_camera_that_stood_still_nothing_is_taken_out():
    at = np.tile(MARKS, (6, 1, 1))
    marks = dict(zip(("psis_left", "psis_right", "heel_left", "heel_right"), MARKS, strict=True))
    assert track(Held(at, np.tile(STILL, (6, 1))), np.arange(6) / 60, 0, marks).camera is None
