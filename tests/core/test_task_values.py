"""What a task makes of its tracks, against signals written down here: leans, groups, cycles, cut-offs, moved events."""

from dataclasses import replace

import numpy as np
import pytest

from tuning.core.movement import tasks
from tuning.core.movement.kinematics import MarkSignals
from tuning.core.movement.load_share import SidePose, hip_share
from tuning.core.movement.tasks import TASKS, CycleValue, Options, observations
from tuning.core.movement.tasks.result import MeasureCollector, Result
from tuning.core.movement.tracks import Tracks
from tuning.core.pictures.geometry import lean_from_vertical
from tuning.core.types import LEGS, Setup, Side
from tuning.knowledge import load

MEASURES = load().measures
LEFT, RIGHT = LEGS
FPS = 60


def cutting(t, depth=1.0):
    """Three squats: height of the pelvis above its lowest place, 0 to 1, and how deep it is, 1 at the turn."""
    phase = np.clip((t - 1) / 2.0, 0, 3)
    down = depth * np.sin(np.pi * (phase % 1)) ** 2 * ((phase > 0) & (phase < 3))
    return down


def front_squat(lean_deg, knee_in_px=0.0, shift_px=0.0):
    """Front view, right on the left of the picture; the trunk leans at the bottom, degrees to the right."""
    t = np.arange(0, 8.5, 1 / FPS)
    down = cutting(t)
    at = {}
    for side, x in ((RIGHT, -1), (LEFT, 1)):
        still = np.zeros_like(t)
        at[f"ankle_{side}"] = np.stack([640 + x * 90 + still, 900 + still], axis=1)
        at[f"second_toe_{side}"] = np.stack([640 + x * 95 + still, 920 + still], axis=1)
        inward = -x * knee_in_px * down
        at[f"knee_{side}"] = np.stack([640 + x * 90 + inward, 700 + 60 * down], axis=1)
        pelvis = 640 + x * 60 - shift_px * down
        at[f"asis_{side}"] = np.stack([pelvis, 480 + 180 * down], axis=1)
        lean = np.radians(lean_deg * down)
        # right is toward smaller x in the picture
        top = np.stack([640 - shift_px * down - 260 * np.sin(lean), 480 + 180 * down - 260 * np.cos(lean)], axis=1)
        at[f"shoulder_{side}"] = top + np.stack([x * 80 * np.cos(lean), -x * 80 * np.sin(lean)], axis=1)
    names = tuple(at)
    xy = np.stack([at[n] for n in names], axis=1)
    return Tracks(names, t, xy, np.ones((t.size, len(names))))


def means(result):
    return {(s.measure, s.side): s.mean for s in result.summaries()}


@pytest.mark.parametrize("lean", [-12.0, -4.0, 0.0, 7.0, 15.0])
def test_the_trunk_leans_to_the_side_that_it_leans_to_and_as_far(lean):
    told = means(tasks.measure(front_squat(lean), "front-squat"))
    assert told["squat-front-trunk", Side.NONE] == pytest.approx(lean, abs=0.15)
    for side, sign in ((RIGHT, 1), (LEFT, -1)):
        one = means(tasks.measure(front_squat(lean), "single-leg-squat", Options(side=side)))
        assert one["sl-squat-front-trunk", side] == pytest.approx(sign * lean, abs=0.15), (
            "over the stance leg is positive"
        )


@pytest.mark.parametrize("inward", [-30.0, 0.0, 40.0])
def test_the_knee_falls_inward_on_both_legs_alike(inward):
    told = means(tasks.measure(front_squat(0.0, knee_in_px=inward), "front-squat"))
    # At the turn: front spine 660, knee 760, ankle 900 px down; 30 px between the spine and the ankle's line.
    upper = np.degrees(np.arctan2(30 - inward, 100))
    lower = np.degrees(np.arctan2(inward, 140))
    for side in LEGS:
        assert told["squat-front-fppa", side] == pytest.approx(lower - upper, abs=0.3), inward


