"""The referral note: what was found, with its urgency and source, and nothing that sounds like a diagnosis."""

import os
from datetime import date
from pathlib import Path

import pytest
from pypdf import PdfReader

from tuning.core.errors import EnvironmentFault
from tuning.core.gate.triage import screen
from tuning.exchange.pdf.referral import Referral, write_referral
from tuning.knowledge import load

KNOWLEDGE = load()


def referral(**yes: bool) -> Referral:
    found = screen(KNOWLEDGE.safety, {key.replace("_", "-"): value for key, value in yes.items()}, 60)
    return Referral(
        "Pia Lund & Sons",
        date(1966, 5, 4),
        date(2026, 11, 25),
        "R. Falk",
        "licensed clinician",
        found.level.value,
        "Knee gave way on the slip <twice>",
        ("front of knee, left, now 6/10",),
        tuple((r.name, r.urgency.split(" ", 1)[1], r.source) for r in found.hits),
        "since Sunday",
        KNOWLEDGE.cautions.scope,
    )


def text_of(path: Path) -> str:
    return " ".join(" ".join(page.extract_text().split()) for page in PdfReader(path).pages)


def test_the_note_names_findings_urgency_and_source(tmp_path: Path):
    write_referral(referral(knee_injury=True, night=True), tmp_path / "note.pdf")
    text = text_of(tmp_path / "note.pdf")
    for part in (
        "Pia Lund & Sons", "born 4 May 1966", "Safety screen: RED", "Ottawa knee rule positive: same day (Stiell 1995)",
        "night pain: prompt", "slip <twice>", "front of knee, left, now 6/10", "since Sunday", "R. Falk",
        "does not diagnose",
    ):  # fmt: skip
        assert part in text
    assert text.index("Ottawa") < text.index("night pain"), "the most urgent stands first"


def test_a_folder_that_refuses_leaves_nothing_behind(tmp_path: Path):
    with pytest.raises(EnvironmentFault, match="record is kept"):
        write_referral(referral(calf=True), tmp_path / "none" / "note.pdf")
    assert os.listdir(tmp_path) == []
