"""Preferences, declared once: key, type, default, bounds, help. Whoever reads or sets one goes by this table."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from typing import Any

from tuning.core.errors import BadInput
from tuning.core.judging.measures import Measure
from tuning.core.judging.symmetry import DIFFERENCES
from tuning.core.judging.trial_rule import TrialRule
from tuning.core.units import FORCE_UNITS, unit_suffix

RULE, TRIALS, UNIT, FORMULA = "strength.rule", "strength.trials", "strength.unit", "strength.formula"
REGIONAL, HABIT, UNINVOLVED_FIRST, PAIN_SCHOOL = (
    "schools.regional", "schools.habit", "order.uninvolved-first", "schools.pain",
)  # fmt: skip
FIRST_SCHOOL, PATTERN_SCHOOL, SHIN_SCHOOL = "schools.first", "schools.pattern", "schools.shin"
STEP_CLOCK, TELEPHONE, CLINIC_NAME = "schools.clock", "clinic.telephone", "clinic.name"
MASS_UNIT, LENGTH_UNIT = "look.mass-unit", "look.length-unit"
DECIMALS, DAYS = "report.decimals", "report.days"
LETTERHEAD, PAPER, LARGE_PRINT, MONTH_FIRST = "report.letterhead", "sheet.paper", "sheet.large", "dates.month-first"
THEME, SCALE, MUTE = "look.theme", "look.scale", "session.mute"
KEEP_YEARS, KEEP_AGE = "keep.years", "keep.age"
BACKUP_FOLDER, BACKUP_DAILY, LOCK_MINUTES = "backup.folder", "backup.daily", "lock.minutes"
WATCHED_FOLDER = "folder.watched"
BAND = "band."
"""Before the id of a measure: the clinic's own band for it."""


class Type(StrEnum):
    """What a preference is."""

    CHOICE = "choice"
    SWITCH = "switch"
    NUMBER = "number"
    TEXT = "text"


@dataclass(frozen=True)
class Preference:
    """One setting of the clinic. `options` are values with their words; numbers lie from `low` to `high`."""

    key: str
    section: str
    name: str
    type: Type
    default: Any
    help: str
    options: Mapping[Any, str] = field(default_factory=dict)
    low: float = 0.0
    high: float = 0.0
    unit: str = ""
    restart: bool = False
    """Whether it shows only after the next start."""

    def checked(self, value: Any) -> Any:
        """The value, where it may be one. Raises BadInput."""
        if self.type is Type.CHOICE and any(type(value) is type(known) and value == known for known in self.options):
            return value
        if self.type is Type.SWITCH and isinstance(value, bool):
            return value
        if self.type is Type.TEXT and isinstance(value, str) and len(value) <= self.high:
            return value
        number = isinstance(value, int | float) and not isinstance(value, bool)
        if self.type is Type.NUMBER and number and math.isfinite(value) and self.low <= value <= self.high:
            return value
        raise BadInput(f"{self.name}: {self._accepted()}.")

    def _accepted(self) -> str:
        if self.type is Type.CHOICE:
            return f"one of {', '.join(self.options.values())}"
        if self.type is Type.NUMBER:
            return f"a number from {self.low:g} to {self.high:g}{unit_suffix(self.unit)}"
        return "on or off" if self.type is Type.SWITCH else f"a text of at most {self.high:g} letters"

    def read(self, values: Mapping[str, Any]) -> Any:
        """The value that counts: the kept one where it may be one, else the usual one."""
        try:
            return self.checked(values.get(self.key, self.default))
        except BadInput:
            return self.default

    def words(self, value: Any) -> str:
        """A value as one would say it."""
        if self.type is Type.CHOICE:
            return str(self.options.get(value, value))
        if self.type is Type.SWITCH:
            return "on" if value else "off"
        return f"{value:g}{unit_suffix(self.unit)}" if self.type is Type.NUMBER else str(value)


def _switch(key: str, section: str, name: str, default: bool, help: str, restart: bool = False) -> Preference:
    return Preference(key, section, name, Type.SWITCH, default, help, restart=restart)


