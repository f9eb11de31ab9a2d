"""The patient record: the only floor that writes it."""

from tuning.records.models import (
    Calibration,
    Capture,
    Entry,
    FindingEntry,
    Mark,
    Media,
    ObservationEntry,
    PatientRow,
    PersonRow,
    PlanItem,
    SafetyScreen,
    TrackEntry,
    Visit,
)
from tuning.records.record import Record

__all__ = [
    "Calibration",
    "Capture",
    "Entry",
    "FindingEntry",
    "Mark",
    "Media",
    "ObservationEntry",
    "PatientRow",
    "PersonRow",
    "PlanItem",
    "Record",
    "SafetyScreen",
    "TrackEntry",
    "Visit",
]