def test_three_squats_are_three_cycles_with_their_events_in_order():
    result = tasks.measure(front_squat(3.0), "front-squat")
    assert len(result.cycles) == 3 and [side for side, _, _ in result.cycles] == [Side.NONE] * 3
    for n, (_, start, end) in enumerate(result.cycles):
        assert (start, end) == (pytest.approx(1 + 2 * n, abs=0.35), pytest.approx(3 + 2 * n, abs=0.35))
        turn = [time for kind, _, time in result.events if kind == "turn"][n]
        assert turn == pytest.approx(2 + 2 * n, abs=0.05)
    assert [kind for kind, _, _ in result.events] == ["start", "turn", "end"] * 3
    assert [(kind, side) for kind, side, _ in result.found] == [(kind, side) for kind, side, _ in result.events]


def test_a_moved_turn_is_read_where_it_was_put():
    result = tasks.measure(front_squat(10.0), "front-squat")
    found = next(time for kind, _, time in result.found if kind == "turn")
    moved = Options(moved=(("turn", Side.NONE, found, found - 0.5),))
    for kind, side in (("turn", LEFT), ("start", Side.NONE)):
        other = tasks.measure(front_squat(10.0), "front-squat", Options(moved=((kind, side, found, 1.5),)))
        assert means(other) == pytest.approx(means(result)), "another event of that time is not meant"
    first = lambda r: next(v.value for v in r.values if v.measure == "squat-front-trunk")  # noqa: E731
    assert first(result) == pytest.approx(10, abs=0.15)
    assert first(tasks.measure(front_squat(10.0), "front-squat", moved)) == pytest.approx(5.0, abs=0.4)


def value(measure, side, number, size, frame, sd=0.5):
    return CycleValue(measure, side, number, size, frame, frame / FPS, sd)


def test_observations_hold_each_cycle_as_a_trial_of_its_own_measure_and_side():
    result = Result("front-squat", cutoff_hz=5.0)
    result.values = [
        value("squat-front-fppa", LEFT, 1, 4.0, 10, 0.3), value("squat-front-fppa", RIGHT, 1, 40.0, 11),
        value("squat-front-fppa", LEFT, 2, 9.0, 20, 0.4), value("squat-front-fppa", LEFT, 3, 8.0, 30, 0.5),
        value("gait-pelvic-tilt", Side.NONE, 1, 3.0, 5), value("of-nobody", LEFT, 1, 3.0, 5),
    ]  # fmt: skip
    result.warnings = ["one", "two"]
    setup = Setup(load_kg=20.0, task="overwritten")
    left, right = observations(result, MEASURES, "the clip", setup)
    assert (left.side, left.value, left.trials.tolist()) == (LEFT, 7.0, [4.0, 9.0, 8.0])
    assert (right.side, right.trials.tolist(), right.marking_sd) == (RIGHT, [40.0], 0.5)
    assert left.marking_sd == pytest.approx(np.sqrt((0.09 + 0.16 + 0.25) / 3))
    assert (left.summary_rule, left.method, left.quality_reason) == ("mean", "clip", "one; two")
    assert left.setup == replace(setup, task="front-squat") and result.gait == ""
    result.gait = "run"
    assert observations(result, MEASURES, "the clip", setup)[0].setup.gait == "run"
    known = left.evidence
    assert (known.capture, known.frame, known.time_s, known.frames) == ("the clip", 30, 0.5, (10, 20, 30))
    assert known.cutoff_hz == 5.0 and observations(result, (), "the clip") == []


CUTOFFS = {"rear-gait": 7.0, "side-gait": 7.0, "front-squat": 5.0, "single-leg-squat": 5.0, "side-squat": 5.0,
           "split-squat": 5.0, "step-down": 5.0, "step-up": 5.0, "chair-rise": 5.0, "bridge": 4.0}  # fmt: skip
ONE_LEG = {"side-gait", "single-leg-squat", "side-squat", "split-squat", "step-down", "step-up", "chair-rise", "bridge"}


