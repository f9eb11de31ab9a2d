"""The `tuning` command."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click
from platformdirs import user_data_path, user_log_path

from tuning.cli.bench import reliability
from tuning.cli.conclusions import plan, reason
from tuning.cli.errors import run_or_exit
from tuning.cli.files import force, mask, measure, suggest, track
from tuning.cli.people import erase, export_person, import_person, keep_time, report
from tuning.cli.records import backup, check_record, protect, restore

if TYPE_CHECKING:
    from tuning.devices import Devices

DEMO, OWN = "demo-clinic", "record"


def folder_of(name: str) -> Path:
    """The folder of a record in the user's data folder."""
    return user_data_path("tuning") / name


@click.group(invoke_without_command=True)
@click.option("--own", is_flag=True, help="Open your own record instead of the demo clinic.")
@click.option("--record", type=click.Path(path_type=Path), help="Open the record in this folder.")
@click.option("--practice", is_flag=True, help="Make it a practice record, with made-up devices; marked for good.")
@click.pass_context
def main(context: click.Context, own: bool, record: Path | None, practice: bool) -> None:
    """Measure alignment, judge differences, plan exercises. Opens the window."""
    if context.invoked_subcommand is not None:
        return
    folder = record or folder_of(OWN if own else DEMO)
    demo = record is None and not own
    if demo:
        run_or_exit(lambda: _build_demo(folder))
    from tuning.ui.app import run

    kind = "practice" if practice else "demo" if demo else ""
    sys.exit(run(folder, user_log_path("tuning") / "tuning.log", kind, _devices))


def _devices(kind: str) -> Devices:
    """Made-up devices for a demo or practice record; none for an own one."""
    from tuning.devices import NO_DEVICES

    if kind not in ("demo", "practice"):
        return NO_DEVICES
    from tuning.demo.devices import simulated_devices

    return simulated_devices()


def _build_demo(folder: Path) -> None:
    if not (folder / "record.sqlite").exists():
        from tuning.demo.clinic import build_clinic

        click.echo("Building the demo clinic, once …")
        build_clinic(folder)


@main.command()
@click.argument("folder", type=click.Path(path_type=Path))
def demo(folder: Path) -> None:
    """Build the demo clinic in FOLDER."""
    run_or_exit(lambda: _build_demo(folder))


@main.command()
@click.argument("out", type=click.Path(path_type=Path))
def handbook(out: Path) -> None:
    """Write all help pages to OUT, one HTML file to be searched and printed."""
    from tuning.exchange.files import write_whole
    from tuning.exchange.html.handbook import book, help_pages
    from tuning.knowledge import load

    run_or_exit(lambda: write_whole(book(help_pages(load())).encode(), out, "The help"))


COMMANDS = (
    check_record,
    backup,
    restore,
    protect,
    export_person,
    import_person,
    report,
    erase,
    keep_time,
    suggest,
    track,
    mask,
    measure,
    force,
    reason,
    plan,
    reliability,
)
for command in COMMANDS:
    main.add_command(command)
