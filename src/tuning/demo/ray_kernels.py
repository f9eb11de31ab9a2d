"""Rays against round cones, pixel by pixel: what each meets first, and how light falls on it.

A cone is a row of nine numbers: its ends a and b, m, their radii, and how far it is brought forward, `lift`: a sticker
lies flat on the skin, and nothing of its own body part hides it.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from tuning.video.media.jit import CUBE, GRID, NOTHING, NUMBER, NUMBERS, SHADES, TABLE, compiled

Floats = NDArray[np.float64]
Shades = NDArray[np.float32]
Ints = NDArray[np.int64]
LIFT = 8
AMBIENT, LIT = 0.45, 0.6
"""How bright a surface is that turns away from the light, and how much brighter one that faces it."""


@compiled(NOTHING, TABLE, NUMBERS, NUMBERS, CUBE)
def fill_rays(axes: Floats, across: Floats, down: Floats, out: Floats) -> None:
    """Fill `out` (rows, columns, 3) with unit rays through places `across` (columns,) and `down` (rows,) of a plane one
    metre ahead, of a camera whose `axes` (3, 3) point right, down and ahead."""
    for row in range(len(down)):
        for column in range(len(across)):
            u, v = across[column], down[row]
            size = math.sqrt(1 + u * u + v * v)
            for i in range(3):
                out[row, column, i] = (axes[2, i] + u * axes[0, i] + v * axes[1, i]) / size


@compiled(NUMBER, NUMBERS, NUMBERS, NUMBER, NUMBER, NUMBER)
def _along(cone: Floats, eye: Floats, x: float, y: float, z: float) -> float:
    """Distance along a ray of unit length to a round cone, inf where it is missed.

    The side is the quadratic of a cone around the segment; the ends are spheres.
    """
    bax, bay, baz = cone[3] - cone[0], cone[4] - cone[1], cone[5] - cone[2]
    oax, oay, oaz = eye[0] - cone[0], eye[1] - cone[1], eye[2] - cone[2]
    obx, oby, obz = eye[0] - cone[3], eye[1] - cone[4], eye[2] - cone[5]
    ra, rb = cone[6], cone[7]
    rr = ra - rb
    oa2 = oax * oax + oay * oay + oaz * oaz
    toward_a, toward_b = oax * x + oay * y + oaz * z, obx * x + oby * y + obz * z
    best = math.inf
    square_a = toward_a * toward_a - (oa2 - ra * ra)
    if square_a >= 0:
        best = -toward_a - math.sqrt(square_a)
    square_b = toward_b * toward_b - (obx * obx + oby * oby + obz * obz - rb * rb)
    if square_b >= 0:
        best = min(best, -toward_b - math.sqrt(square_b))
    along_eye, along_ray = bax * oax + bay * oay + baz * oaz, bax * x + bay * y + baz * z
    length2 = bax * bax + bay * bay + baz * baz
    d2 = length2 - rr * rr
    k2 = d2 - along_ray * along_ray
    k1 = d2 * toward_a - along_eye * along_ray + along_ray * (rr * ra)
    k0 = d2 * oa2 - along_eye * along_eye + 2 * along_eye * rr * ra - length2 * ra * ra
    inside = k1 * k1 - k0 * k2
    if inside > 0 and k2 != 0:
        t = (-math.sqrt(inside) - k1) / k2
        if 0 < along_eye - ra * rr + t * along_ray < d2:
            best = min(best, t)
    return best - cone[LIFT]


@compiled(NOTHING, TABLE, NUMBERS, TABLE, NUMBERS)
def meet(cones: Floats, eye: Floats, rays: Floats, nearest: Floats) -> None:
    """Fill `nearest` (k,) with how far each of k `rays` (k, 3) goes before it meets any cone."""
    for k in range(len(rays)):
        nearest[k] = math.inf
        for n in range(len(cones)):
            nearest[k] = min(nearest[k], _along(cones[n], eye, rays[k, 0], rays[k, 1], rays[k, 2]))


@compiled(NOTHING, TABLE, GRID, NUMBERS, CUBE, TABLE, GRID)
def cast(cones: Floats, windows: Ints, eye: Floats, rays: Floats, nearest: Floats, whose: Ints) -> None:
    """Fill `nearest` (rows, columns) with the distance that each pixel's ray goes, and `whose` with the number of the
    cone that it meets, -1 for none. Each cone is looked for in its window alone: rows from and to, columns from and to.
    """
    nearest[:] = math.inf
    whose[:] = -1
    for n in range(len(cones)):
        for row in range(windows[n, 0], windows[n, 1]):
            for column in range(windows[n, 2], windows[n, 3]):
                ray = rays[row, column]
                distance = _along(cones[n], eye, ray[0], ray[1], ray[2])
                if distance < nearest[row, column]:
                    nearest[row, column], whose[row, column] = distance, n


@compiled(NUMBER, NUMBERS, NUMBER, NUMBER, NUMBER, NUMBERS)
def _lit(cone: Floats, x: float, y: float, z: float, light: Floats) -> float:
    """How much of the light falls on a point of a cone's surface, 0..1."""
    ax, ay, az = cone[3] - cone[0], cone[4] - cone[1], cone[5] - cone[2]
    x, y, z = x - cone[0], y - cone[1], z - cone[2]
    rr = cone[6] - cone[7]
    d2 = ax * ax + ay * ay + az * az - rr * rr
    # A point of the cone's side stands over the axis point where the tangent sphere sits.
    place = min(max((x * ax + y * ay + z * az - cone[6] * rr) / d2, 0.0), 1.0) if d2 > 0 else 0.0
    x, y, z = x - place * ax, y - place * ay, z - place * az
    facing = (x * light[0] + y * light[1] + z * light[2]) / math.sqrt(x * x + y * y + z * z)
    return min(max(facing, 0.0), 1.0)


@compiled(NOTHING, TABLE, TABLE, NUMBERS, CUBE, TABLE, GRID, NUMBERS, SHADES)
def shade(
    cones: Floats, colours: Floats, eye: Floats, rays: Floats, nearest: Floats, whose: Ints, light: Floats, out: Shades
) -> None:
    """Paint what `cast` found on a picture (rows, columns, 3); what is lifted is as bright from everywhere."""
    for row in range(out.shape[0]):
        for column in range(out.shape[1]):
            n = whose[row, column]
            if n < 0:
                continue
            tone = 1.0
            if cones[n, LIFT] == 0:
                ray, far = rays[row, column], nearest[row, column]
                x, y, z = eye[0] + ray[0] * far, eye[1] + ray[1] * far, eye[2] + ray[2] * far
                tone = AMBIENT + LIT * _lit(cones[n], x, y, z, light)
            for i in range(3):
                out[row, column, i] = colours[n, i] * tone