TRIAL_RULES = {TrialRule.MEAN: "their mean", TrialRule.BEST: "the best", TrialRule.MEDIAN: "their median"}
DECLARED: tuple[Preference, ...] = (
    Preference(RULE, "Measuring", "Several trials become one value as", Type.CHOICE, TrialRule.MEAN.value,
               "The mean shrinks the trial part of the error; the best keeps it; the median resists one slip.",
               {rule.value: words for rule, words in TRIAL_RULES.items()}),
    Preference(TRIALS, "Measuring", "Trials of a strength test", Type.CHOICE, 3,
               "One is quick, three detect a difference of 15 % with a belt (practice judgement).",
               {1: "1", 2: "2", 3: "3"}),
    Preference(UNIT, "Measuring", "Force without a unit is", Type.CHOICE, "N",
               "What the gauge shows. Forces are kept in newtons.", {unit: unit for unit in FORCE_UNITS}),
    Preference(MASS_UNIT, "Measuring", "Body mass and loads in", Type.CHOICE, "kg",
               "As they are shown, and what a number without a unit is. Kept in kilograms.", {"kg": "kg", "lb": "lb"}),
    Preference(LENGTH_UNIT, "Measuring", "Stature, levers and steps in", Type.CHOICE, "cm",
               "As they are shown, and what a number without a unit is. Kept in metres; measures keep their own unit.",
               {"cm": "cm", "in": "in"}),
    Preference(FORMULA, "Measuring", "Percentage beside a pair", Type.CHOICE, "stronger",
               "Shown beside the values. The verdict always goes by the stronger side.",
               {key: f.name for key, f in DIFFERENCES.items()}),
    _switch(REGIONAL, "Schools", "Foot and hip before the knee", True,
            "One school: the knee mostly follows foot and hip. On: their factors come first where scores are equal."),
    _switch(HABIT, "Schools", "A right-sided habit in everybody", False,
            "One school sees one body pattern in everyone. Off: the side comes from what was measured."),
    _switch(UNINVOLVED_FIRST, "Schools", "The uninvolved side always first", False,
            "On costs turns on the bed; off, the order with the fewest turns wins."),
    Preference(PAIN_SCHOOL, "Schools", "Pain in exercise, for a new plan", Type.CHOICE, "strict",
               "Strict stops above 2 of 10. Monitored goes on to 5 where the next morning is settled.",
               {"strict": "strict, at most 2", "monitored": "monitored, to 5 if settled"}),
    Preference(FIRST_SCHOOL, "Schools", "Exercises begin", Type.CHOICE, "test-led",
               "Test-led: whichever trial changes the movement. The ladders also say what other schools begin with.",
               {"test-led": "with what the tests say", "foot": "at the foot", "hip": "at the hip"}),
    _switch(PATTERN_SCHOOL, "Schools", "One pattern in everybody, worked on first", False,
            "One school repositions everybody in the same way, the left version first. Off: the measured side."),
    Preference(SHIN_SCHOOL, "Schools", "Knee ahead of the toes", Type.CHOICE, "graded",
               "Graded opens a zone when the one before is passed. Upright keeps the knee behind the toes: that moves "
               "load to hip and back (Fry 2003).",
               {"graded": "graded, as it is tolerated", "upright": "shin kept upright"}),
    Preference(STEP_CLOCK, "Schools", "Time at an exercise before the next", Type.CHOICE, "usual",
               "Counts for load and for the next exercise where that names no days of its own; a step of range, height "
               "or tempo within one needs clean sessions only (practice judgement).",
               {"brisk": "brisk, 7 days", "usual": "usual, 14 days", "careful": "careful, 21 days"}),
    Preference(CLINIC_NAME, "Letters", "Name of the clinic", Type.TEXT, "",
               "Stands on sheets, log pages and letters without a letterhead.", high=200),
    Preference(TELEPHONE, "Letters", "Telephone of the clinic", Type.TEXT, "",
               "Stands beside the stop rules on sheets, log pages and letters to patients.", high=60),
    Preference(LETTERHEAD, "Letters", "Letterhead", Type.TEXT, "",
               "Name, address, telephone: as printed on top of every letter.", high=600),
    Preference(DECIMALS, "Letters", "Decimals in letters", Type.CHOICE, "point",
               "What somebody typed stays as it was typed.", {"point": "12.5", "comma": "12,5"}),
    Preference(DAYS, "Letters", "Days in letters", Type.CHOICE, "words", "Screens always show days in words.",
               {"words": "3 May 2026", "numbers": "3.5.2026", "iso": "2026-05-03"}),
    Preference(PAPER, "Letters", "Paper", Type.CHOICE, "A4", "For letters and exercise sheets.",
               {"A4": "A4", "Letter": "Letter"}),
    _switch(LARGE_PRINT, "Letters", "Exercise sheets in large print", False, "One exercise a page, 14 points."),
    Preference(THEME, "Look", "Colours", Type.CHOICE, "light", "As the system: follows day and night.",
               {"light": "light", "dark": "dark", "high": "high contrast", "high-dark": "high contrast, dark",
                "system": "as the system"}),
    Preference(SCALE, "Look", "Size of everything", Type.CHOICE, 100, "For eyes and distances.",
               {100: "100 %", 115: "115 %", 130: "130 %", 150: "150 %"}, restart=True),
    _switch(MONTH_FIRST, "Look", "Typed dates begin with the month", False, "4/3 is then the third of April."),
    _switch(MUTE, "Look", "No sound in exercise sessions", False, "The counters stay on the screen."),
    Preference(WATCHED_FOLDER, "Record", "Folder that phone or camera write into", Type.TEXT, "",
               "New photographs and clips in it wait above the open visit until somebody takes them; the folder itself "
               "is only read. Empty: none.", high=1000),
    Preference(BACKUP_FOLDER, "Record", "Folder for backups", Type.TEXT, "",
               "Best on another disk. Empty: no backup is made by itself.", high=1000),
    _switch(BACKUP_DAILY, "Record", "Back up once a day", True, "When the window opens, while you go on working."),
    Preference(LOCK_MINUTES, "Record", "Cover the screen after", Type.NUMBER, 0,
               "Without a touch of key or pointer for so long. 0: never.", low=0, high=120, unit="min"),
    Preference(KEEP_YEARS, "Record", "Keep people after their last visit for", Type.NUMBER, 10,
               "Then the day list names them under “Keep time over”; erasing is done by hand. 0: for ever.",
               low=0, high=100, unit="years"),
    Preference(KEEP_AGE, "Record", "Who was under 18 is kept at least until", Type.NUMBER, 25,
               "The law of the place decides.", low=18, high=100, unit="years of age"),
)  # fmt: skip
BY_KEY: Mapping[str, Preference] = {one.key: one for one in DECLARED}
SECTIONS: tuple[str, ...] = tuple(dict.fromkeys(one.section for one in DECLARED))


