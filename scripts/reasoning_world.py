"""People whose true contributing factors are known, and what each test would show of them.

Knows nothing of the weights, labels and limits of the reasoning table: effects are written down here, in the units of
the measures, as a clinic would meet them. Measurement error is drawn at the standard errors that are handed in.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

EVEN = {
    "hip-abd": 170.0, "hip-er": 130.0, "hip-ext": 220.0, "hip-ir": 125.0, "knee-ext": 320.0, "knee-to-wall": 11.5,
    "figure4-shin": 14.0, "hip-9090-lift": 1.5, "hip-rotation-in": 38.0, "tibial-rotation-in": 23.0,
    "foot-posture-score": 2.5, "turnout-kneecap": 6.0, "thigh-foot-angle": 10.0, "kneecap-direction-eye": 0.0,
    "arch-profile-eye": 0.0, "toe-spread": 16.0, "chair-rise-height": 42.0, "side-hip-offset": 6.0,
    "step-down-pelvic-drop": 3.0, "great-toe-ext-passive": 45.0, "foot-tripod-points": 3.0,
    "lunge-iso-peak": 1100.0, "lunge-pause-peak": 950.0,
}  # fmt: skip
"""What an unaffected side shows."""
TESTS = {
    "hip-abd": (("hip-abd",), 5.0), "hip-er": (("hip-er",), 5.0), "hip-ext": (("hip-ext",), 5.0),
    "hip-ir": (("hip-ir",), 5.0), "knee-ext": (("knee-ext",), 5.0), "knee-to-wall": (("knee-to-wall",), 2.0),
    "figure4-shin": (("figure4-shin",), 2.0), "hip-9090": (("hip-9090-lift",), 3.0),
    "hip-rotation": (("hip-rotation-in",), 3.0), "tibial-rotation-block": (("tibial-rotation-in",), 2.0),
    "foot-posture-score": (("foot-posture-score",), 3.0), "turnout-kneecap": (("turnout-kneecap",), 2.0),
    "torsion-bony": (("thigh-foot-angle",), 2.0), "kneecap-direction": (("kneecap-direction-eye",), 0.7),
    "arch-profile": (("arch-profile-eye",), 0.7), "toe-spread": (("toe-spread",), 2.0),
    "chair-rise-1leg": (("chair-rise-height",), 2.0), "side-hip-shift": (("side-hip-offset",), 2.0),
    "clip-step-down": (("step-down-pelvic-drop",), 4.0), "foot-tripod": (("foot-tripod-points",), 2.0),
    "great-toe-ext": (("great-toe-ext-passive",), 2.0),
    "plates-lunge-iso": (("lunge-iso-peak", "lunge-pause-peak"), 6.0),
    "bridge-bar": ((), 2.0), "stance-setup": ((), 2.0), "squat-faults": ((), 2.0),
}  # fmt: skip
"""Measures that a test gives, and its minutes."""
CHANGES = {"cue": 2.0, "mirror": 3.0, "tempo": 3.0, "foot-set": 2.0, "wedge": 3.0, "stance": 3.0}
SHOWS: Mapping[str, Mapping[str, float]] = {
    "hip-abductor-strength": {"hip-abd": -48, "step-down-pelvic-drop": 5.5},
    "hip-abductor-timing": {"step-down-pelvic-drop": 5.0},
    "hip-rotation-strength": {"hip-er": -36},
    "ankle-dorsiflexion": {"knee-to-wall": -4.5},
    "foot-control": {"foot-posture-score": 6, "arch-profile-eye": 2.5, "foot-tripod-points": -2},
    "tibial-rotation": {"tibial-rotation-in": -13, "kneecap-direction-eye": 2.5, "turnout-kneecap": 12},
    "bony-twist": {"thigh-foot-angle": 34, "turnout-kneecap": 13},
    "technique": {},
    "positioning": {},
    "leg-strength": {"knee-ext": -85, "chair-rise-height": 18, "lunge-iso-peak": -260, "lunge-pause-peak": -220},
    "hip-rotation-mobility": {"figure4-shin": 17, "hip-9090-lift": 5},
    "hip-internal-rotation": {"hip-rotation-in": -15, "hip-ir": -36},
}
"""By how much the affected side differs."""
ANSWERS = {
    "hip-abductor-timing": (("bridge-bar", "cue", "yes"), ("bridge-bar", "drop", "most")),
    "hip-abductor-strength": (("bridge-bar", "cue", "no"), ("bridge-bar", "drop", "most")),
    "ankle-dorsiflexion": (("squat-faults", "heel", "most"),),
    "positioning": (("stance-setup", "ahead", "left"),),
}
RELIEVES = {
    "technique": ("cue", "mirror", "tempo"), "foot-control": ("foot-set",), "ankle-dorsiflexion": ("wedge",),
    "positioning": ("stance",), "hip-abductor-timing": ("cue",),
}  # fmt: skip
PATTERNS = {
    "knee-in": ("squat-front-fppa", 15.0, 3.0, (
        "hip-abductor-strength", "hip-abductor-timing", "hip-rotation-strength", "ankle-dorsiflexion", "foot-control",
        "tibial-rotation", "bony-twist", "technique", "positioning")),
    "hip-shift": ("squat-hip-shift", 10.0, 0.0, (
        "leg-strength", "ankle-dorsiflexion", "hip-rotation-mobility", "hip-internal-rotation", "technique",
        "positioning")),
}  # fmt: skip
"""Measure that shows a pattern, its value on the side at issue and on the other, and what may be behind it."""


@dataclass
class Body:
    """One person: a pattern on the left, true factors, and whether the findings go their own way."""

    pattern: str
    factors: tuple[str, ...]
    odd: bool
    random: np.random.Generator
    sem: Mapping[str, float]
    percent: frozenset[str]
    """Measures whose standard error is in percent of the reading."""
    values: dict[str, tuple[float, float]] = field(default_factory=dict)
    answers: dict[tuple[str, str], str] = field(default_factory=dict)
    both: frozenset[str] = frozenset()

    def __post_init__(self) -> None:
        """Draw what this body would show; odd ones hide one finding and show one of something else."""
        random = self.random
        shift: dict[str, float] = {}
        for factor in self.factors:
            for measure, by in SHOWS[factor].items():
                shift[measure] = shift.get(measure, 0.0) + by * random.uniform(0.75, 1.25)
            for test, question, option in ANSWERS.get(factor, ()):
                self.answers[test, question] = option
        if self.odd and shift:
            shift.pop(str(random.choice(sorted(shift))))
        if self.odd:
            elsewhere = [m for f, shown in SHOWS.items() if f not in self.factors for m in shown if m not in shift]
            measure = str(random.choice(sorted(elsewhere)))
            shift[measure] = next(by for shown in SHOWS.values() for m, by in shown.items() if m == measure)
        for measure, even in EVEN.items():
            usual = even * (1 + 0.04 * random.normal())
            left = usual + shift.get(measure, 0.0)
            self.values[measure] = (left, left if measure in self.both else usual)

    def measured(self, measure: str, trials: int = 3) -> tuple[np.ndarray, np.ndarray]:
        """Trials of left and right with day, set-up and trial error; grades and counts in whole numbers."""
        sides = []
        for true in self.values[measure]:
            sides.append(self._with_error(measure, true, trials))
        return sides[0], sides[1]

    def _with_error(self, measure: str, true: float, trials: int, anew: bool = True) -> np.ndarray:
        sem = self.sem[measure] * (abs(true) / 100 if measure in self.percent else 1.0)
        setup = self.random.normal(0, sem / 2) if anew else 0.0
        made = true + setup + self.random.normal(0, sem * np.sqrt(0.5), trials)
        return np.round(made) if measure.endswith(("-eye", "-points", "-score")) else made

    def pattern_values(self, changed: str = "") -> dict[str, np.ndarray]:
        """Trials of the pattern's measure, by side (or none), with one thing changed; nothing is set up anew."""
        measure, here, there, _ = PATTERNS[self.pattern]
        helps = [f for f in self.factors if changed in RELIEVES.get(f, ())]
        value = here * (0.25 if helps else 1.0)
        if measure == "squat-hip-shift":
            return {"none": self._with_error(measure, value, 3, anew=False)}
        return {"left": self._with_error(measure, value, 3, anew=False),
                "right": self._with_error(measure, there, 3, anew=False)}  # fmt: skip

    def answered(self, test: str) -> dict[str, str]:
        """Answers of a test; what is not shown is the ordinary answer."""
        usual = {
            "bridge-bar": {"drop": "absent", "cue": "part"},
            "stance-setup": {"ahead": "none", "turned": "equal"},
            "squat-faults": {"heel": "absent"},
        }.get(test, {})
        return {question: self.answers.get((test, question), option) for question, option in usual.items()}


def people(count: int, seed: int, sem: Mapping[str, float], percent: frozenset[str]) -> list[Body]:
    """No factor, one, two or a two-sided one; a third of them go their own way."""
    random, made = np.random.default_rng(seed), []
    for n in range(count):
        pattern = str(random.choice(list(PATTERNS)))
        behind = PATTERNS[pattern][3]
        kind = n % 10
        number = 0 if kind == 0 else 2 if kind in (1, 2) else 1
        factors = tuple(str(f) for f in random.choice(behind, number, replace=False))
        both = frozenset(m for f in factors for m in SHOWS[f]) if kind == 3 else frozenset()
        made.append(Body(pattern, factors, n % 3 == 2, np.random.default_rng([seed, n]), sem, percent, both=both))
    return made
