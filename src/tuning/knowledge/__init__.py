"""What clinicians may edit, and the loader that turns it into core types."""

from tuning.knowledge.loader import Cautions, Knowledge, load

__all__ = ["Cautions", "Knowledge", "load"]