@dataclass(frozen=True)
class Preferences:
    """What a clinic prefers, as one value: every key that was never set, or makes no sense, has its usual value."""

    values: Mapping[str, Any] = field(default_factory=dict)

    def __getitem__(self, key: str) -> Any:
        """The value that counts. Raises KeyError for what is no preference."""
        return BY_KEY[key].read(self.values)

    @property
    def rule(self) -> TrialRule:
        """How several trials become one value."""
        return TrialRule(self[RULE])


def band_of(measure: Measure) -> Preference:
    """The band of a measure as a preference: its own at first, 0 for none."""
    high = max(10 * (measure.band or 0.0), 100.0)
    return Preference(
        f"{BAND}{measure.id}", "Thresholds", measure.name, Type.NUMBER, measure.band or 0.0,
        f"{measure.formula}; {measure.band_source or 'no band is published'}", low=0.0, high=high,
        unit=measure.comparison_unit,
    )  # fmt: skip


def with_bands(measures: Mapping[str, Measure], values: Mapping[str, Any]) -> dict[str, Measure]:
    """Measures with the clinic's own bands; one that makes no sense counts as not set."""
    found = dict(measures)
    for key, value in values.items():
        measure = measures.get(key.removeprefix(BAND)) if key.startswith(BAND) else None
        if measure is None:
            continue
        band = band_of(measure).read({key: value})
        if band != (measure.band or 0.0):
            found[measure.id] = replace(measure, band=band or None, band_source="set by this clinic")
    return found
