"""Marks that lie close together and look alike: names are not exchanged, whatever the foot does."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tuning.video.luma import Picture
from tuning.video.stickers import Sticker, search
from tuning.video.together import Member, groups, solve
from tuning.video.track import SURE, Follower

SIZE = (300, 420)
FOOT = {"heel": (0.0, 0.0), "tendon": (-2.0, -13.0), "toe": (4.0, 24.0)}
"""Places on a foot, px: a heel 13 px below its tendon."""


def drawn(places: dict[str, tuple[float, float]], rng, bright=None, radius=3.5) -> Picture:
    """Bright discs on a dark, noisy ground, drawn at 8 times the size so that their centres are exact."""
    big = np.full((SIZE[0] * 8, SIZE[1] * 8), 70, np.uint8)
    for name, (x, y) in places.items():
        level = (bright or {}).get(name, 190)
        cv2.circle(big, (round(8 * x), round(8 * y)), round(8 * radius), int(level), -1, cv2.LINE_AA)
    plane = cv2.resize(big, SIZE[::-1], interpolation=cv2.INTER_AREA).astype(float)
    return Picture(np.clip(plane + rng.normal(0, 3, plane.shape), 0, 255).astype(np.uint8))


def foot_at(centre, turn_deg: float) -> dict[str, tuple[float, float]]:
    c, s = np.cos(np.radians(turn_deg)), np.sin(np.radians(turn_deg))
    return {n: (centre[0] + c * x - s * y, centre[1] + s * x + c * y) for n, (x, y) in FOOT.items()}


def swinging(n: int) -> dict[str, tuple[float, float]]:
    """A foot that is in full swing at the first frame, up to 13 px a frame, and turns as it goes."""
    t = n / 60
    return foot_at((210 + 20 * np.sin(9 * t), 150 + 85 * np.sin(9.5 * t)), 25 * np.sin(9.5 * t + 1))


def followed(course, frames: int, hidden=(), bright=lambda n: None, seed=0, first=None):
    """Places and qualities by frame; `hidden` are (name, from, to)."""
    rng = np.random.default_rng(seed)

    def picture(n: int) -> Picture:
        places = course(n)
        shown = {k: v for k, v in places.items() if not any(k == h and a <= n < b for h, a, b in hidden)}
        return drawn(shown, rng, bright(n))

    clicks = {k: np.array(v) + rng.uniform(-1, 1, 2) for k, v in (first or course(0)).items()}
    follower = Follower(picture(0), clicks)
    names = [t.name for t in follower.targets]
    told = [dict(zip(names, follower.step(picture(n)), strict=True)) for n in range(1, frames)]
    return [{k: (at, q) for k, (at, q) in frame.items()} for frame in told]


def errors(course, told, name: str) -> np.ndarray:
    return np.array([np.hypot(*(frame[name][0] - np.array(course(n)[name]))) for n, frame in enumerate(told, 1)])


@pytest.mark.parametrize("seed", range(4))
def test_a_foot_in_full_swing_is_held_from_the_first_frame_and_heel_and_tendon_keep_their_names(seed):
    fastest = max(np.hypot(*np.subtract(swinging(n)["heel"], swinging(n - 1)["heel"])) for n in range(1, 60))
    assert fastest > 12
    told = followed(swinging, 100, seed=seed)
    for name in FOOT:
        off = errors(swinging, told, name)
        assert np.isfinite(off).mean() > 0.98 and np.nanmax(off) < 1.5, name


@pytest.mark.parametrize("name", list(FOOT))
def test_a_mark_hidden_for_a_while_comes_back_under_its_own_name_and_lends_it_to_nobody(name):
    told = followed(swinging, 110, hidden=[(name, 30, 48)])
    for other in FOOT:
        off = errors(swinging, told, other)
        assert not np.any(off > 4), f"{other} sat on something else while {name} was hidden"
    gone = [frame[name][1] for frame in told[29:47]]
    assert max(gone) <= 0.5, "nothing is told with trust while it is hidden"
    back = errors(swinging, told, name)[58:]
    assert np.isfinite(back).mean() > 0.95 and np.nanmax(back) < 1.5


def crossing(n: int) -> dict[str, tuple[float, float]]:
    """Two look-alikes on one level walk through each other, 6 px apart at the least."""
    x = 40 + 3.2 * n
    return {"left": (x, 148.0), "right": (420 - x, 154.5)}


def test_two_look_alikes_that_cross_keep_their_names():
    told = followed(crossing, 110)
    for name in ("left", "right"):
        off = errors(crossing, told, name)
        assert np.nanmax(off[-20:]) < 1.5 and np.isfinite(off[-20:]).all(), name


def test_exchanged_clicks_give_exchanged_names_and_nothing_else():
    """The names follow the clicks: who clicks heel on the tendon gets the tendon's path as heel."""
    swapped = {**swinging(0), "heel": swinging(0)["tendon"], "tendon": swinging(0)["heel"]}
    told = followed(swinging, 60, first=swapped)
    for name, path in (("heel", "tendon"), ("tendon", "heel"), ("toe", "toe")):
        off = [np.hypot(*(frame[name][0] - np.array(swinging(n)[path]))) for n, frame in enumerate(told, 1)]
        assert np.nanmax(off) < 1.5


