"""Tables of the record.

Everything entered during a visit is an *entry*: written once, never changed.
A correction is a newer entry; undo strikes an entry out and redo restores it,
so the record always tells who entered what and when.
"""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from sqlalchemy import JSON, ForeignKey, String
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship


class Base(DeclarativeBase):
    """Root of the tables."""

    type_annotation_map = {dict[str, Any]: JSON, list[Any]: JSON}


class PersonRow(Base):
    """A local user profile."""

    __tablename__ = "person"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    role: Mapped[str] = mapped_column(String(40))
    created_at: Mapped[datetime]


class PatientRow(Base):
    """Who is assessed. Masses in kg, stature in m."""

    __tablename__ = "patient"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120), index=True)
    birth_date: Mapped[date]
    sex: Mapped[str] = mapped_column(String(20))
    body_mass_kg: Mapped[float | None]
    stature_m: Mapped[float | None]
    dominant_hand: Mapped[str] = mapped_column(String(10))
    dominant_leg: Mapped[str] = mapped_column(String(10))
    complaint: Mapped[str]
    involved: Mapped[str] = mapped_column(String(10))
    occupation: Mapped[str] = mapped_column(default="")
    created_at: Mapped[datetime]
    created_by: Mapped[int] = mapped_column(ForeignKey("person.id"))

    def age_on(self, day: date) -> int:
        """Full years on `day`."""
        before_birthday = (day.month, day.day) < (self.birth_date.month, self.birth_date.day)
        return day.year - self.birth_date.year - before_birthday


class Visit(Base):
    """One visit of one patient."""

    __tablename__ = "visit"
    id: Mapped[int] = mapped_column(primary_key=True)
    patient_id: Mapped[int] = mapped_column(ForeignKey("patient.id"), index=True)
    started_at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class Media(Base):
    """A file kept bit for bit under its SHA-256 name."""

    __tablename__ = "media"
    sha256: Mapped[str] = mapped_column(String(64), primary_key=True)
    suffix: Mapped[str] = mapped_column(String(12))
    original_name: Mapped[str]
    size: Mapped[int]
    added_at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class Entry(Base):
    """What every entry carries; `struck_at` set means undone."""

    __tablename__ = "entry"
    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    visit_id: Mapped[int] = mapped_column(ForeignKey("visit.id"), index=True)
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    struck_at: Mapped[datetime | None]
    person: Mapped[PersonRow] = relationship(lazy="joined")
    __mapper_args__ = {"polymorphic_on": "kind", "polymorphic_identity": "entry", "with_polymorphic": "*"}


class Capture(Entry):
    """A photograph or clip opened in a visit, and the view it shows."""

    __tablename__ = "capture"
    id: Mapped[int] = mapped_column(ForeignKey("entry.id"), primary_key=True)
    sha256: Mapped[str] = mapped_column(ForeignKey("media.sha256"))
    view: Mapped[str] = mapped_column(String(10))
    media: Mapped[Media] = relationship(lazy="joined")
    __mapper_args__ = {"polymorphic_identity": "capture"}


class Mark(Entry):
    """A landmark in one frame, image pixels; no place means that it was removed.

    `sd_px` is the placing error at the zoom of the moment.
    """

    __tablename__ = "mark"
    id: Mapped[int] = mapped_column(ForeignKey("entry.id"), primary_key=True)
    capture_id: Mapped[int] = mapped_column(ForeignKey("capture.id"), index=True)
    frame: Mapped[int]
    name: Mapped[str] = mapped_column(String(40))
    x_px: Mapped[float | None]
    y_px: Mapped[float | None]
    sd_px: Mapped[float]
    __mapper_args__ = {"polymorphic_identity": "mark", "inherit_condition": id == Entry.id}