def test_every_task_is_smoothed_as_it_says_and_asks_for_a_leg_where_it_needs_one():
    assert {task.id: task.cutoff_hz for task in TASKS.values()} == CUTOFFS
    assert {task.id for task in TASKS.values() if task.one_leg} == ONE_LEG
    assert {task.id for task in TASKS.values() if task.loadable} == {"side-squat", "split-squat"}
    assert all(len(task.name) > 5 and task.picture_kind for task in TASKS.values())
    assert tasks.measure(front_squat(0.0), "front-squat").cutoff_hz == 5.0
    assert tasks.measure(front_squat(0.0), "front-squat", Options(cutoff_hz=3.0)).cutoff_hz == 3.0


def test_smoothing_that_may_have_cut_a_sharp_extreme_widens_its_error():
    slow, fast = (tasks.measure(stretched(front_squat(0.0, knee_in_px=40.0), k), "front-squat") for k in (1.0, 0.55))
    sd = lambda r: max(v.marking_sd for v in r.values if v.measure == "squat-front-fppa-peak")  # noqa: E731
    assert sd(fast) > sd(slow)


def stretched(tracks, times):
    return replace(tracks, times=tracks.times * times)


def on_one_leg(stances, rising=False, knee_in=None, hidden=()):
    """Front view of a repetition per stance, each 3 s from second 1 on: the other foot and the pelvis go down and up.

    `knee_in` is how far each standing knee goes inward (px) by share of the way from the low place up, 0 to 1.
    """
    t = np.arange(0, 2 + 3 * len(stances), 1 / FPS)
    knee_in = knee_in or (lambda up: 30 * (1 - up))
    at = {
        name: np.zeros((t.size, 2)) for s in LEGS for name in (f"ankle_{s}", f"knee_{s}", f"asis_{s}", f"shoulder_{s}")
    }
    up = np.zeros(t.size) if rising else np.ones(t.size)
    free = {side: np.zeros(t.size) for side in LEGS}
    for n, stance in enumerate(stances):
        s = np.clip((t - 1 - 3 * n) / 2.4, 0, 1)
        way = np.sin(np.pi * s) ** 2
        inside = (s > 0) & (s < 1)
        up = np.where(inside, way if rising else 1 - way, up)
        free[stance.other] = np.where(inside, way, free[stance.other])
    standing = {side: np.ones(t.size, bool) for side in LEGS}
    for n, stance in enumerate(stances):
        standing[stance.other] &= ~((t >= 1 + 3 * n) & (t < 4 + 3 * n))
    inward = {side: knee_in(up) * standing[side] for side in LEGS}
    for side, x in ((RIGHT, -1), (LEFT, 1)):
        foot = 900 + (-1 if rising else 1) * 60 * free[side]
        at[f"ankle_{side}"] = np.stack([np.full(t.size, 640 + 60 * x), foot], axis=1)
        at[f"knee_{side}"] = np.stack([640 + 60 * x - x * inward[side], foot - 200 + 30 * (1 - up)], axis=1)
        at[f"asis_{side}"] = np.stack([np.full(t.size, 640 + 60 * x), 480 + 90 * (1 - up)], axis=1)
        at[f"shoulder_{side}"] = at[f"asis_{side}"] + [20 * x, -260]
    names = tuple(name for name in at if name not in hidden)
    return Tracks(names, t, np.stack([at[n] for n in names], axis=1), np.ones((t.size, len(names))))


def test_a_clip_of_both_legs_is_split_by_the_foot_that_stays():
    clip = on_one_leg([LEFT, LEFT, RIGHT, LEFT, RIGHT])
    for named, counts in ((Side.NONE, {LEFT: 3, RIGHT: 2}), (LEFT, {LEFT: 3}), (RIGHT, {RIGHT: 2})):
        result = tasks.measure(clip, "step-down", Options(side=named))
        got = {s.side: s.n for s in result.summaries() if s.measure == "step-down-fppa"}
        assert got == counts
        assert [side for side, _, _ in result.cycles] == [s for s in (LEFT, LEFT, RIGHT, LEFT, RIGHT) if s in counts]
        for line in result.summaries():
            if line.measure == "step-down-fppa":
                assert line.mean > 10, "the standing knee, not the other one"
    told = " ".join(tasks.measure(clip, "step-down", Options(side=LEFT)).warnings)
    assert "2 of 5" in told and "right" in told


