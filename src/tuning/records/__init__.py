"""The patient record: the only floor that writes it, and the only one that knows a row number."""

from tuning.records.identity import new_uid
from tuning.records.store import Digest, Record

__all__ = ["Digest", "Record", "new_uid"]
