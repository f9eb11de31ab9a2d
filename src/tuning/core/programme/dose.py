"""What is prescribed of an exercise: everything that is done, and that one climb may move by one step."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Protocol

BREATH = {"breathe in": 3.0, "breathe out": 3.0, "pause": 2.0}
"""A slow breath: how long each part of it takes, seconds (practice judgement, editable)."""
LONG_S = 90
"""From here a time is told in minutes: nobody holds still so long, it is walked."""
BREATH_S = sum(BREATH.values())
SET_UP_S = 30
MOVED = ("depth_deg", "load_kg", "step_cm", "seat_cm", "hold_s", "tempo", "band")
"""What of a dose a climb may move; another value is another step."""


@dataclass(frozen=True)
class Dose:
    """Sets, repetitions, holds (s) or breaths, tempo lower-pause-rise (s), rest (s), days a week.

    `each`: the legs take turns; `extra` sets more are done on the side that begins, which is the poorer one.
    `depth_deg` is the knee flexion to stop at, None for the whole range; `load_kg` weight in the hands; `step_cm` and
    `seat_cm` the height of step or seat, None where the exercise has none; `band` which one.
    """

    sets: int
    reps: int | None
    hold_s: int | None
    tempo: str
    rest_s: int
    days: int
    breaths: int | None = None
    holds: int = 1
    each: bool = True
    depth_deg: float | None = None
    load_kg: float = 0.0
    step_cm: float | None = None
    seat_cm: float | None = None
    band: str = ""
    extra: int = 0

    @property
    def text(self) -> str:
        """The dose in everyday words."""
        count = f"{self.sets} {'set' if self.sets == 1 else 'sets'} of"
        if self.reps:
            work = f"{count} {self.reps}"
        elif self.breaths:
            work = f"{count} {self.breaths} slow breaths"
        elif self.holds > 1:
            work = f"{count} {self.holds} holds of {self.hold_s} s"
        else:
            often = "once" if self.sets == 1 else f"{self.sets} times"
            long = (self.hold_s or 0) >= LONG_S
            work = f"{(self.hold_s or 0) / 60:g} min, {often}" if long else f"hold {self.hold_s} s, {often}"
        sides = " each side" if self.each else ""
        how = f"{work}{sides}{self._extra()}{self._with()}"
        return f"{how}; rest {self.rest_s} s; {self.days} days a week"

    def _extra(self) -> str:
        """The sets more of the side that begins."""
        if not self.extra:
            return ""
        return f", {'one extra set' if self.extra == 1 else f'{self.extra} extra sets'} on the poorer side"

    @property
    def tempo_words(self) -> str:
        """Down, pause and up; empty where it has no tempo."""
        if not (self.reps and self.tempo):
            return ""
        lower, pause, rise = self.tempo.split("-")
        stay = f"{pause} s pause, " if pause != "0" else ""
        return f"{lower} s down, {stay}{rise} s up"

    def _with(self) -> str:
        """Tempo, height, band, weight and depth."""
        parts = (
            self.tempo_words,
            f"step {self.step_cm:g} cm high" if self.step_cm else "",
            f"seat {self.seat_cm:g} cm high" if self.seat_cm else "",
            self.band,
            f"{self.load_kg:g} kg" if self.load_kg else "",
            f"knee bent to {self.depth_deg:.0f}°" if self.depth_deg is not None else "",
        )
        return "".join(f", {part}" for part in parts if part)

    def with_heights_of(self, own: Dose) -> Dose:
        """The same with the heights and the band of the exercise where none was written: older plans name none."""
        if self.height_cm is None:
            return replace(self, step_cm=own.step_cm, seat_cm=own.seat_cm, band=self.band or own.band)
        return replace(self, band=self.band or own.band)

    @property
    def height_cm(self) -> float | None:
        """Of the step or of the seat, whichever it has."""
        return self.step_cm if self.step_cm is not None else self.seat_cm

    def at_height(self, height_cm: float) -> Dose:
        """The same with another step or seat."""
        seat = self.step_cm is None
        return replace(self, seat_cm=height_cm) if seat else replace(self, step_cm=height_cm)

    @property
    def set_s(self) -> float:
        """Seconds of one set of one side."""
        if self.reps:
            return float(self.reps * sum(int(p) for p in (self.tempo or "0").split("-")))
        return float((self.breaths or 0) * BREATH_S or (self.hold_s or 0) * self.holds)

    @property
    def minutes(self) -> float:
        """Time of a day: work, rests and 30 s to set up (practice judgement, editable)."""
        turns = self.sets * (2 if self.each else 1) + self.extra
        return (turns * self.set_s + max(0, turns - 1) * self.rest_s + SET_UP_S) / 60


def breath_at(seconds: float) -> str:
    """The part of a breath at a moment of a set."""
    left = seconds % BREATH_S
    for part, lasts in BREATH.items():
        if left < lasts:
            return part
        left -= lasts
    return next(iter(BREATH))


class Listed(Protocol):
    """What an exercise lists to move through, the easiest first each."""

    @property
    def tempos(self) -> tuple[str, ...]:
        """Lower-pause-rise, seconds."""

    @property
    def bands(self) -> tuple[str, ...]:
        """By strength."""


def asks_no_more(old: Dose, new: Dose, listed: Listed) -> bool:
    """Whether a dose asks the same or less in every part that a climb may move."""
    higher = None not in (old.height_cm, new.height_cm) and _height(new) > _height(old)
    pairs = zip(_asked(new, listed), _asked(old, listed), strict=True)
    return not higher and all(now <= before for now, before in pairs)


def _height(dose: Dose) -> float:
    """A lower seat asks more, as a higher step does."""
    return dose.step_cm if dose.step_cm is not None else -(dose.seat_cm or 0.0)


def _asked(dose: Dose, listed: Listed) -> tuple[float, ...]:
    """How much each part asks: degrees, kg, seconds, and places in what is listed."""
    depth = 180.0 if dose.depth_deg is None else dose.depth_deg
    tempo, band = (
        names.index(one) if one in names else 0
        for names, one in ((listed.tempos, dose.tempo), (listed.bands, dose.band))
    )
    return depth, dose.load_kg, float(dose.hold_s or 0), float(tempo), float(band)
