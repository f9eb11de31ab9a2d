"""The database library: SQLite that can seal its pages, with the interface and the types of Python's own."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import sqlite3 as sqlite
    from sqlite3 import Connection, Row
else:
    from sqlcipher3 import dbapi2 as sqlite
    from sqlcipher3.dbapi2 import Connection, Row

__all__ = ["Connection", "Row", "sqlite"]
