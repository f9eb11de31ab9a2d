"""Reliability against the published worked example, closed forms and laws; and the command that tells it."""

import json

import numpy as np
import pytest
from chance import RANDOM
from click.testing import CliRunner

from tuning.cli import main
from tuning.core.bench.reliability import limits_of_agreement, reliability, weighted_kappa
from tuning.core.types import NotMeasured

JUDGES = np.array([[9, 2, 5, 8], [6, 1, 3, 2], [8, 4, 6, 8], [7, 1, 2, 6], [10, 5, 6, 9], [6, 2, 4, 7]], dtype=float)
"""Six targets and four judges (Shrout and Fleiss 1979, table 2)."""
PUBLISHED = {
    "1,1": (0.17, -0.13, 0.72), "2,1": (0.29, 0.02, 0.76), "3,1": (0.71, 0.34, 0.95),
    "1,k": (0.44, -0.88, 0.91), "2,k": (0.62, 0.07, 0.93), "3,k": (0.91, 0.68, 0.99),
}  # fmt: skip


def test_the_published_example_comes_out_in_all_six_forms_with_its_intervals():
    found = reliability(JUDGES)
    for form, values in PUBLISHED.items():
        told = found.icc[form]
        assert (told.value, told.low, told.high) == pytest.approx(values, abs=0.006), form


def test_errors_are_those_that_were_put_in_and_a_rater_who_reads_higher_is_in_agreement_alone():
    true, n = RANDOM.normal(0, 10, (4000, 1)), 4000
    readings = true + RANDOM.normal(0, 2, (n, 3))
    found, shifted = reliability(readings), reliability(readings + [0, 0, 6])
    assert found.sem_agreement == pytest.approx(2, rel=0.05) and found.sem_consistency == pytest.approx(2, rel=0.05)
    assert found.icc["2,1"].value == pytest.approx(100 / 104, abs=0.01)
    assert shifted.sem_consistency == pytest.approx(found.sem_consistency)
    assert shifted.sem_agreement == pytest.approx(np.hypot(2, np.std([0, 0, 6], ddof=1)), rel=0.03)
    assert found.mdc95_agreement == pytest.approx(1.96 * np.sqrt(2) * found.sem_agreement, rel=1e-3)
    times = reliability(np.exp(readings / 10), log=True)
    assert times.sem_consistency == pytest.approx(np.exp(0.2), rel=0.02)


def test_readings_without_error_or_difference_tell_no_number_rather_than_a_wrong_one():
    """Small whole grades at random, some the same throughout: every number is one, or is told as none."""
    with np.errstate(all="raise"):
        for _ in range(300):
            readings = RANDOM.integers(0, 3, (RANDOM.integers(3, 6), RANDOM.integers(2, 4))).astype(float)
            found = reliability(readings)
            if not isinstance(found, NotMeasured):
                assert not any(np.isinf([i.value, i.low, i.high]).any() for i in found.icc.values())
                assert found.icc["1,1"].value <= 1 + 1e-12
    same = reliability(np.array([[1, 1], [2, 2], [3, 3.0]]))
    assert same.icc["2,1"].value == same.icc["3,1"].value == 1 and same.sem_agreement == 0


def test_intervals_hold_the_truth_as_often_as_they_say():
    """Two hundred studies of twenty targets and three readers whose true value is 0.75 in form 2,1."""
    inside = []
    for _ in range(200):
        readings = (
            RANDOM.normal(0, np.sqrt(3), (20, 1))
            + RANDOM.normal(0, 0.4, (1, 3))
            + RANDOM.normal(0, np.sqrt(0.84), (20, 3))
        )
        told = reliability(readings).icc["2,1"]
        inside.append(told.low <= 0.75 <= told.high)
    assert np.mean(inside) >= 0.9


def test_limits_of_agreement_and_kappa_are_the_closed_forms():
    first, apart = np.arange(10.0), np.array([1, -1] * 5, dtype=float)
    pair = limits_of_agreement(first, first + 2 + apart)
    sd = np.sqrt(10 / 9)
    assert pair.bias.value == pytest.approx(2) and pair.high.value == pytest.approx(2 + 1.96 * sd, abs=1e-3)
    assert limits_of_agreement(first + 2 + apart, first).bias.value == pytest.approx(-2), "second minus first"
    grades = np.repeat([[0, 0], [0, 1], [1, 0], [1, 1]], [20, 5, 10, 15], axis=0).astype(float)
    for power in (1, 2):
        told = weighted_kappa(grades[:, 0], grades[:, 1], power)
        assert told.value == pytest.approx(0.4) and 0 < told.low < 0.4 < told.high < 0.75
    assert weighted_kappa(first, first).value == 1
    for refused in (reliability(np.ones((5, 2))), reliability(JUDGES[:2]), weighted_kappa(np.ones(5), np.ones(5)),
                    reliability(-JUDGES, log=True), weighted_kappa(first + 0.5, first)):  # fmt: skip
        assert isinstance(refused, NotMeasured)


def test_the_command_tells_raters_and_trials_and_refuses_by_line(tmp_path):
    path = tmp_path / "ratings.csv"
    rows = [
        f"{t};{r};{value + shift:.1f};{trial}".replace(".", ",")
        for t, row in enumerate(JUDGES)
        for r, value in zip("abcd", row, strict=True)
        for trial, shift in ((1, -0.1), (2, 0.1))
    ]

    def run(lines, *more):
        path.write_text("\n".join(["target;rater;value;trial", *lines]))
        return CliRunner().invoke(main, ["reliability", str(path), *more])

    told = json.loads(run(rows, "--json").output)
    assert told["between_raters"]["icc"]["2,1"]["value"] == pytest.approx(0.29, abs=0.01)
    assert told["within_rater"]["a"]["sem_agreement"] == pytest.approx(0.2 / np.sqrt(2), rel=0.01)
    assert told["within_rater"]["a"]["limits_of_agreement"]["bias"]["value"] == pytest.approx(0.2)
    assert json.loads(run(rows[:-1], "--json").output)["within_rater"]["d"]["left_out"] == 1
    plain = run(rows).output
    assert "ICC(2,1) 0.29" in plain and "SEM, agreement" in plain and "Within a" in plain
    for lines, words in (([*rows, "0;a;x;3"], "line 50: “x” is no number"), ([*rows, rows[0]], "twice"),
                         ([rows[0]], "read once only"), ([";a;1;1"], "is empty")):  # fmt: skip
        refused = run(lines)
        assert refused.exit_code == 2 and words in refused.output, refused.output
    path.write_text("who,what\n1,2\n")
    assert "no column target" in CliRunner().invoke(main, ["reliability", str(path)]).output
