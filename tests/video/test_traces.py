"""The first and the last of a mark, where it comes out of hiding and where it goes."""

import numpy as np
import pytest

from tuning.core.movement.tracks import Tracks
from tuning.video.track.detections import Detections
from tuning.video.track.gap_ends import TRACE_QUALITY, follow_traces

N = np.arange(30)
COURSE = np.stack([300 + 6.0 * N, 500 - 0.3 * (N - 15.0) ** 2], axis=1)
NONE = np.zeros((0, 2))


def clip(backward=False):
    """A mark seen in frames 10 to 19 of 30, and one that is always seen beside it."""
    xy = np.full((30, 2, 2), np.nan)
    xy[10:20, 0], xy[:, 1] = COURSE[10:20], COURSE + [0, 40.0]
    found = Tracks(("toe_left", "heel_left"), N / 60, xy, np.where(np.isnan(xy[..., 0]), 0.0, 1.0))
    return Tracks(found.names, found.times, xy[::-1], found.quality[::-1]) if backward else found


def sights(traces, clear=NONE):
    return [
        Detections(np.array(clear), np.ones(len(clear)), np.full((len(clear), 2), np.nan), np.array(t)) for t in traces
    ]


@pytest.mark.parametrize("backward", [False, True])
def test_traces_on_its_course_lead_a_mark_into_the_gap_and_no_further(backward):
    found = clip(backward)
    traces = [[at] if 7 <= n < 10 or 20 <= n < 24 else NONE for n, at in enumerate(COURSE)]
    follow_traces(found, sights(traces[::-1] if backward else traces), 0)
    quality, xy = (a[::-1] if backward else a for a in (found.quality[:, 0], found.xy[:, 0]))
    led = [*range(7, 10), *range(20, 24)]
    assert np.flatnonzero(quality == TRACE_QUALITY).tolist() == led and xy[led] == pytest.approx(COURSE[led])
    assert (quality[10:20] == 1).all() and (quality == 0).sum() == 13


@pytest.mark.parametrize("off", [(-14.0, 0.0), (14.0, 0.0), (0.0, 14.0)])
def test_what_lies_off_its_course_is_no_trace_of_it(off):
    found = clip()
    follow_traces(found, sights([[at + off] for at in COURSE]), 0)
    assert (found.quality[:, 0] > 0).sum() == 10


def test_what_is_left_of_another_mark_is_no_trace_of_it():
    found = clip()
    found.xy[:, 1] = COURSE + [1.0, 0.0]
    follow_traces(found, sights([[at] for at in COURSE]), 0)
    assert (found.quality[:, 0] > 0).sum() == 10


def test_a_clear_sticker_that_was_told_to_be_nobodys_stays_nobodys():
    found = clip()
    follow_traces(found, sights([NONE] * 30, clear=COURSE[20:21]), 0)
    assert (found.quality[:, 0] > 0).sum() == 10


def test_frames_before_the_first_one_followed_are_left_alone():
    found = clip()
    follow_traces(found, sights([[at] for at in COURSE[8:25]]), 8)
    assert np.flatnonzero(found.quality[:, 0]).tolist() == list(range(8, 25))
