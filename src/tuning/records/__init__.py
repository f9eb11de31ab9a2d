"""The patient record: the only floor that writes it, and the only one that knows a row number."""

from tuning.records.identity import new_uid
from tuning.records.store import Record

__all__ = ["Record", "new_uid"]
