"""How commands tell what went wrong, and ask for the passphrase of a protected record."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from pathlib import Path

import click

from tuning.core.errors import BadInput, Locked, TuningError

PASSPHRASE_FILE = "TUNING_PASSPHRASE_FILE"
"""Variable that names a file with the passphrase, for work without a hand at the keys."""


def run_or_exit(run: Callable[[], None]) -> None:
    """Errors of input and machine come as one sentence, without a traceback."""
    try:
        try:
            run()
        except Locked as err:
            _unlock(err)
            run()
    except TuningError as err:
        click.echo(str(err), err=True)
        sys.exit(2)


def _unlock(locked: Locked) -> None:
    from tuning.records import keys

    keys.unlock(locked.folder, passphrase("Passphrase or recovery code", str(locked)))


def passphrase(name: str, otherwise: str, twice: bool = False) -> str:
    """What the file says that the variable names, else typed unseen. Raises BadInput (`otherwise`) without either."""
    named = os.environ.get(PASSPHRASE_FILE)
    if named:
        try:
            return Path(named).read_text(encoding="utf-8").strip()
        except (OSError, ValueError) as err:
            raise BadInput(f"The file of the passphrase cannot be read: {named}.") from err
    if not sys.stdin.isatty():
        raise BadInput(f"{otherwise} Name a file with it in {PASSPHRASE_FILE}.")
    told: str = click.prompt(name, hide_input=True, confirmation_prompt=twice)
    return told
