"""Devices that do not answer, stop in the middle, or lose samples: a sentence each, and nothing is lost."""

import hands
import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest

from tuning.core.errors import BadInput
from tuning.core.types import Side
from tuning.demo.plate_profiles import body, scene
from tuning.demo.simulated_gauge import Profile, SimulatedDynamometer
from tuning.demo.simulated_plates import Faults, SimulatedPlates
from tuning.ui.strength.live import GaugePhase


class DeadGauge(SimulatedDynamometer):
    """Answers no start, or nothing after it."""

    def __init__(self, at_start: bool) -> None:
        super().__init__(Profile(150.0))
        self.at_start = at_start

    def start(self):
        if self.at_start:
            raise OSError("no such device")

    def read(self):
        raise OSError("unplugged")


@pytest.mark.parametrize("at_start", [True, False])
def test_a_gauge_that_fails_leaves_the_typed_way_open(qtbot, window, patient, at_start):
    patient("ferry deckhand", "strength")
    page, live = window.page("strength"), window.page("strength").live
    page.device.setCurrentText("gauge")
    live.use(DeadGauge(at_start))
    live._counter.setInterval(1)
    QTest.keyClick(page.number, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: "does not answer" in page.hint.text())
    assert live.phase is GaugePhase.READY and not page.state.trials(page.state.side).size
    hands.type_enter(page.number, "181")
    assert page.state.trials(page.state.side).tolist() == [181.0]


def test_nobody_pushing_is_no_trial(qtbot, window, patient):
    patient("ferry deckhand", "strength")
    page, live = window.page("strength"), window.page("strength").live
    page.device.setCurrentText("gauge")
    live._counter.setInterval(1)

    class Idle(SimulatedDynamometer):
        def read(self):
            t = np.arange(0, 9, 0.01)
            return np.column_stack([t, np.full(t.size, 0.3)])

    live.use(Idle(Profile(150.0)))
    QTest.keyClick(page.number, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: live.phase is GaugePhase.PUSHING)
    qtbot.waitUntil(lambda: len(live.samples) > 0)
    QTest.keyClick(page.number, Qt.Key.Key_Space)
    assert "No trial: no push above 5 N" in page.hint.text() and not page.number.text()


class GonePlates(SimulatedPlates):
    """Vanish after a few reads."""

    reads = 0

    def read(self):
        self.reads += 1
        if self.reads > 3:
            raise OSError("unplugged")
        return super().read()


def test_plates_that_vanish_keep_nothing_half(qtbot, window, patient, monkeypatch):
    patient("potter", "force")
    page = window.page("force")
    hands.put_plates(window, monkeypatch, lambda _: GonePlates(scene(body("potter", 66), "squat-iso", "none")))
    page.state.choose("squat-iso")
    page.toggle_record()
    qtbot.waitUntil(lambda: not page.live.running)
    assert "does not answer" in window.status.message.text() and not page.state.captures()


def test_lost_samples_are_mended_when_few_and_refused_when_many(qtbot, window, patient, monkeypatch):
    patient("potter", "force")
    page = window.page("force")
    now = [0.0]

    def plates(lost):
        who = scene(body("potter", 66), "squat-iso", "none", np.random.default_rng(1))
        return SimulatedPlates(who, Faults(lost=lost), seed=3, clock=lambda: now[0])

    for lost, kept, words in ((0.3, 0, "misses"), (0.002, 1, "lost samples")):
        now[0] = 0.0
        hands.put_plates(window, monkeypatch, lambda _, n=lost: plates(n))
        page.state.choose("squat-iso")
        page.toggle_record()
        now[0] = 60.0
        qtbot.waitUntil(lambda: not page.live.running)
        assert words in page.status.text() and len(page.state.captures()) == kept
    assert page.state.ledger()["squat-iso-share"].right.trials.size == 3


def test_a_changed_clinic_setting_never_leaves_a_visit_without_an_order(window, patient):
    """A drag that the harder rule forbids is let go of, the order stands."""
    patient("ferry deckhand", "strength")
    order = window.order
    ids = [s.effort.id for s in order.order.stops]
    involved = ids.index("hip-abd:right")
    order.drag("hip-abd:right", 0)
    assert [s.effort.id for s in order.order.stops].index("hip-abd:right") < involved
    order.set_hard(True)
    now = [s.effort.id for s in order.order.stops]
    assert sorted(now) == sorted(ids) and now.index("hip-abd:left") < now.index("hip-abd:right")
    assert order.price_of_hard_rule() >= 0
    with pytest.raises(BadInput):
        order.drag("squeeze-5s", 0)
    assert order.named("squeeze-5s").last and [e.side for e in order.skipped()] == [] and order.hard
    assert order.wishes(order.standing_choice()).involved is Side.RIGHT
