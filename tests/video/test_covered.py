"""A sticker half covered by the foot it sits on looks whole; its place is not trusted. One turned away is."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tuning.core.movement.tracks import TRUSTED, Tracks
from tuning.core.types import LEGS
from tuning.video.detect.occlusion import half_covered
from tuning.video.media.planes import YuvFrame
from tuning.video.track.clip_tracker import track

SIZE, FINE = (240, 320), 8
TOE, KNEE = np.array([160.0, 170.0]), np.array([160.0, 60.0])
SHOE, SOLE, GROUND, RED = (205, 128, 128), (180, 122, 134), (60, 128, 128), (120, 110, 190)
"""Brightness, blue and red difference."""


def frame(rng, outward: float, lean_deg: float, way: str, heel: bool = False) -> YuvFrame:
    """A knee's sticker, and a toe's at the outer edge of a shoe: whole, half under the heel, or turned away."""
    planes = []
    turn = cv2.getRotationMatrix2D((160, 120), lean_deg, 1.0)
    for channel in range(3):
        big = np.full((SIZE[0] * FINE, SIZE[1] * FINE), GROUND[channel], np.uint8)

        def put(points, colour, big=big, channel=channel):
            at = np.array(points, float) @ turn[:, :2].T + turn[:, 2]
            cv2.fillPoly(big, [np.round(FINE * at).astype(np.int32)], int(colour[channel]), cv2.LINE_AA)

        def disc(at, out=1.0, down=1.0):
            angle = np.linspace(0, 2 * np.pi, 40)
            return np.stack([at[0] + 6 * out * np.cos(angle), at[1] + 6 * down * np.sin(angle)], axis=1)

        def box(left, right, top, bottom):
            return [(left, top), (right, top), (right, bottom), (left, bottom)]

        x, y = TOE
        outer, inner = x + (40 if way == "slim" else 9) * outward, x - 40 * outward
        put(box(outer, inner, y - 20, y + 20), SHOE)
        put(box(outer, inner, y, y + 20), SOLE if way == "flat" else SHOE)
        put(disc(TOE, 0.75 if way == "slim" else 1.0, 0.75 if way == "flat" else 1.0), RED)
        if way == "half":
            put(box(x - 2.6 * outward, inner, y - 25, y + 25), SHOE)
            put(box(x + 6.5 * outward, outer + outward, y - 25, y + 25), GROUND)
        put(disc(KNEE), RED)
        if heel:
            put(disc((x - 20 * outward, y)), RED)
        planes.append(big)
    y, u, v = (cv2.resize(p, SIZE[::-1], interpolation=cv2.INTER_AREA).astype(float) for p in planes)
    y, u, v = (np.clip(p + rng.normal(0, 2, p.shape), 0, 255).astype(np.uint8) for p in (y, u, v))
    return YuvFrame(y, tuple(cv2.resize(p, (SIZE[1] // 2, SIZE[0] // 2), interpolation=cv2.INTER_AREA) for p in (u, v)))


class Film:
    """Pictures by number, as a clip gives them."""

    def __init__(self, pictures: list[YuvFrame]) -> None:
        self.pictures = pictures

    def forward(self, first, last):
        yield from ((n, self.pictures[n]) for n in range(first, last))

    def backward(self, first, last):
        yield from ((n, self.pictures[n]) for n in range(first, last, -1))


def turned(at, lean_deg: float) -> np.ndarray:
    turn = cv2.getRotationMatrix2D((160, 120), lean_deg, 1.0)
    return turn[:, :2] @ at + turn[:, 2]


@pytest.mark.parametrize("lean_deg", [0.0, 28.0])
@pytest.mark.parametrize("side", [s.value for s in LEGS])
def test_a_toe_half_under_its_heel_is_not_trusted_and_one_turned_away_is(side, lean_deg):
    rng, outward = np.random.default_rng(5), -1.0 if side == "left" else 1.0
    ways = [*["whole"] * 12, *["half"] * 14, *["whole"] * 6, "half", *["whole"] * 7, *["flat"] * 12, *["slim"] * 12]
    pictures = [frame(rng, outward, lean_deg, way) for way in ways]
    marks = {f"knee_back_{side}": turned(KNEE, lean_deg), f"toe_{side}": turned(TOE, lean_deg)}
    found = track(Film(pictures), np.arange(len(ways)) / 60, 0, marks)
    off = np.linalg.norm(found.xy[:, 1] - turned(TOE, lean_deg), axis=1)
    covered = slice(12, 26)
    assert np.nanmin(off[covered]) > 1 and (found.quality[covered, 1] < TRUSTED).all()
    assert (found.quality[:9, 1] >= TRUSTED).all()
    assert np.nanmax(off[40:]) < 1 and (found.quality[29:, 1] >= TRUSTED).mean() > 0.9, "one frame alone is noise"
    assert (found.quality[:, 0] >= TRUSTED).all(), "the knee's is covered by nothing"
    front = {"knee": marks[f"knee_back_{side}"], "ankle": marks[f"toe_{side}"]}
    aslant = track(Film(pictures), found.times, 0, {f"{name}_{side}": at for name, at in front.items()})
    assert (aslant.quality[covered, 1] >= TRUSTED).mean() > 0.5, "an ankle that looks so is seen aslant"


@pytest.mark.parametrize("side", [s.value for s in LEGS])
def test_a_toe_half_under_its_heel_is_placed_where_its_whole_disc_would_be(side):
    rng, outward = np.random.default_rng(6), -1.0 if side == "left" else 1.0
    ways = [*["whole"] * 12, *["half"] * 14]
    film = Film([frame(rng, outward, 0.0, way, heel=True) for way in ways])
    marks = {f"knee_back_{side}": KNEE, f"toe_{side}": TOE, f"heel_{side}": TOE - [20 * outward, 0]}
    with_heel, without = (
        track(film, np.arange(len(ways)) / 60, 0, dict(list(marks.items())[:count])) for count in (3, 2)
    )
    off = [np.linalg.norm(found.xy[14:, 1] - TOE, axis=1) for found in (with_heel, without)]
    assert np.nanmedian(off[0]) < 0.5 * np.nanmedian(off[1]) and (with_heel.quality[14:, 1] < TRUSTED).all()
    np.testing.assert_array_equal(with_heel.xy[:9, 1], without.xy[:9, 1], "whole ones stay where they were found")


@pytest.mark.parametrize(("every", "told"), [(1, True), (3, True), (5, False)])
def test_a_toe_that_looks_cut_in_a_third_of_the_frames_is_cut_in_all_of_them(every, told):
    """Blur and halved colour make a sliver look whole in most frames; one narrow frame alone is noise."""
    names, frames = ("knee_back_left", "toe_left"), np.arange(40)
    found = Tracks(names, frames / 60, np.tile([[0.0, 0.0], [0.0, 200.0]], (40, 1, 1)), np.ones((40, 2)))
    narrow = np.where((frames % every == 0)[:, None], [1.5, 0.0], np.nan)
    cut = half_covered(found, narrow, 0, 1)
    assert cut[4:36].all() if told else cut.mean() < 0.3
    assert not half_covered(found, narrow[:, ::-1], 0, 1).any(), "a foot that pitches is narrow along the shank"
