"""Defects that once lived through every test: sides, papers, units, order and ends, each by its absolute value."""

from __future__ import annotations

import io
from dataclasses import fields, replace
from datetime import date
from pathlib import Path

import pytest
from pypdf import PdfReader
from reasoned import KNOWLEDGE, LEFT, RIGHT, both, case

from tuning.core.day_list_entry import Digest, ListPriority, Overview
from tuning.core.errors import EnvironmentFault
from tuning.core.reports import sections
from tuning.core.reports.content import Audience, Section, TableRow
from tuning.core.reports.material_of import material_of
from tuning.core.types import Role, Side
from tuning.exchange.archive.pseudonyms import DROPPED, GOES, MARKED, pseudonymised
from tuning.exchange.pdf.sheet import PatientSheet, SheetItem, write_sheet
from tuning.records.encrypted_files import BLOCK, EncryptedWriter, opened
from tuning.records.entry_codec import KINDS
from tuning.ui.people_list import ORDERS, PersonLine


def text_of(path: Path) -> str:
    return " ".join(" ".join(page.extract_text().split()) for page in PdfReader(path).pages)


@pytest.mark.parametrize("weaker", [LEFT, RIGHT])
def test_each_side_stands_in_its_own_column_of_the_letter(weaker):
    force = {weaker: 111.0, weaker.other: 222.0}
    made = material_of(case(*both("hip-abd", force[LEFT], force[RIGHT])), KNOWLEDGE, "", Role.CLINICIAN, "R. Falk")
    [section] = [s for s in sections.build_report(made, KNOWLEDGE.reports, KNOWLEDGE.reports.kinds["measured"]).sections
                 if s.lines]  # fmt: skip
    columns = {name.split(",")[0].split(" ")[0].casefold(): n for n, name in enumerate(section.head)}
    [row] = [line.cells for line in section.lines if line.cells[1] == KNOWLEDGE.measures["hip-abd"].name]
    for side, value in force.items():
        assert f"{value:.0f}" in row[columns[side.value]], (section.head, row)


def test_a_row_of_a_table_with_a_forbidden_word_is_left_out_and_told(monkeypatch):
    made = material_of(case(*both("hip-abd", 100, 200)), KNOWLEDGE, "", Role.CLINICIAN, "R. Falk")
    rows = (TableRow(("Knee", "torn meniscus"), ("u",)), TableRow(("Knee", "bends 120°"), ("u",)))
    table = Section("measured", "Both sides", head=("a", "b"), lines=rows)
    monkeypatch.setitem(sections.WRITERS, "measured", lambda w: table)
    report = sections.build_report(made, KNOWLEDGE.reports, KNOWLEDGE.reports.kinds["measured"], Audience.COLLEAGUE)
    assert [line.cells[1] for s in report.sections for line in s.lines if s.id == "measured"] == ["bends 120°"]
    assert any("torn" in told for told in report.left_out)


def sheet_of(rung, side: Side, **more) -> PatientSheet:
    item = SheetItem(rung, rung.dose, side, ())
    return PatientSheet("Ada", date(2026, 11, 24), "R. Falk", (item,), (), "Stop.", "Clear floor.", 2, "Scope.", **more)


@pytest.mark.parametrize("poorer", [LEFT, RIGHT])
def test_the_extra_set_stands_beside_the_poorer_leg(tmp_path, poorer):
    rung = KNOWLEDGE.rung("sd-1-hold-taps")
    write_sheet(sheet_of(replace(rung, dose=replace(rung.dose, extra=1)), poorer), tmp_path / "sheet.pdf")
    text = text_of(tmp_path / "sheet.pdf")
    assert f"start with the {poorer.value} leg, plus one extra set on that leg" in text
    assert f"start with the {poorer.other.value}" not in text


@pytest.mark.parametrize(("paper", "size"), [("A4", (595, 842)), ("Letter", (612, 792))])
def test_the_paper_that_was_chosen_is_the_paper(tmp_path, paper, size):
    write_sheet(sheet_of(KNOWLEDGE.rung("sd-1-hold-taps"), LEFT, paper=paper), tmp_path / "sheet.pdf")
    box = PdfReader(tmp_path / "sheet.pdf").pages[0].mediabox
    assert (round(float(box.width)), round(float(box.height))) == size


