"""What measuring a clip gives, and the lines that values are read from."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from tuning.core.force.clip_sync import Plates
from tuning.core.judging.verdict import Z95
from tuning.core.movement.gait import EVENT_SD_FRAMES
from tuning.core.movement.kinematics import Curve, CycleValue, MarkSignals, over_time
from tuning.core.pictures import geometry
from tuning.core.pictures.geometry import Marks
from tuning.core.pictures.landmarks import landmark_label
from tuning.core.types import LEGS, Floats, Side
from tuning.core.units import sentence_case

NO_MOMENT = "the swing of the other leg, which marks the moment, was not seen whole"
TOO_SHORT = "too few pictures of it"
LEAST_SEEN = 0.6
"""A step or repetition counts when its marks were seen in this share of it (practice judgement, editable)."""


@dataclass(frozen=True)
class Options:
    """What the tracks alone do not tell. Degrees, kg, metres per pixel."""

    side: Side = Side.NONE
    roll_deg: float = 0.0
    standing_tilt_deg: float | None = None
    mass_kg: float | None = None
    load_kg: float = 0.0
    metres_per_px: float | None = None
    cutoff_hz: float | None = None
    turn_out_deg: float | None = None
    plates: Plates | None = None
    moved: tuple[tuple[str, Side, float | None, float], ...] = ()
    """Events put elsewhere by hand: kind, side, found at (None where none was found), put to (s)."""

    def placed(self, kind: str, side: Side, time: float) -> float:
        """Where an event stands: as found, or where it was put."""
        own = [(old, new) for k, s, old, new in self.moved if k == kind and s is side]
        hits = [new for old, new in own if old is not None and abs(old - time) < 0.01]
        return hits[-1] if hits else time

    def manual_times(self, kind: str, side: Side) -> list[float]:
        """Times at which events were put where none was found, s, earliest first."""
        return sorted(new for k, s, old, new in self.moved if k == kind and s is side and old is None)


@dataclass(frozen=True)
class CycleSummary:
    """Mean, SD and count over the cycles; `predicted_error` is the 95 % error of marks and events."""

    measure: str
    side: Side
    mean: float
    sd: float
    n: int
    predicted_error: float
    of: int = 0
    """Cycles that were looked at: `n` of them gave a value."""


@dataclass(frozen=True)
class MissingValue:
    """A step or repetition that was found and gave no value of a measure, and why."""

    measure: str
    side: Side
    cycle: int
    why: str


def _numbered(cycle: str, cycles: Sequence[int]) -> str:
    return f"{cycle}{'s' if len(cycles) > 1 else ''} {', '.join(map(str, cycles))}"


@dataclass
class Result:
    """Everything a task says about one clip."""

    task: str
    values: list[CycleValue] = field(default_factory=list)
    curves: list[Curve] = field(default_factory=list)
    cycles: list[tuple[Side, float, float]] = field(default_factory=list)
    gait: str = ""
    """Walk or run, where the steps tell."""
    events: list[tuple[str, Side, float]] = field(default_factory=list)
    """Kind, side and time (s), in the order of `found`: where each was before it was moved by hand."""
    found: list[tuple[str, Side, float]] = field(default_factory=list)
    waiting: list[tuple[str, Side, float, str]] = field(default_factory=list)
    """What was put by hand and still lacks its other end: kind, side, time (s), and that in words."""
    event_error: dict[str, float] = field(default_factory=dict)
    """For each kind of event, where its error is known: 95 % error of its time, s."""
    warnings: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    """How something was told; no reason to doubt."""
    cutoff_hz: float = 0.0

    missing: list[MissingValue] = field(default_factory=list)
    """Steps and repetitions that were found and gave no value."""

    def missing_texts(self, names: Mapping[str, str]) -> list[str]:
        """Which steps or repetitions gave no value of a measure, and why, a line each; measures by their names."""
        groups: dict[tuple[str, Side, str], list[int]] = {}
        for one in self.missing:
            groups.setdefault((one.measure, one.side, one.why), []).append(one.cycle)
        told: dict[tuple[Side, str, tuple[int, ...]], list[str]] = {}
        for (measure, side, why), cycles in groups.items():
            told.setdefault((side, why, tuple(sorted(set(cycles)))), []).append(names.get(measure, measure))
        cycle = "step" if "gait" in self.task else "repetition"
        return [
            f"{sentence_case((f'{side.value} ' if side in LEGS else '') + _numbered(cycle, cycles))}: "
            f"no value for {', '.join(dict.fromkeys(which))}; {why}."
            for (side, why, cycles), which in told.items()
        ]

    def summaries(self) -> list[CycleSummary]:
        """One line for each measure and side."""
        groups: dict[tuple[str, Side], list[CycleValue]] = {}
        for value in self.values:
            groups.setdefault((value.measure, value.side), []).append(value)
        made = []
        for (measure, side), group in groups.items():
            numbers = np.array([v.value for v in group])
            sd = float(numbers.std(ddof=1)) if len(group) > 1 else 0.0
            error = Z95 * float(np.sqrt(np.mean([v.marking_sd**2 for v in group])))
            lost = sum((one.measure, one.side) == (measure, side) for one in self.missing)
            made.append(CycleSummary(measure, side, float(numbers.mean()), sd, len(group), error, len(group) + lost))
        return made


class MeasureCollector:
    """Takes values from curves and keeps them with their errors."""

    def __init__(self, signals: MarkSignals, result: Result) -> None:
        self.signals, self.result = signals, result

    def curve(
        self, measure: str, side: Side, names: tuple[str, ...], value_of: Callable[[Marks], float]
    ) -> MeasuredCurve:
        """A value over time; kept for drawing."""
        values = over_time(self.signals, names, value_of)
        self.result.curves.append(Curve(measure, side, values))
        return MeasuredCurve(self, measure, side, names, value_of, values)


@dataclass(frozen=True)
class MeasuredCurve:
    """A value over time that can be read at a time, at its peak, or at its least."""

    meter: MeasureCollector
    measure: str
    side: Side
    names: tuple[str, ...]
    value_of: Callable[[Marks], float]
    values: Floats

    def at(
        self, time: float, cycle: int, measure: str = "", side: Side | None = None, time_sd: float | None = None
    ) -> None:
        """At a named event, whose time has this SD (s; without one that of an event on a frame)."""
        signals = self.meter.signals
        if not np.isfinite(time):
            self._lost(measure, side, cycle, NO_MOMENT)
            return
        k = signals.frame(time)
        if not np.isfinite(self.values[max(0, k - 1) : k + 2]).all():
            self._lost(measure, side, cycle, f"{self._hidden(np.arange(max(0, k - 1), k + 2))} not seen at that moment")
            return
        value = float(np.interp(time, signals.times, self.values))
        slope = float(np.gradient(self.values)[k]) if 0 < k < len(self.values) - 1 else 0.0
        frames = EVENT_SD_FRAMES if time_sd is None else time_sd * signals.rate
        self._keep(measure, side, cycle, value, k, abs(slope) * frames)

    def extreme(
        self,
        frames: np.ndarray,
        cycle: int,
        least: bool = False,
        measure: str = "",
        side: Side | None = None,
        ends_sd: tuple[float, float] = (0.0, 0.0),
    ) -> None:
        """Greatest or least value within frames that were mostly seen; both ends of them have an SD (s)."""
        inside = self.values[frames]
        if frames.size < 5:
            self._lost(measure, side, cycle, TOO_SHORT)
            return
        if self.meter.signals.seen_share(frames, *self.names) < LEAST_SEEN or not np.isfinite(inside).any():
            self._lost(measure, side, cycle, f"{self._hidden(frames)} not seen for much of it")
            return
        k = int(frames[np.nanargmin(inside) if least else np.nanargmax(inside)])
        sd = float(np.hypot(self._flattened(k), self._by_ends(frames, float(self.values[k]), least, ends_sd)))
        self._keep(measure, side, cycle, float(self.values[k]), k, sd)

    def _lost(self, measure: str, side: Side | None, cycle: int, why: str) -> None:
        self.meter.result.missing.append(MissingValue(measure or self.measure, side or self.side, cycle, why))

    def _hidden(self, frames: np.ndarray) -> str:
        """The marks that were not seen in these frames, least seen first; all of the curve's where none stands out."""
        shares = {name: self.meter.signals.seen_share(frames, name) for name in self.names}
        unseen = sorted((name for name, share in shares.items() if share < 1), key=lambda name: shares[name])
        return ", ".join(landmark_label(name) for name in unseen or self.names)

    def _by_ends(self, frames: np.ndarray, value: float, least: bool, ends_sd: tuple[float, float]) -> float:
        """How far the extreme goes when the ends of its frames lie one SD further out, or further in."""
        before, after = (round(sd * self.meter.signals.rate) for sd in ends_sd)
        off = [0.0]
        for out in (1, -1):
            first, last = max(0, int(frames[0]) - out * before), int(frames[-1]) + out * after
            inside = self.values[first : last + 1]
            if np.isfinite(inside).any():
                off.append(abs(float(np.nanmin(inside) if least else np.nanmax(inside)) - value))
        return max(off)

    def _flattened(self, k: int) -> float:
        """What smoothing may have taken off a sharp extreme: its bend against the cut-off."""
        signals = self.meter.signals
        around = self.values[max(0, k - 1) : k + 2]
        if around.size < 3 or not np.isfinite(around).all():
            return 0.0
        bend = abs(float(around[0] - 2 * around[1] + around[2])) * signals.rate**2
        return 0.4 * bend / (2 * np.pi * signals.cutoff_hz) ** 2

    def _keep(self, measure: str, side: Side | None, cycle: int, value: float, frame: int, event_sd: float) -> None:
        signals = self.meter.signals
        sd = float(np.hypot(signals.marking_sd(self.names, frame, self.value_of), event_sd))
        time = float(signals.times[frame])
        self.meter.result.values.append(
            CycleValue(measure or self.measure, side or self.side, cycle, value, frame, time, sd)
        )


def scaled(signals: MarkSignals, per_metre: float) -> float | None:
    """Units a pixel, `per_metre` units to the metre; None without a length scale."""
    return None if signals.metres_per_px is None else signals.metres_per_px * per_metre


def three(m: Marks, names: tuple[str, str, str]) -> geometry.Chain:
    """Three marks as a chain."""
    return m[names[0]], m[names[1]], m[names[2]]
