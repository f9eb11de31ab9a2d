"""Trial of cause: plain, one thing changed, plain again; what the change did beyond same-session error."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from tuning.core.judging.comparison import same_session_error
from tuning.core.judging.measures import Compare, Measure
from tuning.core.types import Observation, Side
from tuning.core.units import unit_suffix


class Effect(StrEnum):
    """What one changed thing did."""

    RESPONDS = "responds"
    UNCHANGED = "unchanged"
    WORSE = "worse"
    CANNOT_TELL = "cannot tell"
    INCOMPLETE = "incomplete"


@dataclass(frozen=True)
class Response:
    """A trial of cause on one measure and side: the three observations and what they say."""

    measure: Measure
    side: Side
    change: str
    before: Observation
    changed: Observation
    after: Observation | None
    effect: Effect
    gain: float
    """How much nearer to the target the changed value lies than the plain ones, unit of the measure."""
    error: float
    drifted: bool

    @property
    def sentence(self) -> str:
        """What happened, with its error, and whether the plain values moved by themselves."""
        unit = unit_suffix(self.measure.unit)
        size = f"{abs(self.gain):.{self.measure.decimals}f}{unit} ±{self.error:.{self.measure.decimals}f}"
        drift = "; the plain values drifted apart" if self.drifted else ""
        words = {
            Effect.RESPONDS: f"{size} less while changed",
            Effect.UNCHANGED: "no change beyond error",
            Effect.WORSE: f"{size} more while changed",
            Effect.CANNOT_TELL: "cannot tell",
            Effect.INCOMPLETE: "take it away and measure again",
        }
        return words[self.effect] + drift


def judge_response(
    measure: Measure, before: Observation, changed: Observation, after: Observation | None, change: str
) -> Response:
    """The change must exceed same-session error against both plain values to speak either way.

    "Unchanged" is said only where the error is small enough to have shown the loss of half the finding.
    """

    def away(seen: Observation) -> float:
        """How bad a value is: far from its target, or small where small is the finding."""
        value = seen.measured or 0.0
        return -value if measure.finding == "smaller" else abs(value - measure.target)

    first = away(before) - away(changed)
    error = same_session_error(measure, before, changed)
    if after is None:
        return Response(measure, changed.side, change, before, changed, None, Effect.INCOMPLETE, first, error, False)
    second = away(after) - away(changed)
    error = max(error, same_session_error(measure, after, changed))
    drifted = abs(away(after) - away(before)) > same_session_error(measure, before, after)
    gain = first if abs(first) < abs(second) else second
    half = abs(away(before) + away(after)) / 4
    if min(first, second) > error:
        effect = Effect.RESPONDS
    elif max(first, second) < -error:
        effect = Effect.WORSE
    elif max(abs(first), abs(second)) <= error <= half and not drifted:
        effect = Effect.UNCHANGED
    else:
        effect = Effect.CANNOT_TELL
    return Response(measure, changed.side, change, before, changed, after, effect, gain, error, drifted)


def responses(measures: Mapping[str, Measure], seen: Iterable[Observation]) -> Sequence[Response]:
    """Every trial of cause among the observations of a visit: each changed value against the plain ones around it."""
    found: list[Response] = []
    series: dict[tuple[str, Side], list[Observation]] = {}
    for one in sorted(seen, key=lambda o: o.at):
        if one.measured is not None and measures[one.measure_id].compare in (Compare.DIFFERENCE, Compare.VALUE):
            series.setdefault((one.measure_id, one.side), []).append(one)
    for (measure_id, _), row in series.items():
        for n, changed in enumerate(row):
            change = changed.setup.changed or changed.setup.treatment
            plain = [k for k, o in enumerate(row) if not (o.setup.changed or o.setup.treatment)]
            before = [k for k in plain if k < n]
            after = [k for k in plain if k > n]
            if change and before:
                last = row[after[0]] if after else None
                found.append(judge_response(measures[measure_id], row[before[-1]], changed, last, change))
    return found
