"""Who is who among the stickers of a clip, from places that the mannequin's own geometry gives: nothing is filmed."""

from functools import cache

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tuning.core.movement.tracks import TRUSTED, Tracks
from tuning.demo import render
from tuning.demo.camera import PinholeCamera
from tuning.demo.mannequin import build
from tuning.demo.motions import Runner, Walker, running, walking
from tuning.video.media.planes import YuvFrame
from tuning.video.track import hypotheses
from tuning.video.track.body_constraints import body_of, places_unmarked
from tuning.video.track.clip_tracker import _Span, _tell_apart, track
from tuning.video.track.detections import Detections


def tell(*given, **more):
    """The number of each mark's sticker in every frame."""
    return hypotheses.solve(*given, **more).numbers


HEIGHT, FRAMES, SHOWN, WHOLE = 720, 75, 0.5, 0.95
CAMERA = PinholeCamera("rear")
RUNNERS = {
    "high heels": Runner(cycle=0.66, recoil=0.4, fold=92, half_width=0.06),
    "low heels": Runner(cycle=0.74, recoil=0.2, fold=65, drop_left=8),
    "walk": Walker(cycle=1.1, step=0.28),
}
LEAST_TOLD, MOST_WRONG = {"high heels": 0.94}, {"high heels": 0.06}
"""A heel that swings up past its tendon, one sticker on the other, is told apart a few frames late."""
SWAPPED = {"left": "right", "right": "left"}


@cache
def places_of(who: str, fps: int) -> tuple[tuple[str, ...], np.ndarray, np.ndarray]:
    """Names, exact places (frames, marks, 2) px and whether each sticker shows."""
    runner = RUNNERS[who]
    move = running if isinstance(runner, Runner) else walking
    bodies = [build(move(runner, n / fps + 0.05), runner.stature) for n in range(FRAMES)]
    seen = [render.shown(body, CAMERA, 0.011) for body in bodies]
    at = [body.projected(CAMERA) for body in bodies]
    names = tuple(at[0])
    return names, np.array([[a[k] for k in names] for a in at]), np.array([[s[k] > SHOWN for k in names] for s in seen])


def in_frames(at, shown, rng, clutter=0):
    """Sights in an order that says nothing, half a pixel off, and the mark of each (-1 for none)."""
    sights, marks = [], []
    for places, there in zip(at, shown, strict=True):
        stray = rng.uniform([0, 0], [1280, HEIGHT], (clutter, 2))
        every = np.concatenate([places[there] + rng.normal(0, 0.5, (there.sum(), 2)), stray])
        whose = np.concatenate([np.flatnonzero(there), np.full(clutter, -1)])
        order = rng.permutation(len(every))
        like = np.where(whose[order] >= 0, 1.0, 0.6)
        sights.append(Detections(every[order], like, np.full((len(every), 2), np.nan)))
        marks.append(whose[order])
    return sights, marks


def shares(numbers, marks, shown, start):
    """Of the stickers that show the share that is told, and of what is told the share that is another's."""
    right = wrong = 0
    for frame, (told, whose) in enumerate(zip(numbers, marks, strict=True)):
        given_ = [(mark, whose[n]) for mark, n in enumerate(told) if n >= 0]
        right += sum(a == b for a, b in given_)
        wrong += sum(a != b for a, b in given_)
        assert len({n for n in told if n >= 0}) == sum(told >= 0), "two marks on one sticker"
        assert frame != start or not given_
    return right / (shown.sum() - shown[start].sum()), wrong / max(right + wrong, 1)


def start_of(shown):
    return int(shown.sum(axis=1).argmax())


@pytest.mark.parametrize(
    ("who", "fps", "mirrored"), [*((who, 30, turned) for who in RUNNERS for turned in (0, 1)), ("high heels", 120, 0)]
)
def test_hidden_and_crossing_marks_of_a_run_get_their_own_stickers_back(who, fps, mirrored):
    """Heels swing up behind the knees, tendons hide behind the heels; a mirrored run is the same run."""
    names, at, shown = places_of(who, fps)
    if mirrored:
        at = at * [-1, 1] + [1280, 0]
        names = tuple(f"{n.rsplit('_', 1)[0]}_{SWAPPED[n.rsplit('_', 1)[1]]}" for n in names)
    start = start_of(shown)
    worn = shown[start]
    names, at, shown = [n for n, w in zip(names, worn, strict=True) if w], at[:, worn], shown[:, worn]
    sights, marks = in_frames(at, shown, np.random.default_rng(3))
    numbers = tell(body_of(names, at[start]), sights, start, 1 / fps, HEIGHT)
    told, wrong = shares(numbers, marks, shown, start)
    assert told > LEAST_TOLD.get(who, 0.99) and wrong <= MOST_WRONG.get(who, 0.002)


