"""Uids: made here and nowhere else."""

from __future__ import annotations

import uuid_utils


def new_uid() -> str:
    """A fresh uuid7 as text: unique everywhere, ordered by the time it was made."""
    return str(uuid_utils.uuid7())