@pytest.mark.parametrize("named", LEGS)
def test_the_wrong_leg_named_is_told_and_gives_no_number(named):
    result = tasks.measure(on_one_leg([named.other] * 3), "step-down", Options(side=named))
    assert not result.values
    told = " ".join(result.warnings)
    assert f"stands on the {named.other.value} leg" in told and named.value in told


def test_without_feet_in_view_the_named_leg_is_believed_and_none_named_is_asked_for():
    clip = on_one_leg([LEFT, LEFT], hidden=("ankle_left", "ankle_right"))
    named = tasks.measure(clip, "step-down", Options(side=RIGHT))
    assert {s.side for s in named.summaries()} == {RIGHT}
    assert "Name the stance leg" in " ".join(tasks.measure(clip, "step-down").warnings)


@pytest.mark.parametrize("task", ["chair-rise", "step-up"])
@pytest.mark.parametrize("side", LEGS)
def test_a_rise_is_read_where_the_load_is_greatest_and_not_at_the_top(task, side):
    """The knee falls in 60 px at seat-off and is straight on top; on the way down it goes further still."""
    clip = on_one_leg([side] * 3, rising=True, knee_in=lambda up: 60 * (1 - up))
    told = means(tasks.measure(clip, task, Options(side=side)))
    worst = np.degrees(np.arctan2(60, 160)) + np.degrees(np.arctan2(60, 170))
    assert told[f"{task}-fppa", side] == pytest.approx(worst, abs=4)
    assert told[f"{task}-fppa-peak", side] >= told[f"{task}-fppa", side] - 0.5
    later = on_one_leg([side] * 3, rising=True, knee_in=lambda up: 60 * np.exp(-(((up - 0.4) / 0.15) ** 2)))
    told = means(tasks.measure(later, task, Options(side=side)))
    assert told[f"{task}-fppa", side] < 5 and told[f"{task}-fppa-peak", side] > 20, "between seat-off and standing"


def tilted(clip, low, deg):
    """The pelvis of the clip turned by so many degrees throughout, down on the side `low`, about its middle."""
    xy = clip.xy.copy()
    names = list(clip.names)
    left, right = (names.index(f"asis_{s}") for s in LEGS)
    half = (xy[:, left, 0] - xy[:, right, 0]) / 2
    down = half * np.tan(np.radians(deg)) * (1 if low is LEFT else -1)
    xy[:, left, 1] += down
    xy[:, right, 1] -= down
    return replace(clip, xy=xy)


@pytest.mark.parametrize("rising", [False, True])
@pytest.mark.parametrize("stance", LEGS)
def test_the_pelvis_drops_to_the_side_without_support_and_a_rise_has_its_peaks(stance, rising):
    task = "step-up" if rising else "step-down"
    result = tasks.measure(tilted(on_one_leg([stance] * 3, rising), stance.other, 8.0), task, Options(side=stance))
    told = means(result)
    assert told[f"{task}-pelvic-drop", stance] == pytest.approx(8.0, abs=0.1)
    hiked = tasks.measure(tilted(on_one_leg([stance] * 3, rising), stance, 8.0), task, Options(side=stance))
    assert means(hiked)[f"{task}-pelvic-drop", stance] == pytest.approx(-8.0, abs=0.1)
    peaks = {f"{task}-{what}-peak" for what in ("pelvic-drop", "trunk")}
    assert {m for m, _ in told} & peaks == (peaks if rising else set())


@pytest.mark.parametrize("task", ["step-up", "chair-rise"])
def test_every_rise_of_a_clip_is_one_repetition_that_begins_low(task):
    result = tasks.measure(on_one_leg([LEFT] * 3, rising=True), task, Options(side=LEFT))
    assert [time for kind, _, time in result.events if kind == "start"] == pytest.approx([1, 4, 7], abs=0.35)
    assert [time for kind, _, time in result.events if kind == "turn"] == pytest.approx([2.2, 5.2, 8.2], abs=0.1)