@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize("worn", [True, False])
@pytest.mark.parametrize("who", ["high heels", "low heels"])
@pytest.mark.parametrize("left_out", [("heel_top",), ("heel",)])
def test_stickers_that_nobody_marked_are_not_taken_for_their_neighbours(who, worn, left_out, mirrored):
    """A tendon may be left out; where it is worn all the same, the heel does not go over to it."""
    names, at, shown = places_of(who, 60)
    start = start_of(shown)
    if mirrored:
        at = at * [-1, 1] + [1280, 0]
        names = tuple(f"{n.rsplit('_', 1)[0]}_{SWAPPED[n.rsplit('_', 1)[1]]}" for n in names)
    marked = [k for k, name in enumerate(names) if shown[start, k] and name.rsplit("_", 1)[0] not in left_out]
    order = marked + ([k for k in range(len(names)) if k not in marked] if worn else [])
    sights, marks = in_frames(at[:, order], shown[:, order], np.random.default_rng(3))
    others = places_unmarked([names[k] for k in marked], at[start, marked])
    assert {name.rsplit("_", 1)[0] for name in others} == set(left_out)
    places = np.array([*at[start, marked], *others.values()])
    body = body_of([*(names[k] for k in marked), *others], places, len(others))
    numbers = tell(body, sights, start, 1 / 60, HEIGHT)
    told, wrong = shares(numbers[:, : len(marked)], marks, shown[:, marked], start)
    least, most = (0.995, 0.0) if who == "low heels" else (0.95, 0.04) if left_out == ("heel_top",) else (0.85, 0.12)
    assert told > least and wrong <= most


def test_from_the_front_or_of_a_leg_with_one_mark_nothing_more_is_looked_for():
    assert not places_unmarked(["asis_left", "knee_left", "heel_left"], np.array([[0, 0], [0, 200], [0, 400.0]]))
    assert not places_unmarked(["knee_back_left", "psis_left"], np.array([[0, 200], [0, 0.0]]))
    found = places_unmarked(["knee_back_left", "heel_left"], np.array([[10, 0], [10, 265.0]]))
    assert set(found) == {"heel_top_left"} and found["heel_top_left"] == pytest.approx([10, 210])


def test_spots_that_are_nobodys_are_left_alone():
    names, at, shown = places_of("low heels", 60)
    start = start_of(shown)
    sights, marks = in_frames(at, shown, np.random.default_rng(4), clutter=4)
    worn = np.flatnonzero(shown[start])
    numbers = tell(body_of([names[k] for k in worn], at[start, worn]), sights, start, 1 / 60, HEIGHT)
    strays = [marks[f][n] == -1 for f, told in enumerate(numbers) for n in told if n >= 0]
    assert np.mean(strays) < 0.01


def knee_and_heel(knee_back_at, frames=40):
    """A hip, a knee that hides from frame 5 until `knee_back_at`, and a heel that swings up beside it meanwhile."""
    n = np.arange(frames)
    hip = np.tile([600.0, 300.0], (frames, 1))
    knee = np.stack([600 + 4 * np.sin(n / 6), np.full(frames, 440.0)], axis=1)
    heel = np.stack([np.full(frames, 624.0), 600 - 150 * np.sin(np.pi * n / frames) ** 2], axis=1)
    at = np.stack([hip, knee, heel], axis=1)
    shown = np.ones((frames, 3), dtype=bool)
    shown[5:knee_back_at, 1] = False
    shown[8:15, 2] = False  # the heel comes out from behind something while the knee is hidden
    return ("hip_left", "knee_left", "heel_left"), at, shown


