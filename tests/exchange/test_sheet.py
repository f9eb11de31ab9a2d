"""The patient sheet as a PDF that others can read."""

import os
from dataclasses import replace
from datetime import date
from pathlib import Path

import numpy as np
import pytest
from pypdf import PdfReader

from tuning.core.errors import EnvironmentFault
from tuning.core.judging.comparison import compare_sides, judge_value
from tuning.core.types import NotMeasured, Observation, Side
from tuning.exchange.pdf.sheet import Sheet, SheetItem, write_sheet
from tuning.exchange.pdf.values import Values, write_values
from tuning.knowledge import load

KNOWLEDGE = load()


def sheet(rungs, **more) -> Sheet:
    cautions = KNOWLEDGE.cautions
    items = tuple(SheetItem(r, r.dose, Side.LEFT, tuple(KNOWLEDGE.faults[f] for f in r.faults)) for r in rungs)
    return Sheet(
        "Pia <Lund> & Søn", date(2026, 11, 24), "R. Falk", items, ("We saw: the left knee moves <inward>.",),
        cautions.stop_now, cautions.setting, cautions.pain_limit, cautions.scope, **more,
    )  # fmt: skip


def values(*rows) -> Values:
    return Values("Pia <Lund> & Søn", date(2026, 11, 24), "R. Falk", rows, KNOWLEDGE.cautions.scope)


def text_of(path: Path) -> str:
    return " ".join(" ".join(page.extract_text().split()) for page in PdfReader(path).pages)


TECHNICAL = ("practice judgement", "editable", "error", "°", "Nm", "knee demand", "SEM", "±")


@pytest.mark.parametrize("paper", ["A4", "Letter"])
@pytest.mark.parametrize("count", [1, 2, 3])
def test_up_to_three_exercises_stand_on_one_page_in_everyday_words(tmp_path: Path, count, paper):
    rungs = KNOWLEDGE.ladders["stepdown"].rungs[:count]
    write_sheet(sheet(rungs, paper=paper), tmp_path / "sheet.pdf")
    text = text_of(tmp_path / "sheet.pdf")
    pages = PdfReader(tmp_path / "sheet.pdf").pages
    assert len(pages) == 1
    assert [round(float(v)) for v in pages[0].mediabox[2:]] == ([595, 842] if paper == "A4" else [612, 792])
    assert "Pia <Lund> & Søn" in text and "24 November 2026" in text and "moves <inward>" in text
    for rung in rungs:
        for part in (rung.name, rung.dose.text, *rung.steps_for(Side.LEFT)):
            assert part in text, part
    assert KNOWLEDGE.cautions.stop_now in text and KNOWLEDGE.cautions.scope in text and "Next visit" in text
    assert not [word for word in TECHNICAL if word in text]


def test_no_more_than_three_things_to_watch_and_a_box_for_each_of_fourteen_days(tmp_path: Path):
    rung = KNOWLEDGE.ladders["stepdown"].rungs[0]
    write_sheet(sheet([rung]), tmp_path / "sheet.pdf")
    text = text_of(tmp_path / "sheet.pdf")
    cues = [KNOWLEDGE.faults[f].cue for f in rung.faults]
    assert sum(cue[1:] in text for cue in cues) == 3 < len(cues)
    assert all(text.count(day) >= 2 for day in ("Mo", "Tu", "We", "Th", "Fr", "Sa", "Su"))


def test_large_print_gives_every_exercise_a_page_and_larger_letters(tmp_path: Path):
    rungs = KNOWLEDGE.ladders["stepdown"].rungs[:3]
    sizes = {}
    for large in (False, True):
        write_sheet(sheet(rungs, large=large), tmp_path / "sheet.pdf")
        found: list[float] = []
        for page in PdfReader(tmp_path / "sheet.pdf").pages:
            page.extract_text(visitor_text=lambda text, _, tm, __, size, f=found: f.append(size * abs(tm[3]) or size)
                              if "Feel it in" in text else None)  # fmt: skip
        sizes[large] = min(found)
    assert len(PdfReader(tmp_path / "sheet.pdf").pages) >= 3 and sizes[True] >= 14 > sizes[False]