@pytest.mark.parametrize("stance", LEGS)
@pytest.mark.parametrize("low", LEGS)
def test_the_bar_of_a_bridge_sinks_on_the_raised_side(stance, low):
    t = np.arange(0, 3, 1 / FPS)
    down = 100 * np.tan(np.radians(9 * np.sin(np.pi * np.clip(t - 1, 0, 1))))
    ends = {s: np.stack([640 + x * 100 + 0 * t, 500 + down * (s is low)], axis=1) for s, x in ((RIGHT, -1), (LEFT, 1))}
    clip = Tracks(("bar_left", "bar_right"), t, np.stack([ends[LEFT], ends[RIGHT]], axis=1), np.ones((t.size, 2)))
    [read] = tasks.measure(clip, "bridge", Options(side=stance)).values
    sinks = np.degrees(np.arctan(np.tan(np.radians(9)) / 2))
    wanted = sinks if low is stance.other else 0.0
    assert (read.measure, read.side, read.cycle) == ("bridge-bar-tilt", stance, 1)
    assert read.value == pytest.approx(wanted, abs=0.15)
    assert low is stance or read.time_s == pytest.approx(1.5, abs=0.05)
    assert "which leg supports" in tasks.measure(clip, "bridge").warnings[0]


@pytest.mark.parametrize("least", [False, True])
def test_an_extreme_at_the_end_of_its_frames_carries_the_error_of_that_end(least):
    """A value that climbs 30 degrees a second: its greatest lies at the end of its frames, its least at the start."""
    t = np.arange(0, 3, 1 / FPS)
    angle = 10 + 30 * t
    lean = np.stack([640 + 200 * np.sin(np.radians(angle)), 500 - 200 * np.cos(np.radians(angle))], axis=1)
    clip = Tracks(("a", "b"), t, np.stack([np.tile([640.0, 500.0], (t.size, 1)), lean], axis=1), np.ones((t.size, 2)))
    meter = MeasureCollector(MarkSignals(clip, 7.0, 0.0, None), Result("rear-gait"))
    line = meter.curve("of", LEFT, ("a", "b"), lambda m: lean_from_vertical(m["a"], m["b"], 1))
    frames, own, other = np.arange(60, 121), (0.1, 0.0) if least else (0.0, 0.1), (0.0, 0.1) if least else (0.1, 0.0)
    for ends in ((0.0, 0.0), own, other):
        line.extreme(frames, 1, least, ends_sd=ends)
    alone, at_its_end, at_the_other = (v.marking_sd for v in meter.result.values)
    assert at_its_end == pytest.approx(np.hypot(alone, 30 * 0.1), rel=0.02) and at_the_other == alone


@pytest.mark.parametrize("ahead", [1, -1])
def test_a_bar_on_the_back_moves_the_share_of_the_hip_as_the_model_says(ahead):
    """Three squats from the side; at the bottom the hip lies 120 px behind the ankle, the knee 60 px ahead of it."""
    t = np.arange(0, 10, 1 / FPS)
    low = np.sin(np.pi * np.clip((t % 3 - 0.6) / 1.8, 0, 1)) ** 2
    at = {"shoulder": (20 * low, 160 + 90 * low), "hip": (-120 * low, 400 + 90 * low),
          "knee": (60 * low, 550 + 20 * low), "ankle": (0 * t, 700 + 0 * t), "heel": (-40 + 0 * t, 720 + 0 * t),
          "toe": (90 + 0 * t, 720 + 0 * t)}  # fmt: skip
    xy = np.stack([np.stack([640 + ahead * x, y], axis=1) for x, y in at.values()], axis=1)
    clip = Tracks(tuple(at), t, xy, np.ones(xy.shape[:2]))
    side = RIGHT if ahead == 1 else LEFT
    told = {}
    for bar, mass in ((0.0, 70.0), (35.0, 70.0), (35.0, None)):
        result = tasks.measure(clip, "side-squat", Options(side=side, mass_kg=mass, load_kg=bar, metres_per_px=0.0024))
        told[bar, mass] = means(result)["hip-knee-share", side]
        assert any("needs the body mass" in w for w in result.warnings) is (mass is None)
    pose = SidePose(-120, 60, 0, -40, 90)
    assert told[0.0, 70.0] == pytest.approx(hip_share(pose, 0.0024, 0.0), abs=0.5)
    assert told[35.0, 70.0] == pytest.approx(hip_share(pose, 0.0024, 0.5), abs=0.5)
    assert abs(told[35.0, 70.0] - told[0.0, 70.0]) > 1 and told[35.0, None] == told[0.0, 70.0]


