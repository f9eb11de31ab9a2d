"""Tables of the record.

Everything entered during a visit is an *entry*: written once, never changed.
A correction is a newer entry that replaces the older one; undo strikes an entry
out and redo restores it, so the record always tells who entered what and when.
What an entry says stands in `body`, as records.bodies writes it.
"""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Any

from sqlalchemy import JSON, DateTime, ForeignKey, LargeBinary, String, TypeDecorator
from sqlalchemy.engine import Dialect
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship


class Utc(TypeDecorator[datetime]):
    """Moments with a zone outside, UTC without one in the file."""

    impl = DateTime
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        """Into the file. Raises ValueError for a moment without a zone."""
        if value is None:
            return None
        if value.tzinfo is None:
            raise ValueError("a moment needs its zone")
        return value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        """Out of the file."""
        return None if value is None else value.replace(tzinfo=UTC)


class Base(DeclarativeBase):
    """Root of the tables."""

    type_annotation_map = {dict[str, Any]: JSON, datetime: Utc}


class InfoRow(Base):
    """What kind of record this is, and its counters."""

    __tablename__ = "info"
    key: Mapped[str] = mapped_column(String(40), primary_key=True)
    value: Mapped[str]


class PersonRow(Base):
    """A local user profile."""

    __tablename__ = "person"
    id: Mapped[int] = mapped_column(primary_key=True)
    uid: Mapped[str] = mapped_column(String(36), unique=True)
    name: Mapped[str] = mapped_column(String(120))
    role: Mapped[str] = mapped_column(String(40))
    created_at: Mapped[datetime]


class PatientRow(Base):
    """Who is assessed. `revision` grows with every commit to the case."""

    __tablename__ = "patient"
    id: Mapped[int] = mapped_column(primary_key=True)
    uid: Mapped[str] = mapped_column(String(36), unique=True)
    revision: Mapped[int] = mapped_column(default=0)
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


class VisitRow(Base):
    """One visit of one patient."""

    __tablename__ = "visit"
    id: Mapped[int] = mapped_column(primary_key=True)
    uid: Mapped[str] = mapped_column(String(36), unique=True)
    patient_id: Mapped[int] = mapped_column(ForeignKey("patient.id"), index=True)
    started_at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class MediumRow(Base):
    """A file kept bit for bit under its SHA-256 name."""

    __tablename__ = "medium"
    id: Mapped[int] = mapped_column(primary_key=True)
    uid: Mapped[str] = mapped_column(String(36), unique=True)
    sha256: Mapped[str] = mapped_column(String(64), unique=True)
    suffix: Mapped[str] = mapped_column(String(12))
    original_name: Mapped[str]
    size: Mapped[int]
    added_at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))


class EntryRow(Base):
    """One entry; `struck_at` set means undone."""

    __tablename__ = "entry"
    id: Mapped[int] = mapped_column(primary_key=True)
    uid: Mapped[str] = mapped_column(String(36), unique=True)
    kind: Mapped[str] = mapped_column(String(20), index=True)
    visit_id: Mapped[int] = mapped_column(ForeignKey("visit.id"), index=True)
    at: Mapped[datetime]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    medium_id: Mapped[int | None] = mapped_column(ForeignKey("medium.id"))
    replaces: Mapped[str] = mapped_column(String(36), default="")
    struck_at: Mapped[datetime | None]
    body: Mapped[dict[str, Any]]
    medium: Mapped[MediumRow | None] = relationship(lazy="raise")


class PlacesRow(Base):
    """The packed places of a track; read only when asked for."""

    __tablename__ = "places"
    entry_id: Mapped[int] = mapped_column(ForeignKey("entry.id"), primary_key=True)
    data: Mapped[bytes] = mapped_column(LargeBinary)
