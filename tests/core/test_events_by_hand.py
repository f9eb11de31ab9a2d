"""Landings, toe-offs and turns put by a person where nothing was found, against the same clip with all of its marks."""

import numpy as np
import pytest

from tuning.core.movement import tasks
from tuning.core.movement.tasks import Options
from tuning.core.movement.tracks import Tracks
from tuning.core.types import LEGS, Side
from tuning.demo.camera import PinholeCamera
from tuning.demo.mannequin import build
from tuning.demo.motions import STANCE, Squatter, Walker, squatting, walking

WALKER = Walker(cycle=1.0, drop_left=8, drop_right=3)
FPS = 60


def filmed(body_at, view, seconds):
    t = np.arange(round(FPS * seconds)) / FPS
    seen = [body_at(x).projected(PinholeCamera(view)) for x in t]
    names = tuple(seen[0])
    xy = np.array([[f[n] for n in names] for f in seen])
    return Tracks(names, t, xy, np.ones((t.size, len(names))))


def without(tracks, hidden, frames=slice(None)):
    """The same clip with some marks hidden in some frames."""
    xy, quality = tracks.xy.copy(), tracks.quality.copy()
    lost = [k for k, name in enumerate(tracks.names) if name.startswith(hidden)]
    xy[frames, lost], quality[frames, lost] = np.nan, 0.0
    return Tracks(tracks.names, tracks.times, xy, quality)


def put(*events):
    """Options with events where none was found."""
    return Options(standing_tilt_deg=0.0, moved=tuple((kind, side, None, time) for kind, side, time in events))


def drops(result, side):
    return [v.value for v in result.values if v.measure == "gait-pelvic-drop" and v.side is side]


@pytest.fixture(scope="module")
def walk():
    return filmed(lambda t: build(walking(WALKER, t)), "rear", 4.0)


@pytest.mark.parametrize("side", LEGS)
def test_a_stance_is_measured_between_what_was_put_though_no_foot_was_ever_seen(walk, side):
    whole = tasks.measure(walk, "rear-gait", Options(standing_tilt_deg=0.0))
    blind = without(walk, ("heel", "toe"))
    assert not tasks.measure(blind, "rear-gait").cycles
    contact = 1.0 if side is Side.LEFT else 1.5
    off = contact + STANCE * WALKER.cycle
    result = tasks.measure(blind, "rear-gait", put(("toe-off", side, off), ("contact", side, contact)))
    assert result.cycles == [(side, contact, off)]
    assert result.events == result.found == [("contact", side, contact), ("toe-off", side, off)]
    assert drops(result, side) == [pytest.approx(np.median(drops(whole, side)), abs=0.3)]
    assert not drops(result, side.other)


@pytest.mark.parametrize("side", LEGS)
def test_a_step_that_was_left_out_comes_back_in_its_place_among_the_others(walk, side):
    whole = tasks.measure(walk, "rear-gait", Options(standing_tilt_deg=0.0))
    own = [(a, b) for s, a, b in whole.cycles if s is side]
    contact, off = own[1]
    hole = slice(round((contact - 0.15) * FPS), round((contact + 0.15) * FPS))
    holed = without(walk, (f"heel_{side}", f"heel_top_{side}", f"toe_{side}"), hole)
    assert len([c for c in tasks.measure(holed, "rear-gait").cycles if c[0] is side]) == len(own) - 1
    result = tasks.measure(holed, "rear-gait", put(("contact", side, contact), ("toe-off", side, off)))
    again = [(a, b) for s, a, b in result.cycles if s is side]
    np.testing.assert_allclose(again, own, atol=0.05)
    assert [e[:2] for e in result.events] == [e[:2] for e in result.found]
    assert drops(result, side) == pytest.approx(drops(whole, side), abs=0.2)


def test_one_end_alone_waits_for_the_other_and_is_told(walk):
    blind = without(walk, ("heel", "toe"))
    for kind, waits in (("contact", "leaves the ground"), ("toe-off", "lands")):
        result = tasks.measure(blind, "rear-gait", put((kind, Side.RIGHT, 1.5)))
        assert not result.cycles and [w[:3] for w in result.waiting] == [(kind, Side.RIGHT, 1.5)]
        assert waits in result.waiting[0][3] and "1.50 s" in result.waiting[0][3]


def test_a_repetition_is_measured_between_what_was_put_where_none_was_found():
    squat = filmed(lambda t: build(squatting(Squatter(), t)), "front", 9.0)
    whole = tasks.measure(squat, "front-squat")
    start, end = whole.cycles[1][1:]
    turn = [t for kind, _, t in whole.events if kind == "turn"][1]
    only = without(squat, ("asis", "shoulder"))
    assert not tasks.measure(only, "front-squat").cycles
    ends = [("end", Side.NONE, end), ("start", Side.NONE, start)]
    assert not tasks.measure(only, "front-squat", put(*ends)).cycles, "it waits for its turn"
    result = tasks.measure(only, "front-squat", put(*ends, ("turn", Side.NONE, turn)))
    assert result.cycles == [(Side.NONE, start, end)] and [e[0] for e in result.events] == ["start", "turn", "end"]
    again = tasks.measure(
        squat, "front-squat", put(("start", Side.NONE, 0.0), ("turn", Side.NONE, 0.1), ("end", Side.NONE, 0.2))
    )
    assert len(again.cycles) == len(whole.cycles) + 1 and again.cycles[0][1:] == (0.0, 0.2)
    assert again.cycles[1:] == whole.cycles


@pytest.mark.parametrize(
    ("left_out", "lacks"),
    [((), None), ((2,), 2.0), ((3,), 4.0)],
)
def test_two_repetitions_that_were_put_do_not_borrow_from_each_other(left_out, lacks):
    only = without(filmed(lambda t: build(squatting(Squatter(), t)), "front", 6.0), ("asis", "shoulder"))
    times = (1.0, 2.0, 2.9, 3.0, 4.0, 5.0)
    events = [(kind, Side.NONE, time) for kind, time in zip(("start", "turn", "end") * 2, times, strict=True)]
    spare = [("start", Side.NONE, 0.5), ("end", Side.NONE, 5.5)]  # the ends nearest to a turn are its own
    result = tasks.measure(only, "front-squat", put(*spare, *[e for n, e in enumerate(events) if n not in left_out]))
    both = [(Side.NONE, 1.0, 2.9), (Side.NONE, 3.0, 5.0)]
    whole = [cycle for n, cycle in enumerate(both) if lacks != 2.0 + 2 * n]
    assert result.cycles == whole
    assert [time for kind, _, time, _ in result.waiting if kind == "turn"] == ([] if lacks is None else [lacks])


def test_what_was_put_where_it_was_found_is_no_second_event():
    """A tick that was pressed and not dragged, in records of any age."""
    squat = filmed(lambda t: build(squatting(Squatter(), t)), "front", 9.0)
    whole = tasks.measure(squat, "front-squat")
    same = Options(moved=tuple((kind, side, time, time) for kind, side, time in whole.found))
    again = tasks.measure(squat, "front-squat", same)
    assert again.events == whole.events and not again.waiting
