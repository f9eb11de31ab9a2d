"""The decisions of a frame against their definitions, by other means."""

from __future__ import annotations

import math
from itertools import product

import numpy as np
import pytest
from chance import RANDOM

from tuning.video.track.assignment_kernels import each_its_best, going_on, may_differ


def test_a_run_goes_on_only_where_nothing_else_can_be_meant():
    ends, goes = 0, 0
    for _ in range(300):
        off = RANDOM.uniform(0, 30, RANDOM.integers(1, 5, 2)) ** 1.5
        within = RANDOM.uniform(0, 40, len(off))
        for i, chosen in enumerate(going_on(off, within, 2.0, 1.5).tolist()):
            j = int(off[i].argmin())
            others = [*np.delete(off[i], j), *np.delete(off[:, j], i)]
            alone = all(other >= 2 * off[i, j] + 1.5 for other in others)
            assert chosen == (j if alone and off[i, j] <= within[i] else -1)
            goes, ends = goes + (chosen >= 0), ends + (alone and chosen < 0)
    assert goes > 50 and ends > 50


def test_each_mark_gets_its_best_where_no_two_want_the_same_and_some_must_take_one():
    clear, forced = 0, 0
    for _ in range(300):
        marks, finds = RANDOM.integers(1, 4), RANDOM.integers(1, 5)
        gain, must = RANDOM.normal(0, 3, (marks, finds)), RANDOM.random(marks) < 0.3
        way = np.empty(marks, dtype=np.intp)
        whole = each_its_best(gain, must, way)
        wanted = [int(g.argmax()) for g, needs in zip(gain, must, strict=True) if needs or g.max() > 0]
        assert math.isnan(whole) == (len(set(wanted)) < len(wanted))
        if math.isnan(whole):
            continue
        totals = {}
        for one in product(range(-1, finds), repeat=marks):
            taken = [n for n in one if n >= 0]
            if len(set(taken)) == len(taken) and all(n >= 0 for n, needs in zip(one, must, strict=True) if needs):
                totals[one] = sum(gain[m, n] for m, n in enumerate(one) if n >= 0)
        assert tuple(way.tolist()) == max(totals, key=totals.__getitem__)
        assert whole == pytest.approx(max(totals.values()))
        clear, forced = clear + 1, forced + bool((must & (gain.max(axis=1) < 0)).any())
    assert clear > 100 and forced > 20


@pytest.mark.parametrize(
    ("gain", "way", "doubtful"),
    [
        ([[9.0, 0.5]], [0], False),  # nothing else comes near
        ([[9.0, 1.5]], [0], True),  # another find does
        ([[2.0, -9.0]], [0], True),  # hardly better than none
        ([[4.0, -9.0]], [0], False),
        ([[4.0, -9.0], [3.0, 7.0]], [0, 1], True),  # the other wants it, too
        ([[-2.0, -9.0]], [-1], True),  # hardly worse than none
        ([[-9.0, -9.0]], [-1], False),
    ],
)
def test_what_may_differ(gain, way, doubtful):
    out = np.empty(len(way), dtype=np.bool_)
    may_differ(np.array(gain), np.array(way, dtype=np.intp), 8.0, 3.0, out)
    assert out[0] == doubtful