def test_four_exercises_go_on_on_a_second_page(tmp_path: Path):
    write_sheet(sheet(KNOWLEDGE.ladders["stepdown"].rungs[:4]), tmp_path / "sheet.pdf")
    assert len(PdfReader(tmp_path / "sheet.pdf").pages) == 2


def test_measures_carry_unit_side_verdict_and_error(tmp_path: Path):
    def seen(side, value):
        trials = np.full(3, value) if isinstance(value, float) else np.empty(0)
        return Observation("hip-abd", side, value, trials, "mean")

    measure = KNOWLEDGE.measures["hip-abd"]
    told = compare_sides(measure, seen(Side.LEFT, 120.0), seen(Side.RIGHT, 200.0))
    refused = NotMeasured("pain", "stopped for pain")
    untold = compare_sides(measure, seen(Side.LEFT, refused), seen(Side.RIGHT, 200.0))
    write_values(values(told, untold), tmp_path / "sheet.pdf")
    text = text_of(tmp_path / "sheet.pdf")
    assert "120 N" in text and "200 N" in text and "marked: left lower by 40 % of stronger" in text
    assert f"error ±{told.verdict.e:.0f} %" in text and "stopped for pain" in text


def places(path: Path, wanted: str) -> list[float]:
    """How far from the left edge a text stands, points."""
    found: list[float] = []
    for page in PdfReader(path).pages:
        page.extract_text(visitor_text=lambda text, cm, tm, *_: found.append(tm[4] + cm[4]) if wanted in text else None)
    return found


def test_values_stand_under_their_leg_and_a_tilt_under_the_higher_side(tmp_path: Path):
    def at(row, text: str) -> float:
        write_values(values(row), tmp_path / "sheet.pdf")
        return places(tmp_path / "sheet.pdf", text)[0]

    abd, tilt = KNOWLEDGE.measures["hip-abd"], KNOWLEDGE.measures["gait-pelvic-tilt"]
    seen = lambda m, side, v: Observation(m.id, side, v, np.full(3, v), "mean")  # noqa: E731
    pair = lambda left, right: compare_sides(abd, seen(abd, Side.LEFT, left), seen(abd, Side.RIGHT, right))  # noqa: E731
    left, right = at(pair(111.0, 222.0), "111 N"), at(pair(111.0, 222.0), "222 N")
    assert left < right and (at(pair(222.0, 111.0), "222 N"), at(pair(222.0, 111.0), "111 N")) == (left, right)
    high_left, high_right = (judge_value(tilt, seen(tilt, Side.NONE, v)) for v in (-9.0, 9.0))
    assert at(high_left, "9.0°") == left and at(high_right, "9.0°") == right


@pytest.mark.parametrize("side", [Side.LEFT, Side.RIGHT])
def test_the_leg_to_start_with_is_the_one_that_was_prescribed(tmp_path: Path, side: Side):
    made = sheet(KNOWLEDGE.ladders["stepdown"].rungs[:1])
    write_sheet(replace(made, items=(replace(made.items[0], first_side=side),)), tmp_path / "sheet.pdf")
    text = text_of(tmp_path / "sheet.pdf")
    assert f"start with the {side.value} leg" in text and f"start with the {side.other.value} leg" not in text


def test_a_folder_that_refuses_leaves_nothing_half_written(tmp_path: Path):
    target = tmp_path / "sheet.pdf"
    target.write_bytes(b"the old sheet")
    with pytest.raises(EnvironmentFault, match="record is kept"):
        write_sheet(sheet([]), tmp_path / "no such folder" / "sheet.pdf")
    write_sheet(sheet([]), target)
    assert target.read_bytes().startswith(b"%PDF")
    assert os.listdir(tmp_path) == ["sheet.pdf"]
