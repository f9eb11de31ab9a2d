"""The error tree. Every error carries one plain sentence for the clinician."""

from pathlib import Path


class TuningError(Exception):
    """Root of the errors that Tuning raises on purpose.

    The message says what happened, what was kept and what to do next; the
    interface shows it as it is.
    """


class BadInput(TuningError):
    """What was typed, dropped or opened cannot be used."""


class KnowledgeError(TuningError):
    """A knowledge file breaks a rule; the sentence names file, key and reason."""


class EnvironmentFault(TuningError):
    """The machine refuses: disk full, folder read-only, record locked or newer."""


class Conflict(TuningError):
    """Somebody else changed the same thing since it was read; it was read again."""


class Refused(TuningError):
    """The gate does not allow an act now; the sentence says why and what would."""


class DeviceFault(EnvironmentFault):
    """A device does not answer, or sends what makes no sense."""


class Locked(EnvironmentFault):
    """A folder is protected, and nobody has told its passphrase in this program yet."""

    def __init__(self, sentence: str, folder: Path) -> None:
        super().__init__(sentence)
        self.folder = folder
