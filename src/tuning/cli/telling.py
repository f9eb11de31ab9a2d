"""How commands tell what went wrong."""

from __future__ import annotations

import sys
from collections.abc import Callable

import click

from tuning.core.errors import TuningError


def run_told(run: Callable[[], None]) -> None:
    """Errors of input and machine come as one sentence, without a traceback."""
    try:
        run()
    except TuningError as err:
        click.echo(str(err), err=True)
        sys.exit(2)
