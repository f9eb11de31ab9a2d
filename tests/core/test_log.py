"""Notes, treatments between two measurements, and what was agreed to."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta

import pytest

from tuning.core.case import Case, Patient, Visit
from tuning.core.entries import Capture, Form, Medium, Note, Purpose, Treatment
from tuning.core.errors import BadInput, Refused
from tuning.core.intake.consent import CONSENT, check_pictures, film_refused, newest
from tuning.core.types import Side
from tuning.core.visit.notes import make_note, make_treatment, treatment_text, treatments_between

NOON = datetime(2026, 3, 1, 12, tzinfo=UTC)


def minute(n: int) -> datetime:
    return NOON + timedelta(minutes=n)


def case_of(*entries) -> Case:
    patient = Patient("p", "Ida Moen", NOON.date(), "f", 70.0, 1.7, "right", "right", "", Side.NONE)
    visit = Visit("v", "p", NOON)
    return Case(patient, (visit,), visit, tuple(entries), 1)


def test_only_what_was_done_between_two_moments_is_named_whichever_comes_first():
    done = [replace(Treatment(f"t{n}", n + 1.0), at=minute(n)) for n in range(5)]
    case = case_of(*done)
    assert [t.what for t in treatments_between(case, minute(1), minute(3))] == ["t2", "t3"]
    assert treatments_between(case, minute(3), minute(1)) == treatments_between(case, minute(1), minute(3))
    assert treatments_between(case, minute(4), minute(9)) == []


@pytest.mark.parametrize(
    ("what", "minutes", "by", "line"),
    [
        ("calf released", "10", "R. Falk", "calf released, 10 min, by R. Falk"),
        (" heel wedge ", "2,5 min", "", "heel wedge, 2.5 min, by Dr. Lind"),
        ("breathing drill", "", "", "breathing drill, by Dr. Lind"),
    ],
)
def test_a_treatment_is_told_in_one_line(what, minutes, by, line):
    assert treatment_text(replace(make_treatment(what, minutes, by), who="Dr. Lind")) == line


@pytest.mark.parametrize(
    ("what", "minutes"), [("", "5"), ("x", "0"), ("x", "-3"), ("x", "601"), ("x", "soon"), ("x", "5 h")]
)
def test_what_says_nothing_or_cannot_be_is_refused(what, minutes):
    with pytest.raises(BadInput):
        make_treatment(what, minutes, "")
    with pytest.raises(BadInput):
        make_note("strength", "  ")
    assert make_note("strength", " sore \n") == Note("strength", "sore")


def test_pictures_wait_for_who_did_not_agree_and_for_nobody_else():
    picture = Capture(Medium("m", "0" * 64, ".mp4", "walk.mp4", 1), Purpose.PICTURE, "rear")
    plates = replace(picture, purpose=Purpose.PLATES)
    said = lambda word: Form(CONSENT, {"film": word})  # noqa: E731
    for forms in ([], [said("yes")], [said("not asked")], [said("no"), said("yes")], [Form("other", {"film": "no"})]):
        check_pictures(forms, [picture])
        assert film_refused(newest(forms)) == ""
    for forms in ([said("no")], [said("yes"), said("no"), Form("other", {})]):
        with pytest.raises(Refused, match="did not agree to pictures"):
            check_pictures(forms, [plates, picture])
        check_pictures(forms, [plates])
