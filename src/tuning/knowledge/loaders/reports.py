"""Reports: kinds, headings, forbidden words."""

from __future__ import annotations

from tuning.core.reports.content import SECTIONS, Audience, ReportTable
from tuning.knowledge.loaders.toml_reader import TomlReader

FILE = "reports.toml"


def load_reports(reading: TomlReader) -> ReportTable | None:
    """The table of reports; every kind names sections that exist, and every section has a heading."""
    table = reading.toml(reading.folder / FILE)
    kinds = {key: {"id": key, **kind} for key, kind in table.get("kinds", {}).items()}
    found = reading.structure({**table, "kinds": kinds}, ReportTable, FILE)
    if found is None:
        return None
    for kind in found.kinds.values():
        for section in kind.sections:
            if section not in SECTIONS:
                reading.wrong(FILE, f"{kind.id}: “{section}” is no section")
    for register in Audience:
        for section in SECTIONS:
            if section not in found.headings.get(register, {}):
                reading.wrong(FILE, f"headings.{register.value} has none for “{section}”")
    if "{word}" not in found.left_out:
        reading.wrong(FILE, "left_out must hold {word}")
    return found
