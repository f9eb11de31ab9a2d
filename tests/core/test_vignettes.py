"""Triage on people as they come: what is told and measured, and how soon somebody has to look.

Written from the table of the assessment before the rules were. Each row stands beside one that differs by one fact.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import pytest

from tuning.core.case import Case, Patient, Visit
from tuning.core.entries import Answer, Clearance, Screen
from tuning.core.gate.open_findings import standing_of
from tuning.core.gate.triage import screen, screen_entry
from tuning.core.types import Observation, Setup, Side, Triage
from tuning.knowledge import load

KNOWLEDGE = load()
SAFETY = KNOWLEDGE.safety
DAY = datetime(2026, 11, 20, 9, tzinfo=UTC)
EMERGENCY, SAME_DAY, PROMPT, KNOWN, LOOK = (
    "1 emergency",
    "2 same day",
    "3 prompt",
    "4 known limit",
    "5 have it looked at",
)

# age | answered yes | measured | level | urgency of what comes first
TABLE = """
 45 | | | NONE |
 45 | saddle | | RED | 1 emergency
 45 | bladder | | RED | 1 emergency
 45 | both-legs | | AMBER | 3 prompt
 45 | both-legs saddle | | RED | 1 emergency
 45 | both-legs bladder | | RED | 1 emergency
 45 | spreading | | RED | 1 emergency
 45 | chest | | RED | 1 emergency
 45 | cold-foot | | RED | 1 emergency
 45 | compartment | | RED | 1 emergency
 45 | deformity | | RED | 1 emergency
 45 | hot-joint | | RED | 2 same day
 45 | hot-joint fever | | RED | 1 emergency
 45 | wound | | RED | 2 same day
 45 | replacement | | RED | 2 same day
 45 | hot-foot | | RED | 2 same day
 45 | foot-drop | | RED | 2 same day
 45 | calf | | AMBER | 3 prompt
 45 | calf calf-breath | | RED | 1 emergency
 45 | calf calf-unexplained | | RED | 2 same day
 45 | calf calf-still | | RED | 2 same day
 45 | calf calf-cancer | | RED | 2 same day
 45 | calf cancer | | RED | 2 same day
 45 | calf calf-clot | | RED | 2 same day
 45 | calf calf-whole | | RED | 2 same day
 45 | calf | calf-bulk 39.0 35.5 left | RED | 2 same day
 45 | calf | calf-bulk 35.5 39.0 left | AMBER | 3 prompt
 45 | calf | calf-bulk 38.0 35.5 left | AMBER | 3 prompt
 45 | | calf-bulk 39.0 35.5 left | RED | 2 same day
 45 | | calf-bulk 39.0 36.1 left | NONE |
 45 | | calf-bulk 35.5 39.0 left | NONE |
 45 | | calf-bulk 35.5 39.0 right | RED | 2 same day
 45 | | calf-bulk 35.5 39.0 none | RED | 2 same day
 45 | knee-injury | | NONE |
 55 | knee-injury | | RED | 2 same day
 54 | knee-injury | | NONE |
 45 | knee-injury knee-patella | | RED | 2 same day
 45 | knee-injury knee-fibula | | RED | 2 same day
 45 | knee-injury knee-bend | | RED | 2 same day
 45 | knee-injury knee-steps | | RED | 2 same day
 45 | knee-injury knee-swelled | | RED | 2 same day
 45 | knee-injury knee-patella knee-old | | NONE | 5 have it looked at
 45 | knee-injury knee-swelled knee-old | | NONE | 5 have it looked at
 60 | knee-injury | | RED | 2 same day
 60 | knee-injury knee-old | | NONE | 5 have it looked at
 45 | knee-injury knee-steps knee-old | | RED | 2 same day
 45 | knee-injury knee-old locked | | RED | 2 same day
 45 | ankle-injury ankle-pain | | NONE |
 45 | ankle-injury ankle-bone | | NONE |
 45 | ankle-injury ankle-pain ankle-bone | | RED | 2 same day
 45 | ankle-injury ankle-pain ankle-steps | | RED | 2 same day
 45 | ankle-injury ankle-steps | | RED | 2 same day
 45 | ankle-injury midfoot-pain | | NONE |
 45 | ankle-injury midfoot-pain midfoot-bone | | RED | 2 same day
 45 | ankle-injury ankle-pain ankle-bone ankle-old | | NONE | 5 have it looked at
 45 | ankle-injury ankle-pain ankle-steps ankle-old | | RED | 2 same day
 45 | other-injury | | NONE |
 45 | other-injury other-steps | | RED | 2 same day
 65 | fall | | RED | 2 same day
 64 | fall | | NONE |
 45 | locked | | RED | 2 same day
 45 | patella-out | | RED | 2 same day
 45 | no-lift | | RED | 2 same day
 45 | heel-snap | | RED | 2 same day
 45 | heel-snap push-off | | RED | 2 same day
 45 | trauma | | AMBER | 3 prompt
 30 | focal | | AMBER | 3 prompt
 30 | impact | | AMBER | 3 prompt
 30 | impact soft | | NONE |
 30 | each-start soft | | NONE |
 30 | night-load soft | | NONE |
 30 | impact night-load each-start soft | | NONE |
 30 | focal impact | | RED | 2 same day
 30 | focal night-load | | RED | 2 same day
 30 | focal each-start | | RED | 2 same day
 30 | focal low-energy | | RED | 2 same day
 30 | low-energy | | NONE |
 30 | impact night-load | | AMBER | 3 prompt
 30 | impact low-energy soft | | NONE |
 30 | impact low-energy | | AMBER | 3 prompt
 30 | thigh-hop | | RED | 2 same day
 30 | groin-bone | | RED | 2 same day
 30 | groin-bone pregnant | | RED | 2 same day
 12 | limp | | RED | 2 same day
 16 | limp | | NONE |
 15 | limp | | RED | 2 same day
 13 | young-pain | | NONE | 5 have it looked at
 13 | young-pain lost-turn | | RED | 2 same day
 17 | young-pain foot-out | | RED | 2 same day
 18 | young-pain lost-turn | | NONE |
 7 | young-pain lost-turn | | NONE | 5 have it looked at
 17 | young-pain | hip-rotation-in 18 40 left | RED | 2 same day
 17 | young-pain | hip-rotation-in 38 40 left | NONE |
 17 | young-pain | hip-rotation-in 24 40 left | RED | 2 same day
 17 | young-pain | hip-rotation-in 28 40 left | NONE |
 17 | young-pain | hip-rotation-in 40 18 left | RED | 2 same day
 18 | young-pain | hip-rotation-in 18 40 left | NONE |
 17 | | hip-rotation-in 18 40 left | NONE |
 17 | | hip-rotation-in 18 40 left; pain-now 4 groin | RED | 2 same day
 24 | lump | | AMBER | 3 prompt
 25 | lump | | NONE |
 45 | night | | AMBER | 3 prompt
 45 | weight-loss | | AMBER | 3 prompt
 45 | cancer | | AMBER | 3 prompt
 45 | cancer night | | AMBER | 3 prompt
 45 | gait-hands | | AMBER | 3 prompt
 45 | tendon-drug | | AMBER | 3 prompt
 45 | pregnant | | AMBER | 4 known limit
 45 | bone | | AMBER | 4 known limit
 45 | heart | | AMBER | 4 known limit
 45 | dizzy | | AMBER | 4 known limit
 45 | surgeon limit-hip | | AMBER | 4 known limit
 45 | swells | | NONE | 5 have it looked at
 45 | flat-foot | | NONE | 5 have it looked at
 45 | unchanged | | NONE | 5 have it looked at
 45 | stiff | | NONE | 5 have it looked at
 10 | growth-pain | | NONE | 5 have it looked at
 16 | growth-pain | | NONE |
 45 | | neuro-look heels weak, new | RED | 2 same day
 45 | | neuro-look toes weak, new | RED | 2 same day
 45 | | neuro-look big-toe weak, new | RED | 2 same day
 45 | | neuro-look heels weak from pain | NONE |
 45 | | neuro-look heels weak, known before | NONE |
 45 | | neuro-look touch less | NONE | 5 have it looked at
 45 | | neuro-look touch normal | NONE |
