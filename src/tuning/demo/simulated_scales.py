"""A stand-in for two scales: somebody leans a little and sways."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

SECONDS = 20.0


@dataclass
class SimulatedScales:
    """A made-up person who leans a little and sways; each stand is different."""

    body_mass_kg: float
    right_share: float = 0.5
    seed: int | None = None
    name: str = "simulated scales"
    _random: np.random.Generator = field(init=False)

    def __post_init__(self) -> None:
        self._random = np.random.default_rng(self.seed)

    def read(self) -> tuple[float, float]:
        """10 Hz for 20 s: slow sway of 2 % of body mass, stance set anew by 1 %, display steps of 0.1 kg."""
        t = np.arange(0, SECONDS, 0.1)
        lean = self.right_share + self._random.normal(0, 0.01)
        sway = 0.02 * np.sin(2 * np.pi * (0.3 * t + self._random.random())) + self._random.normal(0, 0.005, t.size)
        right = self.body_mass_kg * np.clip(lean + sway, 0, 1)
        left = self.body_mass_kg - right
        return round(float(left.mean()), 1), round(float(right.mean()), 1)
