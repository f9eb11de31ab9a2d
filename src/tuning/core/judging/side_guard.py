"""Whether the legs of a retest look exchanged: the last values fit far better the other way round."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from tuning.core.judging.comparability import why_not_comparable_over_time
from tuning.core.judging.comparison import error_parts, latest_by_measure, trials_averaged
from tuning.core.judging.measures import Compare, Measure
from tuning.core.judging.verdict import Z95, error_of_change
from tuning.core.types import LEGS, FrameRef, Observation, Side, TraceRef
from tuning.core.units import unit_suffix

ASK_FROM = 6.0
"""Log odds, about 400 to 1, from which it is asked: legs that differ seldom change places by themselves (practice
judgement, editable)."""

Pair = Mapping[Side, Observation]


@dataclass(frozen=True)
class ExchangedSides:
    """Measures whose legs look exchanged, the clearest first, and the log odds over all that were retested."""

    measures: tuple[Measure, ...]
    before: Pair
    now: Pair
    odds: float

    @property
    def words(self) -> str:
        """What was read before and now, of the clearest measure."""
        first = self.measures[0]
        was, read = (_told(first, pair) for pair in (self.before, self.now))
        more = len(self.measures) - 1
        others = f", and {more} more alike" if more else ""
        return f"Left and right look exchanged. {first.name}: {read} now, {was} last time{others}"


def _told(measure: Measure, pair: Pair) -> str:
    unit = unit_suffix(measure.unit)
    return ", ".join(f"{leg.value} {pair[leg].measured:.{measure.decimals}f}{unit}" for leg in LEGS)


def exchanged_sides(
    measures: Mapping[str, Measure], before: Sequence[Observation], now: Sequence[Observation]
) -> ExchangedSides | None:
    """Whether values of both legs look exchanged against those of earlier visits; None where nothing speaks for it.

    Only measures of which both lists hold both legs, taken alike, are asked. With d the difference of the legs before,
    d' now and s the SD of a change of one leg, the log odds of exchanged against not are -d d' / s² (normal errors),
    summed over the measures.
    """
    earlier, present = latest_by_measure(measures, before), latest_by_measure(measures, now)
    odds = dict[str, float]()
    for key in {measure for measure, _ in present}:
        was, read = _pair(earlier, key), _pair(present, key)
        if was and read and measures[key].paired and measures[key].compare is not Compare.ALONE:
            found = _odds(measures[key], was, read)
            if found is not None:
                odds[key] = found
    first = max(odds, key=odds.__getitem__, default="")
    if not first or min(sum(odds.values()), odds[first]) < ASK_FROM:
        return None
    alike = sorted((key for key in odds if odds[key] >= ASK_FROM), key=lambda key: -odds[key])
    told = tuple(measures[key] for key in alike)
    return ExchangedSides(told, _pair(earlier, first), _pair(present, first), sum(odds.values()))


def _pair(seen: Mapping[tuple[str, Side], Observation], key: str) -> Pair:
    """Both legs of a measure; empty where one is missing."""
    found = {leg: one for leg in LEGS if (one := seen.get((key, leg))) is not None and one.measured is not None}
    return found if len(found) == len(LEGS) else {}


def _odds(measure: Measure, before: Pair, now: Pair) -> float | None:
    """Log odds that the legs are exchanged; None where the two visits cannot be compared."""
    force = measure.compare is Compare.STRONGER
    if measure.sem <= 0 or any(why_not_comparable_over_time(before[leg], now[leg], force) for leg in LEGS):
        return None
    apart = [float((p[Side.RIGHT].measured or 0.0) - (p[Side.LEFT].measured or 0.0)) for p in (before, now)]
    sd = max(_sd_of_change(measure, before[leg], now[leg]) for leg in LEGS)
    return -apart[0] * apart[1] / sd**2


def _sd_of_change(measure: Measure, before: Observation, now: Observation) -> float:
    """Standard deviation of a change of one leg between days, in the unit of its values."""
    parts = max((error_parts(measure, one) for one in (before, now)), key=lambda part: part.trial)
    sd = error_of_change(parts, trials_averaged(before), trials_averaged(now)) / Z95
    scale = max(abs(one.measured or 0.0) for one in (before, now)) / 100 if measure.in_percent else 1.0
    return max(sd * scale, before.spread, now.spread)


class SideGuard:
    """Speaks once in a visit of measures whose legs look exchanged: what is done again is meant."""

    def __init__(self) -> None:
        self._meant: set[str] = set()

    def question(
        self, measures: Mapping[str, Measure], before: Sequence[Observation], now: Sequence[Observation]
    ) -> str:
        """What is to be asked about values `now` against those of visits `before`; empty where nothing is."""
        found = exchanged_sides(measures, before, now)
        if found is None or {measure.id for measure in found.measures} <= self._meant:
            return ""
        self._meant |= {measure.id for measure in found.measures}
        return found.words


def is_read_off_a_file(seen: Observation) -> bool:
    """Whether a value comes from a recording or picture: it is kept, since no key does it once more."""
    return isinstance(seen.evidence, FrameRef) or (
        isinstance(seen.evidence, TraceRef) and bool(seen.evidence.recording)
    )