"""
ROWS = [tuple(part.strip() for part in line.split("|")) for line in TABLE.strip().splitlines()]


def measured(text: str) -> tuple[Side, list]:
    """Entries for what was measured, and the side that hurts."""
    made, involved = [], Side.LEFT
    for part in filter(None, (p.strip() for p in text.split(";"))):
        words = part.split()
        if words[0] == "neuro-look":
            made.append(Answer("neuro-look", words[1], Side.LEFT, " ".join(words[2:])))
        elif words[0].startswith("pain"):
            made.append(
                Observation(measure_id=words[0], side=Side.LEFT, value=float(words[1]), setup=Setup(region=words[2]))
            )
        else:
            involved = Side(words[3])
            made += [Observation(measure_id=words[0], side=side, value=float(v))
                     for side, v in zip((Side.LEFT, Side.RIGHT), words[1:3], strict=True)]  # fmt: skip
    return involved, made


def case_of(age: int, yes: str, seen: str = "", more=(), visits: int = 1) -> Case:
    born = date(2026 - age, 1, 1)
    involved, values = measured(seen)
    patient = Patient("p", "Somebody", born, "female", None, None, "", "", "", involved)
    answers = {q.id: q.id in yes.split() for q in SAFETY.questions}
    assert set(yes.split()) <= set(answers), yes
    found = screen(SAFETY, answers, patient.age_on(DAY.date()))
    entries = [screen_entry(found, answers, "", "", DAY), *values, *more]
    made = [
        replace(one, uid=f"e{n}", visit=one.visit or f"v{visits}", at=DAY + timedelta(minutes=n))
        for n, one in enumerate(entries)
    ]
    all_visits = tuple(Visit(f"v{n}", "p", DAY - timedelta(days=30 * (visits - n))) for n in range(1, visits + 1))
    return Case(patient, all_visits, all_visits[-1], tuple(made), 0)


def judged(case: Case):
    """The level that stands, and the urgency of what comes first."""
    found = standing_of(case, SAFETY, DAY + timedelta(hours=1))
    rules = {rule.id: rule for rule in SAFETY.rules}
    looks = [rules[key].urgency for key in found.looks]
    return found.level, min([f.urgency for f in found.open] + looks, default="")


CARE = {Triage.NONE: 0, Triage.AMBER: 1, Triage.RED: 2}


@pytest.mark.parametrize("row", ROWS, ids=[f"{r[0]} {r[1] or '-'} {r[2]}" for r in ROWS])
def test_somebody_who_comes_so_is_seen_that_soon(row):
    age, yes, seen, level, urgency = row
    found = judged(case_of(int(age), yes, seen))
    assert found == (Triage(level), urgency), found


def test_there_are_enough_of_them_and_each_stands_beside_one_that_differs_by_a_fact():
    assert len(ROWS) >= 80
    facts = [{f"age {r[0]}", *r[1].split(), *filter(None, [r[2]])} for r in ROWS]
    alone = [
        r for n, r in enumerate(ROWS) if not any(k != n and len(facts[n] ^ facts[k]) <= 2 for k in range(len(ROWS)))
    ]
    assert not alone, alone
    assert Counter(r[3] for r in ROWS)["RED"] > 40


def test_the_page_of_the_vignettes_is_counted_from_them(monkeypatch):
    """Written by scripts/vignettes.py; with rules that raise nothing, what is RED is counted as too low."""
    import vignettes

    assert vignettes.TARGET.read_text() == vignettes.page()
    monkeypatch.setattr(vignettes, "judged", lambda _: (Triage.NONE, ""))
    row = next(r for r in ROWS if r[3] == "RED")
    assert vignettes.person(row) == "too low"


def test_a_known_gap_of_the_calves_is_no_news():
    before = [
        Observation(measure_id="calf-bulk", side=side, value=v, visit="v1")
        for side, v in ((Side.LEFT, 39.0), (Side.RIGHT, 35.5))
    ]
    assert judged(case_of(45, "", "calf-bulk 39.2 35.5 left", before, visits=2)) == (Triage.NONE, "")
    assert judged(case_of(45, "calf", "calf-bulk 39.2 35.5 left", before, visits=2)) == (Triage.RED, SAME_DAY)


def test_what_was_cleared_stays_so_until_a_new_or_worse_one_comes():
    lifted = Clearance("e0", "Dr Amundsen", DAY.date(), "scan clear", "girth")
    calm = judged(case_of(45, "", "calf-bulk 39.0 35.5 left", [lifted]))
    assert calm == (Triage.NONE, "")
    same = [Observation(measure_id="calf-bulk", side=Side.LEFT, value=39.1)]
    worse = [Observation(measure_id="calf-bulk", side=Side.LEFT, value=40.6)]
    assert judged(case_of(45, "", "calf-bulk 39.0 35.5 left", [lifted, *same]))[0] is Triage.NONE
    assert judged(case_of(45, "", "calf-bulk 39.0 35.5 left", [lifted, *worse]))[0] is Triage.RED


def screened(yes: str, **more) -> Screen:
    answers = {q.id: q.id in yes.split() for q in SAFETY.questions}
    return replace(screen_entry(screen(SAFETY, answers, 45), answers, "", "", DAY), **more)


def test_saving_todays_list_again_revives_nothing_and_a_new_yes_does():
    lifted = Clearance("e0", "Dr Amundsen", DAY.date(), "seen", "hot-joint")
    assert judged(case_of(45, "hot-joint", "", [lifted, screened("hot-joint")]))[0] is Triage.NONE
    assert judged(case_of(45, "hot-joint", "", [lifted, screened("hot-joint fever")]))[0] is Triage.RED
    assert judged(case_of(45, "hot-joint", "", [lifted, screened("hot-joint wound")]))[0] is Triage.RED
    assert judged(case_of(45, "hot-joint", "", [lifted, screened(""), screened("hot-joint")]))[0] is Triage.RED, (
        "no, then yes"
    )


def test_a_yes_of_a_later_visit_is_a_new_one_unless_it_is_said_to_be_the_same():
    first = replace(screened("hot-joint"), visit="v1")
    lifted = Clearance("e1", "Dr Amundsen", DAY.date(), "seen", "hot-joint", visit="v1")
    again = case_of(45, "", "", [], visits=2)

    def with_(*later):
        entries = [replace(e, uid=f"e{n}", at=DAY + timedelta(minutes=n), visit=e.visit or "v2")
                   for n, e in enumerate((first, lifted, *later))]  # fmt: skip
        return replace(again, entries=tuple(entries), _memo={})

    assert judged(with_(screened("hot-joint")))[0] is Triage.RED
    assert judged(with_(screened("hot-joint", same=("hot-joint",))))[0] is Triage.NONE
    assert judged(with_(Screen(Triage.NONE, again=True)))[0] is Triage.NONE


def test_the_legs_exchanged_are_triaged_alike():
    for seen in ("calf-bulk 39.0 35.5 left", "hip-rotation-in 18 40 left"):
        words = seen.split()
        other = f"{words[0]} {words[2]} {words[1]} right"
        assert judged(case_of(17, "young-pain", seen)) == judged(case_of(17, "young-pain", other))