def test_the_limits_the_telephone_and_the_cautions_of_this_person_stand_on_the_sheet(tmp_path):
    rung = KNOWLEDGE.rung("sd-1-hold-taps")
    care = ("falls or dizziness: rail in reach",)
    item = SheetItem(rung, rung.dose, LEFT, (), checks=("Pelvis level",), cautions=care)
    made = sheet_of(rung, LEFT, limits="left: knee flexion to 70°", clinic="Harbour clinic", telephone="555 01 02")
    write_sheet(replace(made, items=(item,)), tmp_path / "sheet.pdf")
    text = text_of(tmp_path / "sheet.pdf")
    for words in ("knee flexion to 70°", "555 01 02", "Harbour clinic", "pelvis level", *care):
        assert words in text, words


def test_the_most_urgent_stands_first_on_the_day_list():
    somebody, today = Digest(case().patient), date(2026, 12, 1)
    lines = [
        PersonLine(somebody, Overview(None, need, "", None, None), today) for need in sorted(ListPriority, reverse=True)
    ]
    ranked = [line.told.need for line in sorted(lines, key=ORDERS["by need"])]
    assert ranked == list(ListPriority) and (ranked[0], ranked[-1]) == (ListPriority.EMERGENCY, ListPriority.NOTHING)


@pytest.mark.parametrize("tail", [b"\0", b"x" * 100])
@pytest.mark.parametrize("size", [5000, BLOCK])
def test_bytes_behind_a_sealed_file_are_damage(tail, size):
    """A last block that is full is read without them."""
    key, out = b"k" * 32, io.BytesIO()
    sealer = EncryptedWriter(out, key)
    sealer.write(b"w" * size)
    sealer.close()
    assert b"".join(opened(io.BytesIO(out.getvalue()), key)) == b"w" * size
    with pytest.raises(EnvironmentFault):
        list(opened(io.BytesIO(out.getvalue() + tail), key))


STAYS = {
    "observation": set(), "capture": {"reason"}, "track": {"plates"}, "treatment": set(), "screen": set(),
    "plan": {"checks", "why"}, "done": {"reason"}, "answer": {"capture"},
}  # fmt: skip
"""Fields that never leave, beside those that are said to be left out."""


@pytest.mark.parametrize("kind", sorted(set(KINDS) - set(DROPPED)))
def test_every_field_of_every_kind_either_may_leave_or_stays(kind):
    from tuning.core.types import Entry

    own = {f.name for f in fields(KINDS[kind])} - {f.name for f in fields(Entry)} - {"medium", "places"}
    known = set(GOES[kind]) | set(MARKED.get(kind, ())) | STAYS.get(kind, set())
    assert own == known, own ^ known


def test_words_of_a_closed_goal_do_not_travel():
    head = {"uid": "e", "visit": "v", "at": "2026-03-01 09:00:00.000000", "person": "u", "medium": None, "replaces": "",
            "struck_at": None}  # fmt: skip
    goal = {"subject": "goal-closed", "outcome": "closed", "inputs": {"activity": "sing at Hilde's"}, "reason": "moves"}
    gone = {"subject": "discharge", "outcome": "discharged", "inputs": {"missing": ["goal open: sing at Hilde's"]}}
    other = {"subject": "of another version", "outcome": "Hilde"}
    data = {
        "patient": {"uid": "p", "name": "Ada", "birth_date": "1980-01-01", "created_at": head["at"], "created_by": "u",
                    "body_mass_kg": None, "stature_m": None},
        "people": [], "visits": [], "media": [],
        "entries": [{**head, "kind": "decision", "body": body} for body in (goal, gone, other)],
    }  # fmt: skip
    made = pseudonymised(data, b"secret")
    assert "Hilde" not in str(made) and "sing" not in str(made)
    assert [e["body"]["outcome"] for e in made["entries"]] == ["closed", "discharged"]
