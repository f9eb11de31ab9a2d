"""What accounts are charged: laws that hold for any marks and finds."""

import numpy as np
import pytest
from chance import RANDOM

from tuning.video.track.body_constraints import body_of
from tuning.video.track.hypotheses import HypothesisTracker
from tuning.video.track.hypothesis_step import GOES, NOBODYS, PLACE_MOST, STAYS_AWAY, gains, move

NAMES = ("psis_left", "psis_right", "knee_back_left", "knee_back_right", "heel_left", "heel_right")
STANDING = np.array([[620, 250], [680, 250], [615, 450], [685, 450], [615, 640], [685, 640.0]])
NONE = np.zeros(6, dtype=bool)


class Accounts:
    """Two accounts of a body whose marks lie anywhere, each on its course; the second has lost a heel."""

    def __init__(self, turn=1.0):
        rng, body = RANDOM, body_of(NAMES, STANDING)
        flip = [turn, 1.0]
        self.teller, self.body = HypothesisTracker(body, STANDING, 1 / 60, 720), body
        at = STANDING + rng.normal(0, 40, (2, 6, 2))
        speed, place = rng.normal(0, 5, (2, 6, 2)), STANDING - STANDING[:2].mean(axis=0) + rng.normal(0, 60, (2, 6, 2))
        self.marks = [at * flip, speed * flip, np.zeros((2, 6), np.intp), np.full((2, 6), 9), place * flip,
                      np.tile(np.square(body.stays), (2, 1, 1))]  # fmt: skip
        self.marks[2][1, 4] = 2
        self.finds, self.like = (at + speed)[0] * flip, np.full(6, 1.0)

    def gains(self):
        told = self.teller
        scale = told.loose, told.metre, told.frame_s, told.far
        return gains(*self.marks, self.finds, self.like, self.body.root, NONE, told.placed, *scale)

    def charged(self, account, chosen):
        """What one account is charged for a frame that it reads so."""
        body, moving = self.body, [one[[account]].copy() for one in self.marks]
        charge, parents = np.zeros(1), np.array([account])
        endless = np.full_like(body.longest, np.inf)
        limbs = body.first, body.second, body.share, endless, endless, body.above, body.below
        move(*moving, charge, self.finds, self.like, np.array([chosen]), parents, self.gains(),
             body.company, *limbs, body.root, NONE, body.stays, body.tall)  # fmt: skip
        return charge[0]


@pytest.mark.parametrize("mark", range(6))
def test_a_mark_on_its_course_is_as_welcome_far_from_its_place_as_in_it(mark):
    """Hiding from a charge for its place would be taken for the other mark that lies nearer to its own."""
    assert Accounts().gains()[0, mark, mark] == pytest.approx(GOES + NOBODYS)


@pytest.mark.parametrize("account", [0, 1])
def test_what_is_gained_is_what_is_not_charged(account):
    accounts = Accounts()
    gain = accounts.gains()[account]
    nothing = accounts.charged(account, np.full(6, -1))
    at, speed, unseen, _, place, stray = (one[account] for one in accounts.marks)
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
