"""What a whole clip tells about its marks lowers trust where names were exchanged, and nowhere else."""

from __future__ import annotations

import numpy as np
import pytest

from tuning.core.movement.tracks import TRUSTED, Tracks
from tuning.core.types import LEGS
from tuning.video.track.quality_checks import doubt, doubt_bits

NAMES = ("knee_back", "heel_top", "heel", "toe")
FRAMES = 120
WHOLE = np.full((FRAMES, len(NAMES), 2), np.nan)
"""Every find is a whole disc."""


def leg(side: str, lift: float = 60.0) -> Tracks:
    """A leg that swings up every 40 frames, its heel above its tendon for a few frames at the top."""
    t = np.arange(FRAMES)
    up = lift * np.maximum(0.0, np.sin(2 * np.pi * t / 40)) ** 2
    x = np.full(FRAMES, 300.0 if side == "left" else 380.0)
    turned = np.where(up > 0.9 * lift, -1.0, 1.0) if lift else np.ones(FRAMES)
    tracks = Tracks.empty(tuple(f"{name}_{side}" for name in NAMES), t / 60)
    for k, (down, out) in enumerate(((400.0, 0.0), (520.0 - up, 0.0), (550.0 - up, 0.0), (560.0 - up, 22.0))):
        at = down if k != 2 else 520.0 - up + 30 * turned
        tracks.xy[:, k] = np.stack([x + (out if side == "left" else -out), np.broadcast_to(at, FRAMES)], axis=1)
    tracks.quality[:] = 1.0
    return tracks


def lose(tracks: Tracks, mark: int, first: int, last: int) -> None:
    tracks.xy[first:last, mark], tracks.quality[first:last, mark] = np.nan, 0.0


@pytest.mark.parametrize("side", [s.value for s in LEGS])
def test_names_exchanged_after_a_gap_are_doubted_until_the_next(side):
    tracks = leg(side, 0.0)
    lose(tracks, 2, 40, 44)
    lose(tracks, 2, 80, 84)
    tracks.xy[44:80, [1, 2]] = tracks.xy[44:80, [2, 1]]
    doubt(tracks, 0, WHOLE)
    assert (tracks.quality[44:80, 1:3] < TRUSTED).all()
    assert (tracks.quality[:39, :] >= TRUSTED).all() and (tracks.quality[85:, :] >= TRUSTED).all()
    assert (tracks.quality[44:80, [0, 3]] >= TRUSTED).all(), "knee and toe are as they were"


def test_a_foot_that_turns_over_for_a_moment_while_it_is_followed_is_believed():
    tracks = leg("left")
    lose(tracks, 2, 60, 64)
    doubt(tracks, 0, WHOLE)
    assert (np.delete(tracks.quality, np.s_[59:65], axis=0) >= TRUSTED).all()


@pytest.mark.parametrize("side", [s.value for s in LEGS])
def test_a_mark_of_a_foot_that_sits_on_the_other_foot_is_doubted_and_its_fellows_are_not(side):
    tracks = leg(side, 0.0)
    tracks.xy[50:70, 3, 0] += 130 if side == "left" else -130
    doubt(tracks, 0, WHOLE)
    assert (tracks.quality[50:70, 3] < TRUSTED).all() and (tracks.quality[50:70, :3] >= TRUSTED).all()
    assert (np.delete(tracks.quality, np.s_[50:70], axis=0) >= TRUSTED).all()


def test_beside_a_gap_no_sticker_is_trusted_and_a_whole_one_a_frame_later_is():
    tracks = leg("left", 0.0)
    tracks.quality[[37, 38, 46, 47], 0] = (0.99, 0.98, 0.8, 0.8)
    lose(tracks, 0, 40, 45)
    doubt(tracks, 0, WHOLE)
    assert (tracks.quality[[39, 45], 0] < TRUSTED).all(), "next to the gap"
    assert tracks.quality[38, 0] == 0.98 and tracks.quality[46, 0] < TRUSTED, "whole, and less than whole"
    assert tracks.quality[37, 0] == 0.99 and tracks.quality[47, 0] == 0.8


def test_a_mark_that_a_person_set_beside_a_gap_stands():
    tracks = leg("left", 0.0)
    lose(tracks, 0, 41, 45)
    doubt(tracks, 40, WHOLE)
    assert tracks.quality[40, 0] == 1.0 and tracks.quality[45, 0] < TRUSTED