def test_a_sticker_too_pale_to_be_told_by_itself_is_told_by_the_look_of_the_others():
    rng = np.random.default_rng(5)
    places = foot_at((210, 150), 0)
    pale = {"tendon": 88}
    follower = Follower(drawn(places, rng, pale), {k: np.array(v) + 0.7 for k, v in places.items()})
    tendon = next(t for t in follower.targets if t.name == "tendon")
    assert tendon.sticker is not None and np.hypot(*(tendon.at - places["tendon"])) < 0.8
    nothing = Follower(
        drawn(places, rng), {**{k: np.array(v) for k, v in places.items()}, "knee": np.array([60.0, 60.0])}
    )
    assert nothing.targets[-1].sticker is None, "where no disc is, none is made up"


def test_a_trace_keeps_the_course_at_a_quality_that_nobody_trusts():
    fading = lambda n: {"tendon": 190 if not 30 <= n < 42 else 112}  # noqa: E731
    told = followed(swinging, 80, bright=fading)
    off = errors(swinging, told, "tendon")
    assert np.isfinite(off).mean() > 0.95 and np.nanmax(off) < 3
    qualities = [frame["tendon"][1] for frame in told]
    assert max(qualities[31:39]) < SURE < min(qualities[50:])


# the solving itself


def test_places_hang_together_by_steps():
    places = np.array([[0, 0], [30, 0], [60, 0], [300, 0], [330, 5], [900, 900]], float)
    assert sorted(groups(places, 40.0)) == [[0, 1, 2], [3, 4]] and groups(places, 20.0) == []
    assert groups(np.empty((0, 2)), 40.0) == []


def members(places, shift=(0.0, 0.0), unseen=0):
    look = Sticker(3.5, (1.0, 0.0, 0.0), 115.0, 38.0)
    return [Member(np.array(at) + shift, 25.0, look, unseen) for at in places.values()]


@pytest.mark.parametrize("shift", [(0, 0), (9, -6), (-12, 10), (0, 13), (2, -13)])
def test_one_shift_moves_all_even_by_the_distance_of_two_marks(shift):
    places = foot_at((200, 150), 12)
    found = solve(drawn(places, np.random.default_rng(1)), members(places, shift))
    for (blob, like), at in zip(found, places.values(), strict=True):
        assert np.hypot(*(blob.at - at)) < 0.6 and like > 0.7


def test_one_sticker_for_two_marks_goes_to_the_one_that_was_seen_last():
    places = foot_at((200, 150), 0)
    two = {k: places[k] for k in ("heel", "tendon")}
    picture = drawn({"heel": places["heel"]}, np.random.default_rng(2))
    heel, tendon = members(two)
    found = solve(picture, [heel, Member(tendon.predicted, tendon.reach, tendon.sticker, unseen=9)])
    assert found[1] is None and np.hypot(*(found[0][0].at - places["heel"])) < 0.6
    assert solve(drawn({}, np.random.default_rng(3)), members(two)) == [None, None]
    assert not search(drawn({}, np.random.default_rng(3)), np.array([200.0, 150.0]), 25, heel.sticker)
