"""The page on which a patient keeps the log: one file, no network, large buttons; it saves JSON for the clinic."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from html import escape
from importlib.resources import files
from string import Template

from tuning.exchange.json.home_log import VERSION


@dataclass(frozen=True)
class LogExercise:
    """One exercise on the page, in everyday words; `sides` left and right, or none for both legs together."""

    rung: str
    name: str
    dose: str
    steps: tuple[str, ...]
    sides: tuple[str, ...]
    feel: str
    picture: str = ""
    """SVG of the figure."""
    checks: tuple[str, ...] = ()
    cautions: tuple[str, ...] = ()
    cues: tuple[str, ...] = ()


def log_page(
    owner: str,
    exercises: Sequence[LogExercise],
    stop_rules: str,
    pain_limit: int,
    telephone: str = "",
    limits: str = "",
) -> str:
    """The page as text. It names nobody; `owner` (owner_mark) tells the clinic whose log comes back."""
    data = json.dumps(
        {"version": VERSION, "owner": owner, "exercises": [asdict(one) for one in exercises]}, ensure_ascii=False
    )
    # Inside a script no text may end the script or open a comment, whatever was typed.
    safe = data.replace("<", "\\u003c").replace("\u2028", "\\u2028").replace("\u2029", "\\u2029")
    page = files("tuning.exchange.html").joinpath("log_page.html").read_text(encoding="utf-8")
    own = f'<p class="stop"><b>Your surgeon\'s limits:</b> {escape(limits)}</p>' if limits else ""
    call = f" Questions: {escape(telephone)}." if telephone else ""
    return Template(page).substitute(data=safe, stop=f"{escape(stop_rules)}{call}", limit=pain_limit, own=own)