class Calibration(Entry):
    """Two points that level or scale all frames of a capture; no place means removed."""

    __tablename__ = "calibration"
    id: Mapped[int] = mapped_column(ForeignKey("entry.id"), primary_key=True)
    capture_id: Mapped[int] = mapped_column(ForeignKey("capture.id"), index=True)
    what: Mapped[str] = mapped_column(String(20))
    ax_px: Mapped[float | None]
    ay_px: Mapped[float | None]
    bx_px: Mapped[float | None]
    by_px: Mapped[float | None]
    length_m: Mapped[float | None]
    sd_px: Mapped[float]
    __mapper_args__ = {"polymorphic_identity": "calibration", "inherit_condition": id == Entry.id}


class ObservationEntry(Entry):
    """A core Observation; either `value` or `not_measured` is set."""

    __tablename__ = "observation"
    id: Mapped[int] = mapped_column(ForeignKey("entry.id"), primary_key=True)
    measure_id: Mapped[str] = mapped_column(String(60), index=True)
    side: Mapped[str] = mapped_column(String(10))
    value: Mapped[float | None]
    not_measured: Mapped[str] = mapped_column(default="")
    detail: Mapped[str] = mapped_column(default="")
    trials: Mapped[list[Any]]
    summary_rule: Mapped[str] = mapped_column(String(20))
    method: Mapped[str] = mapped_column(String(20))
    marking_sd: Mapped[float | None]
    quality: Mapped[float]
    quality_reason: Mapped[str] = mapped_column(default="")
    evidence: Mapped[dict[str, Any]]
    __mapper_args__ = {"polymorphic_identity": "observation"}


class TrackEntry(Entry):
    """Marks followed through a clip, for one task; `moved` are events put elsewhere by hand.

    `places` is packed by records.packing: x, y and quality of every frame and mark.
    """

    __tablename__ = "track"
    id: Mapped[int] = mapped_column(ForeignKey("entry.id"), primary_key=True)
    capture_id: Mapped[int] = mapped_column(ForeignKey("capture.id"), index=True)
    task: Mapped[str] = mapped_column(String(30))
    side: Mapped[str] = mapped_column(String(10))
    names: Mapped[list[Any]]
    moved: Mapped[list[Any]]
    places: Mapped[bytes]
    __mapper_args__ = {"polymorphic_identity": "track", "inherit_condition": id == Entry.id}


class FindingEntry(Entry):
    """What was found or told without a number: a test's ending, chosen words, a form, a step of a trail."""

    __tablename__ = "finding"
    id: Mapped[int] = mapped_column(ForeignKey("entry.id"), primary_key=True)
    test_id: Mapped[str] = mapped_column(String(60), index=True)
    side: Mapped[str] = mapped_column(String(10))
    status: Mapped[str] = mapped_column(String(20))
    data: Mapped[dict[str, Any]]
    __mapper_args__ = {"polymorphic_identity": "finding"}


class SafetyScreen(Entry):
    """Triage result. A clearance is a newer screen with `cleared_by` and `cleared_result`."""

    __tablename__ = "safety_screen"
    id: Mapped[int] = mapped_column(ForeignKey("entry.id"), primary_key=True)
    level: Mapped[str] = mapped_column(String(10))
    note: Mapped[str]
    cleared_by: Mapped[str] = mapped_column(default="")
    cleared_on: Mapped[date | None]
    cleared_result: Mapped[str] = mapped_column(default="")
    __mapper_args__ = {"polymorphic_identity": "safety"}


class PlanItem(Entry):
    """A prescribed rung with its dose, as it was on the day."""

    __tablename__ = "plan_item"
    id: Mapped[int] = mapped_column(ForeignKey("entry.id"), primary_key=True)
    ladder_id: Mapped[str] = mapped_column(String(40))
    rung_id: Mapped[str] = mapped_column(String(60))
    dose: Mapped[dict[str, Any]]
    first_side: Mapped[str] = mapped_column(String(10))
    checks: Mapped[list[Any]]
    override_reason: Mapped[str] = mapped_column(default="")
    withdrawn: Mapped[bool] = mapped_column(default=False)
    __mapper_args__ = {"polymorphic_identity": "plan"}