def test_a_heel_that_swings_up_is_not_taken_for_the_hidden_knee():
    names, at, shown = knee_and_heel(32)
    sights, marks = in_frames(at, shown, np.random.default_rng(1))
    told, wrong = shares(tell(body_of(names, at[0]), sights, 0, 1 / 60, HEIGHT), marks, shown, 0)
    assert told == 1 and wrong == 0


def test_from_the_last_frame_backward_the_same_is_told():
    names, at, shown = knee_and_heel(32)
    rng = np.random.default_rng(2)
    sights, _ = in_frames(at, shown, rng)
    forward = tell(body_of(names, at[0]), sights, 0, 1 / 60, HEIGHT)
    last = len(sights) - 1
    backward = tell(body_of(names, at[0]), sights[::-1], last, 1 / 60, HEIGHT)
    assert (backward[::-1][1:] == forward[1:]).all() and (backward[last] == -1).all()


def test_frames_that_were_not_read_hide_every_mark_and_change_nothing_after():
    names, at, shown = knee_and_heel(6)
    shown[8:15] = True
    shown[20:26] = False
    sights, marks = in_frames(at, shown, np.random.default_rng(5))
    sights[22] = Detections.none()
    told, wrong = shares(tell(body_of(names, at[0]), sights, 0, 1 / 60, HEIGHT), marks, shown, 0)
    assert told == 1 and wrong == 0


@settings(max_examples=25, deadline=None)
@given(
    st.integers(0, 10_000), st.integers(2, 6), st.sampled_from(["a", "knee_left", "x_right"]), st.sampled_from([30, 60])
)
def test_marks_far_apart_that_move_smoothly_are_never_mixed_whatever_they_are_called(seed, marks, name, fps):
    """Each goes its own slow way, 150 px and more from the next, and hides now and then."""
    rng = np.random.default_rng(seed)
    n = np.arange(50)
    middle = np.stack([200 + 150 * np.arange(marks), rng.uniform(250, 450, marks)], axis=1)
    phase, far = rng.uniform(0, 6, (marks, 2)), rng.uniform(0, 25, (marks, 2))
    at = middle + far * np.sin(2 * np.pi * n[:, None, None] / fps + phase)
    shown = np.ones((50, marks), dtype=bool)
    for k in range(marks):
        first = int(rng.integers(5, 40))
        shown[first : first + int(rng.integers(0, 8)), k] = False
    names = [name, *(f"other{k}" for k in range(1, marks))]
    sights, whose = in_frames(at, shown, rng)
    told, wrong = shares(tell(body_of(names, at[0]), sights, 0, 1 / fps, HEIGHT), whose, shown, 0)
    assert wrong == 0 and told > 0.97


def only(names, at, shown, spots, fps=60):
    """What is told of marks at places (frames, marks, 2), with spots (frames, 2) that look like stickers, or NaN."""
    every = np.concatenate([at, spots[:, None]], axis=1)
    there = np.concatenate([shown, np.isfinite(spots[:, :1])], axis=1)
    sights, marks = in_frames(np.nan_to_num(every), there, np.random.default_rng(6))
    numbers = tell(body_of(names, at[0]), sights, 0, 1 / fps, HEIGHT)
    return np.array([[-1 if n < 0 else whose[n] for n in told] for told, whose in zip(numbers, marks, strict=True)])


@pytest.mark.parametrize("way", [-1, 1])
def test_a_spot_that_goes_further_than_a_leg_is_long_is_not_the_toe(way):
    frames = 50
    at = np.tile(np.array([[600.0, 400], [600, 560], [600 + way * 50, 570]]), (frames, 1, 1))
    shown = np.ones((frames, 3), dtype=bool)
    shown[5:, 2] = False
    spot = np.full((frames, 2), np.nan)
    spot[8:] = [600 + way * 52, 568] + np.arange(42)[:, None] * [way * 8.0, 0]
    told = only(["knee_left", "heel_left", "toe_left"], at, shown, spot)
    assert (told[8:, 2] == -1).all() and (told[1:, :2] == [0, 1]).all()


