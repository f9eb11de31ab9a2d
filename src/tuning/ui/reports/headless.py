"""A report without a window: the same content, pictures and pages."""

from __future__ import annotations

from pathlib import Path

from tuning.core.case import Patient, Person
from tuning.core.errors import BadInput
from tuning.core.reports.content import Audience
from tuning.knowledge import load
from tuning.records import Record
from tuning.ui import theme
from tuning.ui.reports.report_service import ReportMaker
from tuning.ui.workspace import Workspace


def write_alone(record: Record, patient: Patient, person: Person, kind: str, register: str, target: Path) -> None:
    """Write a report about a person's newest visit as PDF or HTML, by the ending. Raises TuningError."""
    from tuning.exchange.html.report import write_html
    from tuning.exchange.pdf.report import write_report

    visits = record.visits(patient)
    if not visits:
        raise BadInput(f"{patient.name} has no visit yet.")
    theme.load_fonts()
    space = Workspace(record, load())
    try:
        space.person = person
        space.case = record.case(patient.uid, visits[-1].uid)
        maker = ReportMaker(space)
        known = {one.id: one for one in maker.kinds}
        if kind not in known:
            raise BadInput(f"“{kind}” is no kind of report; one of {', '.join(known)}.")
        report = maker.report(known[kind], Audience(register))
        images = maker.images(report)
        if target.suffix == ".html":
            write_html(report, images, target)
        else:
            write_report(report, images, target, maker.paper)
    finally:
        space.stop()
