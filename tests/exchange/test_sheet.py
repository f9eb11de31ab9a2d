"""The patient sheet as a PDF that others can read."""

import os
from dataclasses import replace
from datetime import date
from pathlib import Path

import pytest
from pypdf import PdfReader

from tuning.core.errors import EnvironmentFault
from tuning.core.types import Side
from tuning.exchange.pdf.sheet import PatientSheet, SheetItem, write_sheet
from tuning.knowledge import load

KNOWLEDGE = load()


def sheet(rungs, **more) -> PatientSheet:
    cautions = KNOWLEDGE.cautions
    items = tuple(SheetItem(r, r.dose, Side.LEFT, tuple(KNOWLEDGE.faults[f] for f in r.faults)) for r in rungs)
    return PatientSheet(
        "Pia <Lund> & Søn", date(2026, 11, 24), "R. Falk", items, ("We saw: the left knee moves <inward>.",),
        cautions.stop_now, cautions.setting, 2, cautions.scope, **more,
    )  # fmt: skip


def text_of(path: Path) -> str:
    return " ".join(" ".join(page.extract_text().split()) for page in PdfReader(path).pages)


TECHNICAL = ("practice judgement", "editable", "error", "°", "Nm", "knee demand", "SEM", "±")


@pytest.mark.parametrize("paper", ["A4", "Letter"])
@pytest.mark.parametrize("count", [1, 2, 3])
def test_up_to_three_exercises_stand_on_one_page_in_everyday_words(tmp_path: Path, count, paper):
    rungs = KNOWLEDGE.ladders["stepdown"].rungs[:count]
    told = {"limits": "left: knee flexion to 90°; right: nothing fast", "clinic": "Harbour clinic", "telephone": "5550"}
    full = sheet(rungs, paper=paper, **told)
    items = tuple(replace(one, checks=("rail in reach",), cautions=("falls: chair by the wall",)) for one in full.items)
    write_sheet(replace(full, items=items, found=full.found * 3), tmp_path / "sheet.pdf")
    text = text_of(tmp_path / "sheet.pdf")
    pages = PdfReader(tmp_path / "sheet.pdf").pages
    assert len(pages) == 1
    assert [round(float(v)) for v in pages[0].mediabox[2:]] == ([595, 842] if paper == "A4" else [612, 792])
    assert "Pia <Lund> & Søn" in text and "24 November 2026" in text and "moves <inward>" in text
    for rung in rungs:
        for part in (rung.name, rung.dose.text, *rung.steps_for(Side.LEFT)):
            assert part in text, part
    assert KNOWLEDGE.cautions.stop_now in text and KNOWLEDGE.cautions.scope in text and "Next visit" in text
    assert not [word for word in TECHNICAL if word in text.replace("90°", "")]
    assert all(words in text for words in (*told.values(), "rail in reach", "chair by the wall"))


def test_all_that_is_to_be_watched_and_a_box_for_each_of_fourteen_days(tmp_path: Path):
    rung = KNOWLEDGE.ladders["stepdown"].rungs[0]
    write_sheet(sheet([rung]), tmp_path / "sheet.pdf")
    text = text_of(tmp_path / "sheet.pdf")
    cues = [KNOWLEDGE.faults[f].cue for f in rung.faults]
    assert all(cue[1:] in text for cue in cues)
    assert all(text.count(day) >= 2 for day in ("Mo", "Tu", "We", "Th", "Fr", "Sa", "Su"))


def test_large_print_gives_every_exercise_a_page_and_larger_letters(tmp_path: Path):
    rungs = KNOWLEDGE.ladders["stepdown"].rungs[:3]
    sizes = {}
    for large in (False, True):
        write_sheet(sheet(rungs, large=large), tmp_path / "sheet.pdf")
        found: list[float] = []
        for page in PdfReader(tmp_path / "sheet.pdf").pages:
            page.extract_text(visitor_text=lambda text, _, tm, __, size, f=found: f.append(size * abs(tm[3]) or size)
                              if "You should feel" in text else None)  # fmt: skip
        sizes[large] = min(found)
    assert len(PdfReader(tmp_path / "sheet.pdf").pages) >= 3 and sizes[True] >= 14 > sizes[False]


def test_four_exercises_go_on_on_a_second_page(tmp_path: Path):
    write_sheet(sheet(KNOWLEDGE.ladders["stepdown"].rungs[:4]), tmp_path / "sheet.pdf")
    assert len(PdfReader(tmp_path / "sheet.pdf").pages) == 2


@pytest.mark.parametrize("side", [Side.LEFT, Side.RIGHT])
def test_the_leg_to_start_with_is_the_one_that_was_prescribed(tmp_path: Path, side: Side):
    made = sheet(KNOWLEDGE.ladders["stepdown"].rungs[:1])
    write_sheet(replace(made, items=(replace(made.items[0], first_side=side),)), tmp_path / "sheet.pdf")
    text = text_of(tmp_path / "sheet.pdf")
    assert f"start with the {side.value} leg" in text and f"start with the {side.other.value} leg" not in text


def test_a_folder_that_refuses_leaves_nothing_half_written(tmp_path: Path):
    target = tmp_path / "sheet.pdf"
    target.write_bytes(b"the old sheet")
    with pytest.raises(EnvironmentFault, match="record is unchanged"):
        write_sheet(sheet([]), tmp_path / "no such folder" / "sheet.pdf")
    write_sheet(sheet([]), target)
    assert target.read_bytes().startswith(b"%PDF")
    assert os.listdir(tmp_path) == ["sheet.pdf"]
