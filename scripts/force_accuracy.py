"""Sets readings from the plates against scenes whose truth is known, and writes the table in docs/accuracy.md.

`python scripts/force_accuracy.py [SEED]`: a new seed each time unless one is given.
"""

from __future__ import annotations

from collections import defaultdict

import accuracy_page
import numpy as np

from tuning.core.force.analysis import analyse
from tuning.core.force.recording import Recording
from tuning.core.types import Side
from tuning.demo import simulated_plates as plates
from tuning.demo.simulated_plates import Faults, Floats, SimulatedPerson, SimulatedSession, heard

Gaps = dict[str, list[float]]
"""Distances from the truth by what was read, in the unit of LIMITS."""
LIMITS = {
    "peak": (0.5, "%"), "onset": (3.001, "ms"), "rates over 100 ms and longer": (4.0, "%"),
    "steepest 20 ms": (4.0, "%"), "share": (0.3, "points"), "body weight": (0.2, "%"),
    "bounds of a repetition": (20.0, "ms"), "depth": (20.0, "mm"), "onset of a rise without a corner": (10.0, "ms"),
    "the same, over its own error": (1.2, "times"), "rate over 50 ms, where told": (5.0, "%"),
}  # fmt: skip
"""What 95 % of readings must keep to."""


def recording(scene: SimulatedSession, random: np.random.Generator) -> Recording:
    """What plates with noise, hum and drift hear of a scene."""
    left, right = heard(scene, Faults(), random)
    return Recording(scene.rate, {Side.LEFT: left, Side.RIGHT: right})


def body(random: np.random.Generator) -> SimulatedPerson:
    """A person nobody has seen before."""
    u = random.uniform
    return SimulatedPerson(u(55, 95), u(400, 900), u(400, 900), u(0.07, 0.2), u(0.07, 0.2), u(0.44, 0.56))


def mean_rate(force: Floats, start: float, window: float, rate: float) -> float:
    """True mean rate of rise from `start` over `window` (s), N/s."""
    at = round(start * rate)
    return float(force[at + round(window * rate)] - force[at]) / window


def isometric(random: np.random.Generator, sessions: int, gaps: Gaps) -> None:
    """Sessions of three pushes of both legs against a bar."""
    for _ in range(sessions):
        scene = plates.isometric(body(random))
        found = analyse(recording(scene, random), "squat-iso")
        assert len(found.reps) == 3 and not found.warnings, found.warnings
        total = scene.left + scene.right
        gaps["body weight"].append(100 * abs(found.weight.newtons / total[0] - 1))
        for rep, start in zip(found.reps, scene.events["start"], strict=True):
            gaps["onset"].append(1000 * abs(rep.events["onset"] - start))
            hold = slice(round(start * scene.rate), round((start + 3.2) * scene.rate))
            for side, true in ((Side.LEFT, scene.left), (Side.RIGHT, scene.right)):
                gaps["peak"].append(100 * abs(rep.values["peak", side] / true[hold].max() - 1))
                for window in (50, 100, 150, 200, 250):
                    if (f"rate-{window}", side) not in rep.values:
                        continue
                    truth = mean_rate(true, start, window / 1000, scene.rate)
                    gap = 100 * abs(rep.values[f"rate-{window}", side] / truth - 1)
                    name = "rate over 50 ms, where told" if window == 50 else "rates over 100 ms and longer"
                    gaps[name].append(gap)
                truth = max(mean_rate(true, n / scene.rate, 0.02, scene.rate) for n in range(hold.start, hold.stop))
                gaps["steepest 20 ms"].append(100 * abs(rep.values["rate-best20", side] / truth - 1))
            top = round(start * scene.rate) + int(np.argmax(total[hold]))
            gaps["share"].append(abs(rep.values["share", Side.NONE] - 100 * scene.right[top] / total[top]))


def free_squats(random: np.random.Generator, sessions: int, gaps: Gaps) -> None:
    """Sets of four squats, every fourth set slow: those start too gently for bounds, their depth is held to."""
    u = random.uniform
    for n in range(sessions):
        slow, rest, depth = 1.9 if n % 4 == 3 else 1.0, (0.0, u(0.5, 1.5))[n % 2], u(0.3, 0.5)
        who = body(random)
        scene = plates.squats(who, 4, slow * u(0.7, 1.1), slow * u(0.6, 1.0), depth, rest=rest)
        found = analyse(recording(scene, random), "squat-fast")
        assert len(found.reps) == 4
        gaps["body weight"].append(100 * abs(found.weight.newtons / who.weight - 1))
        for k, rep in enumerate(found.reps):
            if slow == 1:
                ends = [1000 * abs(rep.events[e] - scene.events[e][k]) for e in ("start", "end")]
                gaps["bounds of a repetition"] += ends
            gaps["depth"].append(1000 * abs(rep.values["depth", Side.NONE] - depth))


def smooth_rises(random: np.random.Generator, efforts: int, gaps: Gaps) -> None:
    """Pushes that begin as a cosine over 150 to 300 ms: the quiet band is left late."""
    for _ in range(efforts):
        t = np.arange(6000) / 1000
        start, seconds = random.uniform(2, 2.5), random.uniform(0.15, 0.3)
        into = np.clip((t - start) / seconds, 0, 1)
        force = 350 + 700 * (1 - np.cos(np.pi * into)) / 2 + random.normal(0, 1.2, t.size)
        found = analyse(Recording(1000.0, {Side.LEFT: force}), "lunge-iso", Side.LEFT)
        rep = found.reps[0]
        late = 1000 * abs(rep.events["onset"] - start)
        gaps["onset of a rise without a corner"].append(late)
        gaps["the same, over its own error"].append(late / rep.values["onset-error", Side.NONE])
        early = rep.values.get(("rate-50", Side.LEFT))
        if early is not None:
            true = 350 * (1 - np.cos(np.pi * 0.05 / seconds)) / 0.05
            gaps["rate over 50 ms, where told"].append(100 * abs(early / true - 1))


def measured(random: np.random.Generator, size: float = 1.0) -> Gaps:
    """Every distance from the truth over fresh sessions."""
    gaps: Gaps = defaultdict(list)
    for scenes, usual in ((isometric, 60), (free_squats, 20), (smooth_rises, 40)):
        scenes(random, round(usual * size), gaps)
    return gaps


def main() -> None:
    """Measure and write the table."""
    seed = accuracy_page.seed()
    gaps = measured(np.random.default_rng(seed), 3)
    rows = []
    for name, (limit, unit) in LIMITS.items():
        told = [f"{value:.2f} {unit}" for value in (*np.percentile(gaps[name], (50, 95)), max(gaps[name]))]
        rows.append([name, str(len(gaps[name])), *told, f"{limit:.3g} {unit}"])
    accuracy_page.write_table(
        f"Seed {seed}.", ["read", "readings", "median off", "95 % within", "worst", "wanted"], rows
    )


if __name__ == "__main__":
    main()
