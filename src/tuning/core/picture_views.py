"""Every kind of picture by id, and the landmarks in everyday field words."""

from __future__ import annotations

from tuning.core.mobility import photo_measures as mobility
from tuning.core.movement import movement_views as movement
from tuning.core.pictures.marks import PictureKind
from tuning.core.standing import photo_measures as standing

PICTURE_KINDS: dict[str, PictureKind] = {
    picture_kind.id: picture_kind
    for picture_kind in (*movement.PICTURE_KINDS, *standing.PICTURE_KINDS, *mobility.PICTURE_KINDS)
}
"""Ids and landmark names are an interface: they stand in records; keep them."""