@pytest.mark.parametrize("way", [-1, 1])
@pytest.mark.parametrize("from_the_side", [False, True])
def test_seen_from_behind_no_foot_is_as_wide_as_it_is_long(from_the_side, way):
    """What shows up where the other foot may be is not the hidden toe; seen from the side it is."""
    frames, far = 60, 0.0 if from_the_side else 120.0
    left = [[0.0, 250], [0, 440], [0, 600], [0, 640], [20, 650]]
    at = np.tile(np.array([*left, [far, 280], [far, 480]]) * [way, 1] + [600.0, 0], (frames, 1, 1))
    shown = np.ones((frames, 7), dtype=bool)
    shown[5:, 4] = False
    spot = np.tile([600 + way * 98.0, 652.0], (frames, 1))
    spot[:20] = np.nan
    names = [f"{kind}_left" for kind in ("hip", "knee_back", "heel_top", "heel", "toe")]
    told = only([*names, "hip_right", "knee_back_right"], at, shown, spot)
    assert (told[50:, 4] == (7 if from_the_side else -1)).all() and (told[1:, :4] == [0, 1, 2, 3]).all()


@pytest.mark.parametrize("way", [-1, 1])
def test_a_spot_that_leaves_the_place_of_the_hidden_knee_is_not_the_knee(way):
    """It swings about the hip, so that the thigh would be as long as ever."""
    frames, turn = 60, np.clip(np.arange(60) - 10, 0, 30) / 30 * np.pi / 2
    at = np.tile(np.array([[600.0, 300], [600, 440], [600 - way * 90, 300], [600 - way * 90, 440]]), (frames, 1, 1))
    shown = np.ones((frames, 4), dtype=bool)
    shown[5:, 1] = False
    spot = np.stack([600 + way * 140 * np.sin(turn), 300 + 140 * np.cos(turn)], axis=1) + [way * 4.0, 2.0]
    spot[:9] = np.nan
    told = only(["hip_left", "knee_left", "hip_right", "knee_right"], at, shown, spot)
    assert (told[9:, 1] == -1).all() and (told[1:, [0, 2, 3]] == [0, 2, 3]).all()


@pytest.mark.parametrize("way", [-1, 1])
@pytest.mark.parametrize("up", [-1, 1])
def test_of_two_that_come_back_between_their_places_the_higher_is_the_knee(way, up):
    """Both hide, come out side by side half way between where they were, and part: only the order tells who is who."""
    frames = 60
    at = np.tile(np.array([[600.0, 400], [600, 520]]), (frames, 1, 1))
    shown = np.ones((frames, 2), dtype=bool)
    shown[5:20] = False
    part = np.clip(np.arange(frames) - 22, 0, 20)[:, None] * [0.0, 3.0]
    at[20:] = np.stack([[600 + 25.0 * way, 460] - up * part, [600 - 25.0 * way, 460] + up * part], axis=1)[20:]
    told = only(["knee_left", "ankle_left"], at, shown, np.full((frames, 2), np.nan))
    higher = [0, 1] if up == 1 else [1, 0]
    assert (told[20:] == higher).all()


def test_a_hidden_mark_is_looked_for_where_its_company_went():
    frames = 60
    gone = np.clip(np.arange(frames) - 12, 0, 25)[:, None, None] * [7.0, 0.0]
    at = np.array([[500.0, 500], [500, 560], [540, 580]]) + gone
    shown = np.ones((frames, 3), dtype=bool)
    shown[5:40, 1] = False
    told = only(["a", "b", "c"], at, shown, np.full((frames, 2), np.nan))
    assert (told[40:, 1] == 1).all() and (told[5:40, 1] == -1).all()


def test_a_sticker_that_jumps_further_than_a_mark_may_is_not_the_mark_at_once():
    """Its run is too young to have a course, and goes on; its mark does not."""
    at = np.tile(np.array([[600.0, 400], [600, 560], [650, 570], [900, 300]]), (30, 1, 1))
    at[2:, 3] += [100.0, 0.0]
    shown = np.ones((30, 4), dtype=bool)
    told = only(["knee_left", "heel_left", "toe_left", "strap"], at, shown, np.full((30, 2), np.nan), fps=25)
    assert told[1, 3] == 3 and told[2, 3] == -1 and (told[1:, :3] == [0, 1, 2]).all()


