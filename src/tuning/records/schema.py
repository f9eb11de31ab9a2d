"""Brings a record to the current revision; Alembic is loaded only when needed."""

from __future__ import annotations

import shutil
from pathlib import Path

from sqlalchemy import Engine, inspect, text

from tuning.core.errors import EnvironmentFault

HEAD = "0003"
"""Newest revision in migrations/versions; a test holds the two together."""


def current_revision(engine: Engine) -> str | None:
    """The revision written in the record, None for an empty file."""
    if not inspect(engine).has_table("alembic_version"):
        return None
    with engine.connect() as connection:
        return connection.execute(text("select version_num from alembic_version")).scalar()


def upgrade(engine: Engine, file: Path) -> None:
    """Upgrade an older record, keeping a copy of it beside.

    Raises EnvironmentFault for a record from a newer version of the program.
    """
    found = current_revision(engine)
    if found == HEAD:
        return
    if found is not None:
        if found > HEAD:
            raise EnvironmentFault(
                f"This record was written by a newer Tuning (revision {found}). "
                "Nothing was changed; open it with that version."
            )
        shutil.copy2(file, file.with_name(f"{file.name}.before-{HEAD}"))
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(Path(__file__).with_name("migrations")))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
