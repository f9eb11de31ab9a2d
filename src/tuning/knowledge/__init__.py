"""What clinicians may edit, and the loaders that turn it into core types."""

from tuning.knowledge.knowledge import FOLDER, Cautions, Knowledge, check, for_clinic, load

__all__ = ["FOLDER", "Cautions", "Knowledge", "check", "for_clinic", "load"]
