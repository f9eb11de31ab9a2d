"""What twin plates would tell of a person in a demo clip: the same postures, weighed.

The body's centre comes from the drawn joints with segment masses of this
module's own; vertical force is mass times gravity and acceleration, and the
centre of pressure lies where the turning effect of both vanishes (one mass).
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from tuning.demo.mannequin import SIDES, Body
from tuning.demo.simulated_plates import Floats, SimulatedSession
from tuning.demo.simulated_plates import SimulatedPerson as Person

PARTS = (("shoulder", "hip", 0.678, 0.374), ("hip", "knee", 0.200, 0.433), ("knee", "ankle", 0.093, 0.433),
         ("ankle", "toe", 0.029, 0.5))  # fmt: skip
"""Upper end, lower end, share of body mass of both sides, centre from the upper end (after Winter 2009)."""
G = 9.80665
POSTURE_HZ = 30.0


def centre(body: Body) -> Floats:
    """Centre of mass, metres: across, up, ahead."""
    total = np.zeros(3)
    for upper, lower, mass, part in PARTS:
        for side in SIDES:
            a, b = (body.points[f"{end}_side_{side}"] for end in (upper, lower))
            total += mass / 2 * (a + part * (b - a))
    return total


def pressed(
    body_at: Callable[[float], Body], seconds: float, who: Person, before: float, after: float, rate: float = 1000.0
) -> SimulatedSession:
    """Force and centres of pressure of a clip of `seconds`; the plates start `before` and end `after` it.

    Outside the clip the person stands in its first and last posture. Points are
    mm: across from the middle, and ahead of the heels' line.
    """
    from scipy.interpolate import make_interp_spline

    reach = 0.2
    grid = np.arange(-before - reach, seconds + after + reach, 1 / POSTURE_HZ)
    inside = (grid > 0) & (grid < seconds)
    places = np.empty((grid.size, 3))
    places[inside] = [centre(body_at(float(t))) for t in grid[inside]]
    places[grid <= 0], places[grid >= seconds] = centre(body_at(0.0)), centre(body_at(seconds))
    course = make_interp_spline(grid, places, k=3)
    t = np.arange(round((before + seconds + after) * rate)) / rate - before
    at, acceleration = course(t), course(t, 2)
    total = who.mass_kg * (G + acceleration[:, 1])
    stand = body_at(0.0).points
    heel = float(stand["heel_side_left"][2])
    ahead = at[:, 2] - at[:, 1] * acceleration[:, 2] / (G + acceleration[:, 1]) - heel
    points = {side: 1000 * np.column_stack([np.full(t.size, stand[f"ankle_side_{side}"][0]), ahead]) for side in SIDES}
    right = who.share * total
    return SimulatedSession(total - right, right, rate, {}, points)