class Drawn:
    """A clip of bright discs, read in either direction."""

    def __init__(self, at, shown):
        self.pictures, rng = [], np.random.default_rng(7)
        for places, there in zip(at, shown, strict=True):
            big = np.full((2800, 4000), 70, np.uint8)
            for x, y in places[there]:
                cv2.circle(big, (round(4 * x), round(4 * y)), 18, 190, -1, cv2.LINE_AA)
            plane = cv2.resize(big, (1000, 700), interpolation=cv2.INTER_AREA).astype(float)
            self.pictures.append(YuvFrame((plane + rng.normal(0, 3, plane.shape)).astype(np.uint8)))

    def forward(self, start, stop):
        return ((n, self.pictures[n]) for n in range(start, stop))

    def backward(self, start, stop):
        return ((n, self.pictures[n]) for n in range(start, stop, -1))


def test_followed_clips_are_told_by_the_whole_clip_and_a_stop_is_obeyed():
    """A heel comes out beside the hidden knee; what the follower took for the knee goes to the heel in the end."""
    names, at, shown = knee_and_heel(32)
    names, at = (*names, "hip_right"), np.concatenate([at, at[:, :1] + [90.0, 0.0]], axis=1)
    shown = np.concatenate([shown, shown[:, :1]], axis=1)
    shown[1:14, 2] = False
    reader, times = Drawn(at, shown), np.arange(40) / 60
    marks = dict(zip(names, at[0], strict=True))
    found = track(reader, times, 0, marks)
    off = np.linalg.norm(found.xy - at, axis=2)
    trusted = found.quality >= TRUSTED
    assert not (trusted & ~shown).any() and off[trusted].max() < 1.5
    assert trusted[32:, 2].all() and trusted[34:, 1].all(), "the follower alone keeps the knee on the heel"

    back = Drawn(at[::-1], shown[::-1])
    assert track(back, times, 39, marks).quality[::-1] == pytest.approx(found.quality, abs=0.3)

    ticks = []
    stopped = track(reader, times, 0, marks, tick=lambda share: ticks.append(share) or len(ticks) < 6)
    assert ticks[4:] == [1.0, 1.0] and stopped.quality[39, 1] > 0, (
        "ended while it was told apart: what was followed is kept"
    )


@pytest.mark.parametrize("way", [-1, 1])
def test_a_heel_that_hides_behind_its_unmarked_tendon_does_not_go_with_it(way):
    """The tendon comes out, passes before the heel, and rises again while the heel stays hidden."""
    frames, n = 60, np.arange(60)
    sway = way * 5 * np.sin(n / 7)
    up = np.interp(n, [0, 10, 20, 26, 59], [36, 36, 0, 40, 40])
    at = np.stack([np.stack([500 + share * sway, y], axis=1) for share, y in (
        (0.2, np.full(frames, 80.0)), (0.4, np.full(frames, 200.0)), (0.8, np.full(frames, 390.0)),
        (1.0, np.full(frames, 600.0)), (1.0, 600 - up))], axis=1)  # fmt: skip
    names = ["psis_left", "buttock_left", "knee_back_left", "heel_left"]
    shown = np.ones((frames, 5), dtype=bool)
    shown[:4, 4] = False
    shown[19:26, 3] = False
    shown[8:, 1] = False  # so that everything in the picture is looked at
    found = track(Drawn(at, shown), n / 60, 0, dict(zip(names, at[0], strict=False)))
    off = np.linalg.norm(found.xy - at[:, :4], axis=2)
    trusted = found.quality >= TRUSTED
    assert off[trusted].max() < 3 and trusted[28:, 3].all() and not trusted[22:26, 3].any()


