"""Efforts on the gauge: readings against the true force, faults against efforts made by physical size."""

from collections import Counter

import numpy as np
import pytest
from chance import RANDOM

from tuning.core.strength.gauge_trace import EffortFault, best_second, read_effort
from tuning.core.types import NotMeasured
from tuning.demo.simulated_gauge import Profile, Push, SimulatedDynamometer, recorded, true_force

"""Fresh every run; the limits below leave room for it."""


def some(**more):
    r = RANDOM.uniform
    made = dict(
        plateau=r(60, 350), wait=r(0.5, 1.2), rise=r(0.3, 1.2), hold=r(3, 4.5), loss=r(0, 0.06),
        tremor=r(0.004, 0.02), tremor_hz=r(8, 11), noise=r(0.1, 0.5), pull=bool(RANDOM.random() < 0.3),
    )  # fmt: skip
    return Push(**{**made, **more})


def read(push):
    heard, true = recorded(push, RANDOM)
    return read_effort(heard[:, 0], heard[:, 1]), np.abs(true[:, 1])


def test_peak_and_best_second_of_500_fresh_efforts():
    peaks, seconds = [], []
    for _ in range(500):
        push = some()
        effort, true = read(push)
        total = np.concatenate([[0.0], np.cumsum(true)])
        peaks.append(abs(effort.peak / true.max() - 1))
        seconds.append(abs(effort.best_second / ((total[100:] - total[:-100]) / 100).max() - 1))
        assert effort.pull == push.pull
    peak, second = (100 * np.percentile(x, 95) for x in (peaks, seconds))
    print(f"500 efforts, 95th percentile of the error: peak {peak:.2f} %, best second {second:.2f} %")
    assert peak < 0.5 and second < 1.0


BAD = {
    EffortFault.PRE_TENSION: lambda r: dict(before=r(0.07, 0.3)),
    EffortFault.NOT_HELD: lambda r: dict(loss=r(0.12, 0.4)) if RANDOM.random() < 0.5 else dict(let_go=r(0.12, 0.5)),
    EffortFault.SLIP: lambda r: dict(slip=r(0.25, 0.6)),
    EffortFault.JERK: lambda r: dict(spike=r(0.25, 0.6)),
    EffortFault.LOST: lambda r: dict(gap=r(0.15, 0.5)),
}
GOOD = (dict(before=0.03), dict(loss=0.08), dict(slip=0.15), dict(spike=0.1), dict(gap=0.05), {})
BORDER = (dict(before=0.05), dict(loss=0.1), dict(slip=0.2), dict(spike=0.15), dict(gap=0.1))


def test_faulty_efforts_are_caught_and_sound_ones_are_let_through():
    caught, named, count = Counter(), Counter(), 100
    for fault, make in BAD.items():
        for _ in range(count):
            effort, _ = read(some(**make(RANDOM.uniform)))
            caught[fault] += not effort.valid
            named[fault] += fault in {f for f, _ in effort.faults}
    false = sum(not read(some(**GOOD[n % len(GOOD)]))[0].valid for n in range(500))
    border = sum(not read(some(**BORDER[n % len(BORDER)]))[0].valid for n in range(200))
    print(f"500 faulty efforts caught: {dict(caught)}; named: {dict(named)}; "
          f"false alarms {false} of 500; of 200 borderline ones {border} were flagged")  # fmt: skip
    assert sum(caught.values()) >= 0.95 * count * len(BAD) and false < 0.02 * 500
    assert min(named.values()) >= 0.9 * count, "the reason given is the reason there is"


def test_closed_forms():
    t = np.arange(0, 6, 0.01)
    ramp = 200 * np.clip((t - 1) / 0.5, 0, 1) * np.clip((5.5 - t) / 0.2, 0, 1)
    effort = read_effort(t, ramp)
    assert effort.onset_s == pytest.approx(1.0, abs=0.03)
    assert effort.rise == pytest.approx(400, rel=0.08) and effort.peak == pytest.approx(200, rel=0.02)
    falling = ramp * (1 - 0.02 * (t - 1.5) * (t > 1.5))
    assert read_effort(t, falling).fatigue == pytest.approx(-4, rel=0.1), "2 % of 200 N a second"
    assert best_second(np.r_[np.zeros(50), np.full(100, 3.0), np.zeros(50)], 100) == pytest.approx(3)


def test_what_is_no_effort_is_no_number():
    t = np.arange(0, 5, 0.01)
    assert read_effort(t, np.full(t.size, 0.4)).reason == "no-effort"
    assert read_effort(t[:20], np.full(20, 90.0)).reason == "too-short"
    assert isinstance(read_effort(t, np.full(t.size, np.nan)), NotMeasured)
    with pytest.raises(ValueError, match="rise"):
        read_effort(t[::-1], np.full(t.size, 90.0))
    short, _ = recorded(Push(hold=1.0), RANDOM)
    effort = read_effort(short[:, 0], short[:, 1])
    assert "held" in effort.reason and not effort.valid


def test_the_simulated_gauge_streams_in_its_own_time():
    now = [10.0]
    gauge = SimulatedDynamometer(Profile(200.0), seed=4, clock=lambda: now[0])
    gauge.start()
    assert gauge.read().shape == (0, 2)
    now[0] += 2.0
    first = gauge.read()
    now[0] += 10.0
    rest = gauge.read()
    assert first[-1, 0] < 2.0 <= rest[0, 0] and gauge.read().size == 0
    whole = np.concatenate([first, rest])
    effort = read_effort(whole[:, 0], whole[:, 1])
    assert effort.valid and effort.peak == pytest.approx(200, rel=0.25)
    assert true_force(Push(before=0.1), np.array([0.0]))[0] == pytest.approx(18.0)
