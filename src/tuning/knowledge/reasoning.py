"""What reasoning needs of the other tables: tests and clips, with the minutes of changes of position."""

from __future__ import annotations

from tuning.core.reasoning.advice import Tests
from tuning.knowledge.tables import Knowledge


def tests_of(knowledge: Knowledge) -> Tests:
    """Everything that can be done to tell factors apart."""
    clips = {clip.id: clip for clip in knowledge.order.clip}
    return Tests(knowledge.tests, clips, knowledge.order.minutes, knowledge.test_of)