@pytest.mark.parametrize("back", [2, 1])
@pytest.mark.parametrize("met", [True, False])
def test_who_might_have_changed_places_is_not_trusted_until_something_tells_them_apart(met, back):
    """Two stickers go toward each other, are hidden where they meet, and both or one come back: passed or turned?"""
    n = np.arange(40)
    apart = np.abs(20 - n) + (2.0 if met else 62.0)
    at = np.array([600.0, 400.0]) + np.stack([apart, -apart], axis=1)[:, :, None] * np.array([0.1, 1.0])
    shown = np.ones((40, 2), dtype=bool)
    shown[17:24] = False
    shown[24:, back:] = False
    sights, _ = in_frames(at, shown, np.random.default_rng(8))
    xy = np.where(shown[..., None], at, np.nan)
    found = Tracks(("one", "other"), n / 60, xy.copy(), np.where(shown, 1.0, 0.0))
    _tell_apart(_Span(found, np.full((40, 2, 2), np.nan), sights, 0, 0, HEIGHT), [0, 1], lambda: True)
    assert (found.quality[:17] == 1).all()
    given_ = found.quality[24:][np.isfinite(found.xy[24:, :, 0])]
    assert given_.size == 16 * back and (given_ < TRUSTED if met else given_ >= TRUSTED).all()


@pytest.mark.parametrize("own", [0.3, 0.9])
def test_a_trace_that_all_other_stickers_look_like_is_as_good_as_they_are(own):
    """A mark whose look was learnt from a blurred frame is known by the look of the others; a sure find stays."""
    at = np.array([[500.0, 300], [500, 400]])
    found = Tracks(("one", "other"), np.arange(3) / 60, np.tile(at + [1.0, 0.0], (3, 1, 1)), np.full((3, 2), own))
    seen = Detections(at, np.full(2, 0.8), np.full((2, 2), np.nan))
    _tell_apart(_Span(found, np.full((3, 2, 2), np.nan), [seen] * 3, 0, 0, HEIGHT), [0, 1], lambda: True)
    assert (found.quality[1:] == (0.8 if own < TRUSTED else own)).all()
    assert (found.xy[1:] == (at if own < TRUSTED else at + [1.0, 0.0])).all()


@pytest.mark.parametrize("way", [-1, 1])
def test_a_mark_placed_later_leaves_the_others_their_stickers(way):
    """The toe swings past the heel while the tendon, which was not seen when it was placed, takes the heel's course."""
    n = np.arange(50)
    heel = np.stack([np.full(50, 500.0), 600 - 60 * np.sin(n / 8)], axis=1)
    toe = np.stack([500 + way * (30.0 - n), 620 - 60 * np.sin(n / 8)], axis=1)
    at = np.stack([toe, heel], axis=1)
    shown = np.ones((50, 2), dtype=bool)
    shown[10:40, 0] = False
    sights, marks = in_frames(at, shown, np.random.default_rng(5))
    xy = np.where(shown[..., None], at, np.nan)
    found = Tracks(("toe_left", "heel_left"), n / 60, xy, np.where(shown, 1.0, 0.0))
    first = Tracks(("heel_left", "heel_top_left"), n / 60, np.stack([heel, toe], axis=1), np.ones((50, 2)))
    first.quality[:25, 1] = 0.0
    _tell_apart(_Span(found, np.full((50, 2, 2), np.nan), sights, 0, 0, HEIGHT), [0, 1], lambda: True, first)
    assert found.xy[:, 1] == pytest.approx(heel, abs=1.5), "the heel stays where it was"
    assert np.isnan(found.xy[40:, 0]).all(), "the sticker is known to be the tendon's"


@pytest.mark.parametrize(("hidden", "way", "start"), [(False, 1, 35), (True, -1, 35), (True, 1, 0)])
def test_where_a_phone_drops_frames_marks_go_on_by_their_times(hidden, way, start):
    """In a dropped frame each mark goes nearly as far as to its neighbour's place."""
    every = np.arange(48)
    n = np.delete(every, [6, 7, 15, 16, 17, 22, 23, 31, 32, 33, 39, 40])
    going = np.stack([500 + way * (13.0 * n - 310), 300 + 20 * np.sin(n / 9)], axis=1)
    at = going[:, None] + np.array([[0.0, 0], [way * 30, 3], [way * 60, -2]])
    shown = np.ones((len(n), 3), dtype=bool)
    if hidden:  # so that everything in the picture is looked at
        shown[10:14, 0] = False
    found = track(Drawn(at, shown), n / 60, start, dict(zip(("one", "two", "three"), at[start], strict=True)))
    trusted = found.quality >= TRUSTED
    off = np.linalg.norm(found.xy - at, axis=2)
    assert off[trusted].max() < 1.5 and trusted[shown].mean() > 0.93
