"""Simulated patients who do exercises for weeks: what they can stand, how it hurts, how they recover.

Knows nothing of the decision table: demands, capacity and pain are written down here. Capacity grows by sessions near
it, and falls by sessions far above it.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

GROUPS = ("responder", "flare-up", "irregular", "masked pain")
RUNGS = 12
PER_WEEK = 3


@dataclass
class Told:
    """What a session was like, as the patient tells it, and the pain that was truly there."""

    pain: int
    morning_pain: int
    settled: bool
    faulty: float
    felt: bool
    swelling: bool
    painkiller: bool
    true_pain: float


class Patient:
    """One patient; `capacity` in rungs: a rung of demand k is stood without pain from capacity k on."""

    def __init__(self, group: str, seed: int) -> None:
        self.group, self.random = group, np.random.default_rng([seed, GROUPS.index(group)])
        draw = self.random
        self.capacity = draw.uniform(0.8, 2.0)
        self.gain = draw.uniform(0.06, 0.11)
        self.irritable = draw.uniform(1.6, 2.4) if group in ("flare-up", "masked pain") else draw.uniform(0.9, 1.4)
        self.soreness = 0.0
        self.skill = 0.0

    def comes(self, day: int) -> bool:
        """Whether the session of a day is done; irregular ones miss a third, and now and then two weeks."""
        if self.group != "irregular":
            return bool(self.random.random() < 0.95)
        away = (day // 35) % 2 == 1 and day % 35 < 13
        return bool(not away and self.random.random() < 0.67)

    def session(self, rung: int, new: bool) -> Told:
        """Do one session at a rung (0 is the easiest): demand is the rung's number and one."""
        draw = self.random
        self.skill = 0.35 if new else min(1.0, self.skill + 0.12)
        over = rung + 1 - self.capacity
        hurt = max(0.0, self.irritable * over + self.soreness + draw.normal(0, 0.4))
        masked = self.group == "masked pain" and draw.random() < 0.6
        told = max(0.0, hurt - 2.5) if masked else hurt
        if over > 1.0:  # far too much: it flares up
            self.soreness = min(5.0, self.soreness + self.irritable * (over - 0.6))
            self.capacity = max(0.5, self.capacity - 0.12 * self.irritable)
        elif over > -1.2:
            self.capacity += self.gain * (1.0 if over < 0.5 else 0.4)
        morning = max(0.0, self.soreness * 0.8 + max(0.0, over) * 0.8 + draw.normal(0, 0.3))
        faults = float(np.clip(38 * (1 - self.skill) + 14 * max(0.0, over) + draw.normal(0, 3), 0, 100))
        return Told(
            round(min(10.0, told)), round(min(10.0, morning)), morning <= 2.4, faults, bool(draw.random() < 0.97),
            bool(hurt > 6.5 and draw.random() < 0.4), masked, hurt,
        )  # fmt: skip

    def night(self) -> None:
        """A day passes."""
        self.soreness *= 0.72
