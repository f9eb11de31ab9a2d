"""Marks that lie close together and look alike: names are not exchanged, whatever the foot does."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from tuning.video.detect.stickers import Sticker, search
from tuning.video.media.planes import YuvFrame
from tuning.video.track.frame_tracker import SURE, Follower
from tuning.video.track.group_assignment import GroupMember, groups, solve

SIZE = (300, 420)
FOOT = {"heel": (0.0, 0.0), "tendon": (-2.0, -13.0), "toe": (4.0, 24.0)}
"""Places on a foot, px: a heel 13 px below its tendon."""


def drawn(places: dict[str, tuple[float, float]], rng, bright=None, radius=3.5) -> YuvFrame:
    """Bright discs on a dark, noisy ground, drawn at 8 times the size so that their centres are exact."""
    big = np.full((SIZE[0] * 8, SIZE[1] * 8), 70, np.uint8)
    for name, (x, y) in places.items():
        level = (bright or {}).get(name, 190)
        cv2.circle(big, (round(8 * x), round(8 * y)), round(8 * radius), int(level), -1, cv2.LINE_AA)
    plane = cv2.resize(big, SIZE[::-1], interpolation=cv2.INTER_AREA).astype(float)
    return YuvFrame(np.clip(plane + rng.normal(0, 3, plane.shape), 0, 255).astype(np.uint8))


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

    def picture(n: int) -> YuvFrame:
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
    def half_covered(n: int) -> dict[str, tuple[float, float]]:
        """Half of the tendon's sticker lies behind something of the colour of the ground."""
        places = swinging(n)
        x, y = places["tendon"]
        return {**places, "cover": (x + 3.0, y)} if 30 <= n < 42 else places

    told = followed(half_covered, 80, bright=lambda n: {"cover": 70}, first=swinging(0))
    off = errors(swinging, told, "tendon")
    assert np.isfinite(off).mean() > 0.95 and np.nanmax(off) < 3
    qualities = [frame["tendon"][1] for frame in told]
    assert max(qualities[31:39]) < SURE < min(qualities[50:])


def test_a_sticker_that_gets_dimmer_and_stays_a_disc_is_learnt_anew_and_trusted_where_it_is():
    told = followed(swinging, 80, bright=lambda n: {"tendon": 190 if not 30 <= n < 42 else 112})
    off = errors(swinging, told, "tendon")
    trusted = np.array([frame["tendon"][1] >= SURE for frame in told])
    assert trusted.mean() > 0.95 and np.nanmax(off[trusted]) < 1.5


# the solving itself


def test_places_hang_together_by_steps():
    places = np.array([[0, 0], [30, 0], [60, 0], [300, 0], [330, 5], [900, 900]], float)
    assert sorted(groups(places, 40.0)) == [[0, 1, 2], [3, 4]] and groups(places, 20.0) == []
    assert groups(np.empty((0, 2)), 40.0) == []


def members(places, shift=(0.0, 0.0), unseen=0):
    look = Sticker(3.5, (1.0, 0.0, 0.0), 115.0, 38.0)
    return [GroupMember(np.array(at) + shift, 25.0, look, unseen) for at in places.values()]


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
    found = solve(picture, [heel, GroupMember(tendon.predicted, tendon.reach, tendon.sticker, unseen=9)])
    assert found[1] is None and np.hypot(*(found[0][0].at - places["heel"])) < 0.6
    assert solve(drawn({}, np.random.default_rng(3)), members(two)) == [None, None]
    assert not search(drawn({}, np.random.default_rng(3)), np.array([200.0, 150.0]), 25, heel.sticker)


# two feet beside each other


def pair_of_feet(left, right) -> dict[str, tuple[float, float]]:
    """Two feet 45 px apart, each moved by its own way."""
    feet = (("left", (170, 150), left), ("right", (215, 150), right))
    return {f"{n}_{side}": at for side, (x, y), (dx, dy) in feet
            for n, at in foot_at((x + dx, y + dy), 0).items()}  # fmt: skip


@pytest.mark.parametrize(("left", "right"), [((0, 0), (0, -22)), ((2, -20), (0, 1)), ((-8, 12), (10, -14))])
def test_feet_that_part_within_one_frame_keep_their_marks(left, right):
    """One foot leaves the ground while the other stands: a single shift of both would lose or exchange them."""
    rng = np.random.default_rng(3)
    still = pair_of_feet((0, 0), (0, 0))
    sticker = Sticker(3.5, (1.0, 0.0, 0.0), 120.0, 38.0)
    members = [
        GroupMember(np.array(at), 36.0, sticker, 0, limb=name.split("_")[1], scale=2.0) for name, at in still.items()
    ]
    moved = pair_of_feet(left, right)
    found = solve(drawn(moved, rng), members)
    for (name, at), one in zip(moved.items(), found, strict=True):
        assert one is not None, name
        assert np.hypot(*(one[0].at - np.array(at))) < 1, name