def test_marks_that_nobody_set_on_a_knee_or_a_foot_are_left_alone():
    tracks = leg("left", 0.0)
    plain = Tracks(("a", "b", "c", "d"), tracks.times, tracks.xy.copy(), tracks.quality.copy())
    plain.xy[50:70, 3] += 400
    doubt(plain, 0, WHOLE)
    assert (plain.quality == 1).all()


@pytest.mark.parametrize(("bits", "most"), [(0.001, 0.6), (0.007, 0.9), (0.05, 1.0)])
def test_few_bits_lower_the_quality_of_what_moves_but_not_its_own_click_nor_what_rests(bits, most):
    tracks = leg("left")
    tracks.quality[30:40, 2] = 0.55
    lose(tracks, 3, 50, 60)
    doubt_bits(tracks, bits, 10)
    assert (tracks.quality[:, 0] == 1).all() and (tracks.quality[10] == 1).all(), "what rests, and the click"
    assert (tracks.quality[40:58, 1] == most).all() and (tracks.quality[30:40, 2] == 0.55).all()
    assert (tracks.quality[50:60, 3] == 0).all()


def two_legs(*kinds: str) -> Tracks:
    """A body that stands still for two seconds, left and right of it 80 px apart."""
    high = {"psis": 200.0, "buttock": 280.0, "knee_back": 400.0, "heel_top": 520.0, "heel": 550.0}
    names = tuple(f"{kind}_{side.value}" for kind in kinds for side in LEGS)
    tracks = Tracks.empty(names, np.arange(FRAMES) / 60)
    tracks.xy[:] = [(300.0 if name.endswith("left") else 380.0, high[name.rsplit("_", 1)[0]]) for name in names]
    tracks.quality[:] = 1.0
    return tracks


@pytest.mark.parametrize("mark", [0, 1], ids=["left", "right"])
def test_where_a_pelvis_seems_to_lie_on_its_side_nothing_is_trusted(mark):
    tracks = two_legs("psis", "buttock", "knee_back", "heel")
    tracks.xy[50:70, mark] = tracks.xy[50:70, mark + 2]
    tracks.xy[80:100, mark, 1] += 20  # a pelvis that drops by 14 degrees
    doubt(tracks, 10, np.full((*tracks.xy.shape,), np.nan))
    assert (tracks.quality[50:70] < TRUSTED).all()
    assert (np.delete(tracks.quality, np.s_[50:70], axis=0) == 1.0).all()


@pytest.mark.parametrize(("lost", "trusted"), [(5, False), (4, True)])
def test_where_most_marks_are_lost_the_rest_is_not_trusted(lost, trusted):
    tracks = two_legs("psis", "buttock", "knee_back", "heel_top")
    for mark in range(lost):
        lose(tracks, 7 - mark, 60, 120)
    doubt(tracks, 0, np.full((*tracks.xy.shape,), np.nan))
    assert (tracks.quality[80:, : 8 - lost] >= TRUSTED).all() == trusted
    assert (tracks.quality[:40] >= TRUSTED).all()


def test_heel_and_tendon_exchanged_while_the_knee_is_hidden_are_doubted():
    tracks = leg("left", 0.0)
    lose(tracks, 0, 42, 78)
    for gap in (40, 80):
        lose(tracks, 2, gap, gap + 4)
    tracks.xy[44:80, [1, 2]] = tracks.xy[44:80, [2, 1]]
    doubt(tracks, 0, WHOLE)
    assert (tracks.quality[44:80, 1:3] < TRUSTED).all()


def test_a_foot_that_was_marked_while_it_swung_up_does_not_set_the_order():
    tracks = leg("left", 0.0)
    tracks.xy[0, 2] = tracks.xy[0, 1] - (0, 4)  # heel and tendon nearly in one place
    for gap in (40, 80):
        lose(tracks, 2, gap, gap + 4)
    tracks.xy[44:80, [1, 2]] = tracks.xy[44:80, [2, 1]]
    doubt(tracks, 0, WHOLE)
    assert (tracks.quality[44:80, 1:3] < TRUSTED).all() and (tracks.quality[85:] >= TRUSTED).all()
