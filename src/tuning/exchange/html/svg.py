"""A drawing as SVG."""

from __future__ import annotations

from collections.abc import Sequence

from tuning.drawings.figure import Outline

INK, PALE_INK, SKIN, PAPER, THING = "#1F2A33", "#8A939A", "#E6E1D3", "#F5F2EA", "#D8D2C4"
WASHES = {"left": ("#D9BFA1", "#BE8A55"), "right": ("#C3C2D3", "#8384B8"), "": ("#CFC6AE", "#8FB4B5")}
"""Working leg and where it is felt, by side."""
SCALE = 300


def svg_of(shapes: Sequence[Outline], side: str = "") -> str:
    """The outlines, fitted into their box."""
    xs, ys = [x for s in shapes for x, _ in s.points], [y for s in shapes for _, y in s.points]
    left, top = min(xs), max(ys)
    width, height = (max(xs) - left) * SCALE + 8, (top - min(ys)) * SCALE + 8
    working, felt = WASHES.get(side, WASHES[""])
    paths = []
    for shape in shapes:
        points = " ".join(f"{(x - left) * SCALE + 4:.1f},{(top - y) * SCALE + 4:.1f}" for x, y in shape.points)
        plain = THING if shape.prop else PAPER if shape.far else SKIN
        fill = {"working": working, "feel": felt}.get(shape.tint, plain)
        edge = "none" if shape.tint == "feel" else PALE_INK if shape.far else INK
        paths.append(f'<polygon points="{points}" fill="{fill}" stroke="{edge}" stroke-width="1.5"/>')
    size = f'width="{width:.0f}" height="{height:.0f}" viewBox="0 0 {width:.0f} {height:.0f}"'
    return f'<svg xmlns="http://www.w3.org/2000/svg" {size}>{"".join(paths)}</svg>'
