"""What accounts are charged: laws that hold for any marks and finds."""

import numpy as np
import pytest
from chance import RANDOM

from tuning.video.track.body_constraints import body_of
from tuning.video.track.hypotheses import HypothesisTracker
from tuning.video.track.hypothesis_step import GOES, NOBODYS, PLACE_MOST, STAYS_AWAY, Finds, Hypotheses, gains, move

NAMES = ("psis_left", "psis_right", "knee_back_left", "knee_back_right", "heel_left", "heel_right")
STANDING = np.array([[620, 250], [680, 250], [615, 450], [685, 450], [615, 640], [685, 640.0]])


class Accounts:
    """Two accounts of a body whose marks lie anywhere, each on its course; the second has lost a heel."""

    def __init__(self, turn=1.0):
        rng, body = RANDOM, body_of(NAMES, STANDING)
        flip = [turn, 1.0]
        self.pace, self.body = HypothesisTracker(body, 1 / 60, 720).pace, body
        at = STANDING + rng.normal(0, 40, (2, 6, 2))
        speed, place = rng.normal(0, 5, (2, 6, 2)), STANDING - STANDING[:2].mean(axis=0) + rng.normal(0, 60, (2, 6, 2))
        unseen, stray = np.zeros((2, 6), np.intp), np.tile(np.square(body.stays), (2, 1, 1))
        unseen[1, 4] = 2
        last, age = unseen - 1, np.full((2, 6), 9)
        self.marks = Hypotheses(at * flip, speed * flip, unseen, age, place * flip, stray, last, np.zeros(2))
        self.finds = Finds((at + speed)[0] * flip, np.full(6, 1.0))

    def gains(self):
        return gains(self.marks, self.finds, self.body, self.pace)

    def charged(self, account, chosen):
        """What one account is charged for a frame that it reads so."""
        endless = np.full_like(self.body.longest, np.inf)
        body = self.body._replace(longest=endless, widest=endless)
        after = self.marks.of(np.array([account]))._replace(last=np.array([chosen]))
        move(after, self.finds, np.array([account]), self.gains(), body)
        return after.charge[0]


@pytest.mark.parametrize("mark", range(6))
def test_a_mark_on_its_course_is_as_welcome_far_from_its_place_as_in_it(mark):
    """Hiding from a charge for its place would be taken for the other mark that lies nearer to its own."""
    assert Accounts().gains()[0, mark, mark] == pytest.approx(GOES + NOBODYS)


@pytest.mark.parametrize("account", [0, 1])
def test_what_is_gained_is_what_is_not_charged(account):
    accounts = Accounts()
    gain = accounts.gains()[account]
    nothing = accounts.charged(account, np.full(6, -1))
    at, speed, unseen, _, place, stray, *_ = (one[account] for one in accounts.marks)
    there = at + speed
    out = 0.5 * (np.square(there - there[:2].mean(axis=0) - place) / stray).sum(axis=1)[2:]
    hidden = np.where(unseen > 0, STAYS_AWAY, GOES).sum() + np.minimum(out, PLACE_MOST).sum()
    assert nothing == pytest.approx(hidden + NOBODYS * 6)
    for mark, find in zip(*np.nonzero(np.isfinite(gain)), strict=True):
        chosen = np.full(6, -1)
        chosen[mark] = find
        assert accounts.charged(account, chosen) == pytest.approx(nothing - gain[mark, find])


def test_a_mirrored_body_gains_the_same():
    state = RANDOM.bit_generator.state
    plain = Accounts().gains()
    RANDOM.bit_generator.state = state
    assert Accounts(turn=-1.0).gains() == pytest.approx(plain)
