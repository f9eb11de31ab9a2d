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


STAGE_OF_CLIPS, STAGE_OF_PHOTOGRAPHS = "movement", "standing"
"""Where a file goes that comes in while a page without pictures is open."""
_SEEN: dict[str, dict[str, str]] = {
    "movement": {"rear": "rear", "front": "front", "left": "side-l", "right": "side-r"},
    "standing": {"rear": "st-rear", "front": "st-front", "left": "st-side-l", "right": "st-side-r"},
}


def kind_seen(stage: str, view: str, chosen: str) -> str:
    """The kind of picture of a stage that shows a person from `view`; the `chosen` one where no view tells it, as of a
    sole or a joint from near."""
    kinds = _SEEN.get(stage, {})
    return kinds.get(view, chosen) if chosen in kinds.values() else chosen


def kinds_by_view(stage: str) -> dict[str, str]:
    """Kinds of picture of a stage that see the whole person, and from where each does."""
    return {kind: view for view, kind in _SEEN.get(stage, {}).items()}


def view_of_kind(kind_id: str) -> str:
    """From where a kind of picture sees the whole person; empty for the others."""
    return next((kinds_by_view(stage)[kind_id] for stage in _SEEN if kind_id in kinds_by_view(stage)), "")
