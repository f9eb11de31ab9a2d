"""What every printed page shares: typeface, styles, and writing complete or not at all."""

from __future__ import annotations

from importlib.resources import files
from io import BytesIO
from pathlib import Path
from typing import Any

from reportlab import rl_config
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import SimpleDocTemplate

from tuning.exchange.files import write_whole

rl_config.useA85 = False  # written as letters, pictures would take a quarter more room and most of the time of a report

INK, MUTED, LINE, WASH, PALE = (HexColor(c) for c in ("#1F2A33", "#5B6670", "#D8D2C4", "#E6E1D3", "#F5F2EA"))
WORKING, FELT = HexColor("#CFC6AE"), HexColor("#8FB4B5")
"""The working leg, and where an exercise should be felt."""


class BodyFont(TTFont):  # type: ignore[misc]
    """The shipped typeface, never shaped: its ligatures would make "fi" one sign that a reader cannot search for.

    Paragraphs in it may hold runs of other typefaces, and those are shaped; see `scripts`.
    """

    def hbFont(self, size: float) -> None:
        """ReportLab leaves a word alone whose typeface has none."""
        raise AttributeError("not shaped")


def fonts() -> None:
    """Make the shipped typeface known."""
    folder = Path(str(files("tuning"))) / "fonts"
    for name, file in (("Body", "Lato-Regular"), ("BodyBold", "Lato-Bold")):
        if name not in pdfmetrics.getRegisteredFontNames():
            pdfmetrics.registerFont(BodyFont(name, str(folder / f"{file}.ttf")))
    pdfmetrics.registerFontFamily("Body", normal="Body", bold="BodyBold", italic="Body", boldItalic="BodyBold")


def style(size: float, bold: bool = False, colour: Any = INK, after: float = 2) -> ParagraphStyle:
    """A paragraph style in the shipped typeface, size in points."""
    font = "BodyBold" if bold else "Body"
    return ParagraphStyle(
        f"{font}{size}{colour}",
        fontName=font,
        fontSize=size,
        leading=size * 1.35,
        textColor=colour,
        spaceAfter=after,
        shaping=1,
    )


def write_pdf(story: list[Any], target: Path, title: str, paper: tuple[float, float] = A4) -> None:
    """Lay out `story` into `target`, complete or not at all.

    Raises EnvironmentFault when the folder cannot take it.
    """
    whole = BytesIO()
    SimpleDocTemplate(
        whole,
        pagesize=paper,
        leftMargin=18 * mm,
        rightMargin=18 * mm,
        topMargin=16 * mm,
        bottomMargin=16 * mm,
        title=title,
    ).build(story)
    write_whole(whole.getvalue(), target, "The page")
