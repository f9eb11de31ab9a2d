"""Commands about a record: check, back up, restore."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import click

from tuning.cli.errors import passphrase, run_or_exit


@click.command("check-record")
@click.argument("folder", type=click.Path(path_type=Path, exists=True))
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of text.")
def check_record(folder: Path, as_json: bool) -> None:
    """Check every row, reference, file and line of the trail of the record in FOLDER; exit code 1 for any problem."""

    def run() -> None:
        from tuning.records import Record

        record = Record(folder)
        problems = record.check()
        record.close()
        if as_json:
            click.echo(json.dumps({"sound": not problems, "problems": problems}, ensure_ascii=False, indent=1))
        else:
            click.echo("\n".join(problems) if problems else "The record is sound.")
        if problems:
            sys.exit(1)

    run_or_exit(run)


@click.command()
@click.argument("record", type=click.Path(path_type=Path, exists=True))
@click.option("--off", is_flag=True, help="Take the passphrase off instead.")
def protect(record: Path, off: bool) -> None:
    """Seal the record in folder RECORD with a passphrase; database, media and later backups.

    The passphrase is asked, or read from the file that TUNING_PASSPHRASE_FILE names, for this and every other command.
    """

    def run() -> None:
        from tuning.records import encryption

        if off:
            encryption.open_up(record, passphrase("Passphrase", "This needs the passphrase."))
            click.echo(f"The record in {record} lies open.")
            return
        code = encryption.protect(record, passphrase("New passphrase", "This needs a passphrase.", twice=True))
        click.echo(f"Protected. Write the recovery code down; it is not shown again:\n{code}")

    run_or_exit(run)


@click.command()
@click.argument("record", type=click.Path(path_type=Path))
@click.argument("into", type=click.Path(path_type=Path))
@click.option("--thin", is_flag=True, help="Then keep seven days, four weeks and twelve months, and remove the rest.")
def backup(record: Path, into: Path, thin: bool) -> None:
    """Back the record in folder RECORD up into folder INTO, verified; the record may be in use."""

    def run() -> None:
        from tuning.records.backup import backup as take
        from tuning.records.backup import thin_out

        made = take(record, into)
        click.echo(f"Backed up to {made.folder}, {made.media} files of media, verified.")
        for name in made.lost:
            click.echo(f"Missing or damaged in the record itself: {name}.", err=True)
        for gone in thin_out(into) if thin else ():
            click.echo(f"Removed {gone.folder.name}.")

    run_or_exit(run)


@click.command()
@click.argument("source", type=click.Path(path_type=Path))
@click.argument("record", type=click.Path(path_type=Path))
@click.option("--yes", is_flag=True, help="Do it; without, only tell what would be done.")
def restore(source: Path, record: Path, yes: bool) -> None:
    """Put the backup in folder SOURCE in the place of the record in folder RECORD."""

    def run() -> None:
        from tuning.core.errors import BadInput
        from tuning.records.backup import contents
        from tuning.records.restore import restore as put

        click.echo(f"{source} holds {contents(source)}.")
        if record.exists() and any(record.iterdir()):
            try:
                click.echo(f"{record} holds {contents(record)}; it would be moved beside.")
            except BadInput as err:
                click.echo(f"{record} cannot be read ({err}); it would be moved beside.")
        if not yes:
            click.echo("Nothing was changed; add --yes to restore.")
            return
        aside = put(source, record)
        click.echo(f"Restored to {record}." + (f" What was there lies in {aside}." if aside is not None else ""))

    run_or_exit(run)