def walked_past(ahead, cycle=1.1, cycles=4):
    """Side view: the heel swings 200 px before and behind the hip, with a tremor; the trunk leans 6 degrees ahead."""
    t = np.arange(0, cycle * cycles, 1 / FPS)
    lead = 200 * np.cos(2 * np.pi * (t / cycle - 0.5)) + 4 * np.sin(2 * np.pi * 3 * t)
    hip = np.stack([640 + 0 * t, 400 + 0 * t], axis=1)

    def from_hip(x, y):
        return hip + np.stack([ahead * x + 0 * t, y + 0 * t], axis=1)

    at = {"hip": hip, "shoulder": from_hip(260 * np.sin(np.radians(6)), -260 * np.cos(np.radians(6))),
          "l5": from_hip(-20, -40), "knee": from_hip(lead / 2, 220), "ankle": from_hip(lead, 440),
          "heel": from_hip(lead, 470), "toe": from_hip(lead + 90, 470)}  # fmt: skip
    return Tracks(tuple(at), t, np.stack(list(at.values()), axis=1), np.ones((t.size, len(at)))), cycle


@pytest.mark.parametrize(("ahead", "side"), [(1, RIGHT), (-1, LEFT)])
def test_walking_from_the_side_has_a_contact_where_the_foot_is_furthest_ahead(ahead, side):
    clip, cycle = walked_past(ahead)
    result = tasks.measure(clip, "side-gait", Options(side=side, metres_per_px=0.002))
    wanted = [cycle * (k + 0.5) for k in range(4)]
    assert [(kind, s) for kind, s, _ in result.events] == [("contact", side)] * 4
    assert [time for _, _, time in result.events] == pytest.approx(wanted, abs=0.06)
    assert [(s, pytest.approx(a, abs=0.06), pytest.approx(b, abs=0.06)) for s, a, b in result.cycles] == list(
        zip([side] * 3, wanted, wanted[1:], strict=False)
    )
    told = means(result)
    assert told["gait-side-lead", side] == pytest.approx(40, abs=1), "200 px of 2 mm, in cm"
    assert told["gait-side-trunk", side] == pytest.approx(6, abs=0.1)
    assert "faces" not in " ".join(result.warnings) and "faces" in " ".join(
        tasks.measure(clip, "side-gait", Options(side=side.other)).warnings
    )


@pytest.mark.parametrize(("ahead", "side"), [(1, RIGHT), (-1, LEFT)])
@pytest.mark.parametrize("lean", [-10.0, 25.0])
def test_the_lumbar_line_leans_ahead_whichever_way_somebody_faces(ahead, side, lean):
    t = np.arange(0, 8.5, 1 / FPS)
    down, still = cutting(t), np.zeros_like(t)

    def place(x, y):
        return np.stack([640 + ahead * (x + still), y + still], axis=1)

    up = (-260 * np.cos(np.radians(lean * down)), 260 * np.sin(np.radians(lean * down)))
    at = {"hip": place(-60 * down, 500 + 180 * down), "l5": place(-80 * down, 440 + 180 * down),
          "shoulder": place(-80 * down + up[1], 440 + 180 * down + up[0]), "heel": place(-30, 920),
          "toe": place(80, 920), "knee": place(60 * down, 700 + 40 * down), "ankle": place(0, 890)}  # fmt: skip
    clip = Tracks(tuple(at), t, np.stack(list(at.values()), axis=1), np.ones((t.size, len(at))))
    told = means(tasks.measure(clip, "side-squat", Options(side=side)))
    assert told["squat-side-lumbar", side] == pytest.approx(lean, abs=0.2)
    for out, is_told in ((20.0, False), (20.5, True), (-25.0, True)):
        warned = " ".join(tasks.measure(clip, "side-squat", Options(side=side, turn_out_deg=out)).warnings)
        assert ("divided by its cosine" in warned) is is_told, out