def test_a_hidden_mark_goes_where_its_own_foot_went_and_not_where_it_was_on_its_way_to():
    """The foot stops, stands, and leaves upward while the heel cannot be seen; the other foot stays."""

    def course(n: int) -> dict[str, tuple[float, float]]:
        up = 0.0 if n < 12 else -1.6 * (n - 12) ** 1.5
        return pair_of_feet((0, 0), (0, up))

    told = followed(course, 24, hidden=[("heel_right", 11, 17)])
    off = errors(course, told, "heel_right")
    assert np.all(off[17:] < 1.5) and not np.any(off > 4)
    for name in ("tendon_right", "toe_right", "heel_left", "tendon_left", "toe_left"):
        assert np.nanmax(errors(course, told, name)) < 2, name


def test_a_sticker_that_changed_its_look_is_not_taken_by_its_neighbour():
    """The tendon cannot be seen and the heel is dim in this frame: the heel stays the heel's, told without trust."""
    rng = np.random.default_rng(4)
    places = foot_at((200, 150), 0)
    bright, dim = Sticker(3.5, (1.0, 0.0, 0.0), 120.0, 38.0), Sticker(3.5, (1.0, 0.0, 0.0), 400.0, 90.0)
    members = [GroupMember(np.array(places[n]), 30.0, dim if n == "heel" else bright, 0) for n in ("heel", "tendon")]
    heel, tendon = solve(drawn({"heel": places["heel"]}, rng), members)
    assert tendon is None and heel is not None and heel[1] < SURE


@pytest.mark.parametrize("frames_a_second", [25, 30, 60, 120])
def test_a_foot_is_held_however_few_frames_a_second_there_are(frames_a_second):
    """A foot that swings 60 px and stands, 1.4 times a second, as phones film it."""

    def course(n: int) -> dict[str, tuple[float, float]]:
        t = 1.4 * n / frames_a_second % 1
        lift = 45 * np.sin(np.pi * (t - 0.4) / 0.6) ** 2 if t > 0.4 else 0.0
        return pair_of_feet((0, 0), (0.3 * lift, -lift))

    rng, names = np.random.default_rng(5), list(course(0))
    clicks = {k: np.array(v) + rng.uniform(-1, 1, 2) for k, v in course(0).items()}
    follower = Follower(drawn(course(0), rng), clicks, 1 / frames_a_second)
    count = 2 * frames_a_second
    told = [dict(zip(names, follower.step(drawn(course(n), rng)), strict=True)) for n in range(1, count)]
    for name in names:
        off = errors(course, told, name)
        assert np.isfinite(off).mean() > 0.97 and np.nanmax(off) < 2, name


def blurred(picture: YuvFrame, sigma: float) -> YuvFrame:
    return YuvFrame(cv2.GaussianBlur(picture.y, (0, 0), sigma)) if sigma else picture


@pytest.mark.parametrize("way", [1, -1])
def test_a_clip_that_begins_blurred_is_followed_when_it_clears_and_blurs_again(way):
    """A disc of 8 px that is learnt smeared over its ground has a third of its contrast and half of its radius."""
    rng = np.random.default_rng(3)

    def course(n: int) -> dict[str, tuple[float, float]]:
        """Two marks that go slowly, to the right or to the left."""
        return {"ankle": (200 + way * 0.4 * n, 120.0), "toe": (230 + way * 0.4 * n, 190.0)}

    def picture(n: int) -> YuvFrame:
        return blurred(drawn(course(n), rng, radius=4.0), 4.0 if n < 12 or 40 <= n < 50 else 0.0)

    follower = Follower(picture(0), {k: np.array(v) for k, v in course(0).items()})
    told = [follower.step(picture(n)) for n in range(1, 80)]
    for k, name in enumerate(course(0)):
        trusted = np.array([frame[k][1] >= SURE for frame in told])
        off = np.array([np.hypot(*(frame[k][0] - course(n)[name])) for n, frame in enumerate(told, 1)])
        assert trusted.mean() > 0.95 and np.nanmax(off[trusted]) < 1.5, name


def landing(n: int) -> dict[str, tuple[float, float]]:
    """Hips and toe that stay, and a heel with its tendon that comes down 8 px a frame and rises at once."""
    down = 8.0 * min(n, 14) - 9.0 * max(0, n - 14)
    heel = 20.0 + down
    return {
        "psis_left": (150.0, 20.0), "heel_left": (200.0, heel + 30), "heel_top_left": (190.0, heel),
        "toe_left": (165.0, 200.0), "buttock_left": (150.0, 70.0),
    }  # fmt: skip


def test_a_heel_that_lands_hard_keeps_its_name_while_the_rest_of_the_leg_stays():
    rng = np.random.default_rng(4)
    follower = Follower(drawn(landing(0), rng, radius=9.0), {k: np.array(v) for k, v in landing(0).items()}, 1 / 30)
    for n in range(1, 24):
        for target, (at, quality) in zip(
            follower.targets, follower.step(drawn(landing(n), rng, radius=9.0)), strict=True
        ):
            off = np.hypot(*(at - np.array(landing(n)[target.name])))
            assert quality < SURE or off < 1.5, (n, target.name)
    assert all(t.unseen == 0 for t in follower.targets)
