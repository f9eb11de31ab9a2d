"""The `tuning` command."""

from __future__ import annotations

import sys
from pathlib import Path

import click
from platformdirs import user_data_path, user_log_path

from tuning.core.errors import TuningError

DEMO, OWN = "demo-clinic", "record"


def folder_of(name: str) -> Path:
    """The folder of a record in the user's data folder."""
    return user_data_path("tuning") / name


@click.group(invoke_without_command=True)
@click.option("--own", is_flag=True, help="Open your own record instead of the demo clinic.")
@click.option("--record", type=click.Path(path_type=Path), help="Open the record in this folder.")
@click.pass_context
def main(context: click.Context, own: bool, record: Path | None) -> None:
    """Measure alignment, judge differences, plan exercises. Opens the window."""
    if context.invoked_subcommand is not None:
        return
    folder = record or folder_of(OWN if own else DEMO)
    if record is None and not own:
        _build_demo(folder)
    from tuning.ui.app import run

    sys.exit(run(folder, user_log_path("tuning") / "tuning.log"))


def _build_demo(folder: Path) -> None:
    if not (folder / "record.sqlite").exists():
        from tuning.demo.clinic import build_clinic

        click.echo("Building the demo clinic, once …")
        build_clinic(folder)


@main.command()
@click.argument("folder", type=click.Path(path_type=Path))
def demo(folder: Path) -> None:
    """Build the demo clinic in FOLDER."""
    _told(lambda: _build_demo(folder))


@main.command("check-record")
@click.argument("folder", type=click.Path(path_type=Path, exists=True))
def check_record(folder: Path) -> None:
    """Check database and media of the record in FOLDER."""

    def run() -> None:
        from tuning.records import Record

        record = Record(folder)
        problems = record.check()
        record.close()
        for problem in problems:
            click.echo(problem)
        if problems:
            sys.exit(1)
        click.echo("The record is sound.")

    _told(run)


def _told(run) -> None:  # type: ignore[no-untyped-def]
    """Errors of input and machine come as one sentence, without a traceback."""
    try:
        run()
    except TuningError as err:
        click.echo(str(err), err=True)
        sys.exit(2)
