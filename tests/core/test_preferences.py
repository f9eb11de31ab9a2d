"""Preferences: bounds, own bands, and exactly the past verdicts that a change alters."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from test_review import VISITS, M, case, seen

from tuning.core.errors import BadInput
from tuning.core.judging.comparison import comparison_table
from tuning.core.judging.trial_rule import TrialRule, apply_trial_rule
from tuning.core.judging.verdict import Verdict
from tuning.core.judging.verdict_changes import altered
from tuning.core.preferences import BAND, BY_KEY, DECLARED, TRIALS, Type, band_of, with_bands
from tuning.core.types import LEGS


@given(st.one_of(st.none(), st.booleans(), st.integers(), st.floats(), st.text(max_size=20), st.lists(st.integers())))
def test_no_value_that_a_preference_does_not_declare_ever_counts(value):
    for one in DECLARED:
        read = one.read({one.key: value})
        assert one.checked(read) == read, one.key
        try:
            one.checked(value)
        except BadInput as err:
            assert one.name in str(err) and read == one.default
        else:
            assert read == value


def test_every_preference_is_declared_once_with_help_and_a_default_that_is_allowed():
    assert len({one.key for one in DECLARED}) == len(DECLARED)
    for one in DECLARED:
        assert one.help and one.checked(one.default) == one.default and one.words(one.default) is not None
    with pytest.raises(BadInput, match="one of 1, 2, 3"):
        BY_KEY[TRIALS].checked(4)
    with pytest.raises(BadInput, match="number from 0 to"):
        band_of(M["knee-to-wall"]).checked(math.nan)


bands = st.one_of(st.none(), st.floats(0, 60))
values = st.lists(st.tuples(st.floats(1, 20), st.floats(1, 20)), min_size=1, max_size=3)


@given(bands, bands, values, st.sampled_from(list(TrialRule)), st.sampled_from(list(TrialRule)))
def test_exactly_the_verdicts_that_change_are_told(band, other, pairs, rule, later):
    """Against the plain definition: read every visit both ways and look what differs."""
    ids = ("knee-to-wall", "hip-abd")
    entries = [
        seen(measure, side, value, n, trials=3)
        for n, pair in enumerate(pairs)
        for measure in ids
        for side, value in zip(LEGS, pair, strict=True)
    ]
    for k, one in enumerate(entries):
        object.__setattr__(one, "trials", np.array([0.9, 1.0, 1.2]) * one.value)
        object.__setattr__(one, "uid", f"o{k}")
    made = case(*entries, now=3)
    own = {f"{BAND}{ids[0]}": band, f"{BAND}{ids[1]}": other}
    after = with_bands(M, {key: value for key, value in own.items() if value is not None})
    told = {(one.visit.uid, one.measure.id): (one.was, one.now) for one in altered(made, (M, rule), (after, later))}
    expected = {}
    for visit in VISITS:
        words = []
        for measures, how in ((M, rule), (after, later)):
            rows = comparison_table(
                measures, apply_trial_rule(measures, [o for o in entries if o.visit == visit.uid], how)
            )
            words.append({r.measure.id: r.verdict.word.value if isinstance(r.verdict, Verdict) else "not judged"
                          for r in rows})  # fmt: skip
        for key in words[0].keys() & words[1].keys():
            if words[0][key] != words[1][key]:
                expected[visit.uid, key] = (words[0][key], words[1][key])
    assert told == expected


def test_an_own_band_says_whose_it_is_and_zero_takes_it_away():
    own = with_bands(M, {f"{BAND}knee-to-wall": 5.0, f"{BAND}hip-abd": 0.0, f"{BAND}nothing-of-ours": 3.0})
    assert own["knee-to-wall"].band == 5.0 and own["knee-to-wall"].band_source == "set by this clinic"
    assert own["hip-abd"].band is None and set(own) == set(M)
    assert with_bands(M, {f"{BAND}knee-to-wall": "wide", f"{BAND}hip-abd": -3}) == M
    assert band_of(M["knee-to-wall"]).type is Type.NUMBER
