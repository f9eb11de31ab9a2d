"""Whether two observations may be set against each other: the one place that says so, from how they were taken."""

from __future__ import annotations

from tuning.core.types import Observation

PAIN_LIMITED = 3
"""Pain 0-10 from which a force is pain-limited, not weak (practice judgement, editable)."""

_TAGS = {
    "shoes": "", "load_kg": " kg", "speed_m_s": " m/s", "step_height_m": " m step", "reach": " reach", "band": " band",
    "cue": "",
}  # fmt: skip
"""How a clip was taken, and the word behind it."""
_TOLD = {"mode": " test", "position": "", "pad": " pad", "task": "", "gait": "", **_TAGS}
"""What must agree where both sides tell it."""
_BETWEEN_CAPTURES = {"region": "", "treatment": " before it", "worn": " worn", **_TAGS}
"""What must agree, told or not, where one value is set against an earlier one."""


def _word(value: str | float) -> str:
    return value if isinstance(value, str) else f"{value:.3g}"


def manner(seen: Observation) -> tuple[str, ...]:
    """Under which conditions a value was taken: place, direction, height, shoes, load and their like."""
    told = (getattr(seen.setup, name) for name in ("region", *_TAGS))
    return tuple("" if value is None else _word(value) for value in told)


def method_family(seen: Observation) -> str:
    """How a value was taken: a number typed from a gauge or sent by it is the same way."""
    return "typed" if seen.method == "gauge" else seen.method


def is_pain_limited(seen: Observation) -> bool:
    """True when pain, not weakness, may have set the value."""
    return (seen.pain or 0) >= PAIN_LIMITED


def why_not_comparable(one: Observation, other: Observation, force: bool) -> str:
    """Why two sides may not be compared; empty when they may. Pain limits a `force`; a range is as far as it goes."""
    for name, what in _TOLD.items():
        a, b = getattr(one.setup, name), getattr(other.setup, name)
        if a and b and a != b:
            return f"not compared: {_word(a)}{what} against {_word(b)}{what}"
    if one.setup.worn != other.setup.worn:
        told = " against ".join(f"{seen.setup.worn or 'nothing'} worn" for seen in (one, other))
        return f"not compared: {told}"
    hurt = [seen for seen in (one, other) if force and is_pain_limited(seen)]
    if hurt:
        told = " and ".join(f"{seen.side.value} {seen.pain}/10" for seen in hurt)
        return f"pain-limited ({told}), not weak: no percentage"
    return ""


def why_not_comparable_over_time(before: Observation, now: Observation, force: bool, same_session: bool = False) -> str:
    """Why an earlier value of the same side may not be compared with the present one; empty when it may.

    In one session what was done between the two is what is asked about, and keeps them not apart.
    """
    if (method_family(before), before.setup.task) != (method_family(now), now.setup.task):
        return f"not compared: {before.method} before, {now.method} now, or another task"
    for name, unit in _BETWEEN_CAPTURES.items():
        if same_session and name == "treatment":
            continue
        values = (getattr(seen.setup, name) for seen in (before, now))
        a, b = (f"{_word(value)}{unit}" if value else "not told" for value in values)
        if a != b:
            return f"not compared: {a} before, {b} now"
    return why_not_comparable(before, now, force)
