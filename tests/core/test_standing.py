"""Standing: photo measures against the mannequin, posture rules, foot score, the chain of levels."""

import math
from collections import Counter

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tuning.core.judging.verdict import error_of_value, split_sem, with_marking
from tuning.core.picture_views import PICTURE_KINDS
from tuning.core.pictures import marks
from tuning.core.pictures.marks import Level, LevelReference, PictureContext, Scale
from tuning.core.standing.level_suspicion import (
    Chain,
    Height,
    Levels,
    Tilt,
    is_sound,
    loading_agrees,
    low_hip,
    suspect,
)
from tuning.core.standing.photo_measures import foot_score_band
from tuning.core.standing.posture import Posture, SideLine, SpineCurve, posture_type
from tuning.core.types import Observation, Role, Side
from tuning.demo.stills import FRONT, REAR, Stander, Still, portrait, side_marks, standing
from tuning.knowledge import load

KNOWLEDGE = load()
CHAIN: Chain = KNOWLEDGE.chain
PICTURES = {"st-rear": ("rear", REAR), "st-front": ("front", FRONT), "st-side-r": ("right", side_marks("right"))}


def random_stander(rng):
    u = rng.uniform
    return Stander(
        left_low=u(-0.015, 0.015), heel_out_left=u(-4, 14), heel_out_right=u(-4, 14), pelvis_ahead=u(-0.03, 0.07),
        chest_behind=u(-0.03, 0.06), head_ahead=u(0, 0.07), spine_bend=u(-0.03, 0.03), shoulder_roll=u(-5, 5),
        blade_roll=u(-9, 9), head_roll=u(-6, 6), kneecap_in_left=u(-15, 25), kneecap_in_right=u(-15, 25),
        shift=u(-0.03, 0.03), stature=u(1.55, 1.9),
    )  # fmt: skip


def truth_in_space(body):
    """What the marks would say if they could be measured in the room itself: mm and degrees, from 3-D points."""
    p = body.points

    def mm(a, b, axis):
        return 1000 * (p[a][axis] - p[b][axis])

    def tilt(stem):
        return math.degrees(math.atan2(*reversed((p[f"{stem}_right"] - p[f"{stem}_left"])[:2])))

    def off_line(name):
        low, top, at = p["spine_low"], p["spine_top"], p[name]
        return 1000 * (at[0] - low[0] - (at[1] - low[1]) / (top[1] - low[1]) * (top[0] - low[0]))

    none = Side.NONE
    true = {("spine-line", none): off_line("spine_mid"), ("spine-shift", none): mm("spine_top", "spine_low", 0)}
    for stem, name in (
        ("knee-crease-level", "knee_back"), ("psis-level", "psis"), ("pelvis-crest-level", "crest"),
        ("asis-level", "asis"),
    ):  # fmt: skip
        true[stem, none] = mm(f"{name}_right", f"{name}_left", 1)
        true[f"{stem}-tilt", none] = tilt(name)
    true["scapula-height", none] = mm("blade_right", "blade_left", 1)
    for measure, stem in (("acromion-level", "acromion"), ("head-tilt", "ear"), ("shoulder-tilt", "shoulder")):
        true[measure, none] = tilt(stem)
    middle = (p["ankle_left"] + p["ankle_right"]) / 2
    for what, at in (("pelvis", (p["asis_left"] + p["asis_right"]) / 2), ("chest", p["notch"]), ("head", p["nose"])):
        true[f"plumb-front-{what}", none] = 1000 * (at - middle)[0]
    for side, sign in ((Side.LEFT, -1), (Side.RIGHT, 1)):
        true["scapula-distance", side] = sign * off_line(f"blade_{side}")
        calf, top, heel = (p[f"{n}_{side}"] for n in ("calf", "heel_top", "heel"))
        lean = [
            math.atan2(sign * (upper - lower)[0], (upper - lower)[1]) for upper, lower in ((calf, top), (top, heel))
        ]
        true["achilles-heel-tilt", side] = math.degrees(lean[0] - lean[1])
        cap, inner, outer = (p[f"{n}_{side}"][0] for n in ("kneecap", "knee_inner", "knee_outer"))
        hip, knee, ankle = (p[n][:2] for n in (f"asis_{side}", f"knee_inner_{side}", f"ankle_{side}"))
        knee = (knee + p[f"knee_outer_{side}"][:2]) / 2
        # Against the straight line from front spine to ankle: how far the knee lies inward, as two angles.
        upper = math.atan2(sign * (hip - knee)[0], (hip - knee)[1])
        lower = math.atan2(sign * (ankle - knee)[0], (knee - ankle)[1])
        true["static-knee-line", side] = math.degrees(upper + lower)
        true["kneecap-direction", side] = 200 * (cap - (inner + outer) / 2) / (inner - outer)
    for point, name in (
        ("knee", "knee_side"), ("hip", "trochanter"), ("shoulder", "acromion_side"), ("ear", "ear_side")
    ):  # fmt: skip
        true[f"plumb-side-{point}", Side.RIGHT] = mm(f"{name}_right", "malleolus_right", 2)
    return true


def ledger_error(reading):
    """The error that the ledger shows for one photograph."""
    measure = KNOWLEDGE.measures[reading.measure_id]
    sem = measure.sem_by.get("photo", measure.sem)
    return error_of_value(with_marking(split_sem(sem), reading.marking_sd), 1)


@pytest.mark.parametrize("kind", list(PICTURES))
def test_photographs_agree_with_the_room_within_the_error_that_is_shown(kind, capsys):
    view, marked = PICTURES[kind]
    inside, by_marks, count = Counter(), 0, Counter()
    for seed in range(60):
        rng = np.random.default_rng(900 + seed)
        body = standing(random_stander(rng), marked)
        still = Still("fresh", body, portrait(view, rng.uniform(-2.5, 2.5)), seed)
        hand = lambda at, rng=rng: at + rng.normal(0, 1.0, 2)  # noqa: E731
        plumb = [hand(at) for at in still.plumb_line()]
        *ends, length = still.known_length()
        context = PictureContext(LevelReference(Level.PLUMB, *plumb), Scale(hand(ends[0]), hand(ends[1]), length))
        places = still.truth()
        found = marks.read_marks(PICTURE_KINDS[kind], {n: hand(at) for n, at in places.items()}, context)
        exact = PictureContext(LevelReference(Level.PLUMB, *still.plumb_line()), Scale(*ends, length))
        at_truth = {(r.measure_id, r.side): r.value for r in marks.read_marks(PICTURE_KINDS[kind], places, exact)}
        true = truth_in_space(body)
        for reading in found:
            key = reading.measure_id, reading.side
            count[key[0]] += 1
            inside[key[0]] += abs(reading.value - true[key]) <= ledger_error(reading)
            by_marks += abs(reading.value - at_truth[key]) <= reading.expected_error
    with capsys.disabled():
        total = sum(count.values())
        print(f"\n{kind}: {100 * sum(inside.values()) / total:.1f} % inside the shown error, "
              f"{100 * by_marks / total:.1f} % inside the marking error, {total} readings")  # fmt: skip
    for measure in count:
        assert inside[measure] >= 0.95 * count[measure], (measure, inside[measure] / count[measure])
    assert by_marks >= 0.95 * total


OFFSET = st.floats(-120, 120).map(lambda v: round(v, 1))
CURVE = st.sampled_from(SpineCurve)


@given(OFFSET, OFFSET, OFFSET, OFFSET, CURVE, CURVE)
def test_posture_is_named_by_its_rule_and_by_nothing_else(knee, hip, shoulder, ear, upper, low):
    found, rule = posture_type(KNOWLEDGE.posture, SideLine(knee, hip, shoulder, ear, upper, low))
    sway = hip >= 30 and hip - shoulder >= 30
    assert (found is Posture.SWAY) == sway
    if found is Posture.IDEAL:
        assert max(abs(knee), abs(hip), abs(shoulder), abs(ear)) < 30
    if found is Posture.FLAT:
        assert low is SpineCurve.FLAT and abs(hip) < 30
    assert rule


@pytest.mark.parametrize(("hip", "shoulder", "posture"), [
    (30, 0, Posture.SWAY), (29.9, -5, Posture.IDEAL), (30, 0.1, Posture.NONE), (60, 30, Posture.SWAY),
])  # fmt: skip
def test_posture_boundaries(hip, shoulder, posture):
    assert posture_type(KNOWLEDGE.posture, SideLine(0, hip, shoulder, 0))[0] is posture


@given(st.integers(-12, 12))
def test_foot_score_bands_are_the_published_ones(total):
    published = {"highly pronated": range(10, 13), "pronated": range(6, 10), "neutral": range(6)}
    expected = next((name for name, totals in published.items() if total in totals), "supinated")
    assert foot_score_band(total) == expected


def test_a_foot_score_beyond_its_scale_is_refused():
    for total in (-13, 13):
        with pytest.raises(ValueError, match="-12 and"):
            foot_score_band(total)


@pytest.mark.parametrize(("value", "unit", "grade"), [
    (0.99, "°", 0), (1, "°", 1), (-2.9, "°", 1), (3, "°", 2), (6, "°", 3), (4.9, "mm", 0), (-10, "mm", 2),
    (20, "mm", 3),
])  # fmt: skip
def test_grades_stand_at_their_edges(value, unit, grade):
    assert CHAIN.grade_of(value, unit) == grade


# the chain of levels


def looks(crease, psis, sitting=0.0, arch=(0, 0), error=11.0):
    crease, psis, sitting = (Height(mm, error, CHAIN.level_below_mm) for mm in (crease, psis, sitting))
    return Levels(crease, psis, sitting, arch)


@pytest.mark.parametrize(
    ("levels", "row", "low"),
    [
        (looks(14, 9, 0, (2, 0)), "arch-lowers", Side.LEFT),
        (looks(-14, -9, 0, (0, 2)), "arch-lowers", Side.RIGHT),
        (looks(14, 9, 0, (0, 2)), "shorter-below", Side.LEFT),
        (looks(14, 0, 0, (2, 0)), "arch-unresolved", Side.LEFT),
        (looks(14, 0), "leg-unresolved", Side.LEFT),
        (looks(24, 0, 0, (2, 0)), "arch-evened", Side.LEFT),
        (looks(24, 0), "thigh-evens", Side.LEFT),
        (looks(14, 0, error=5.5), "thigh-evens", Side.LEFT),
        (looks(14, -9), "other-side", Side.LEFT),
        (looks(0, 9), "thigh", Side.LEFT),
        (looks(0, -9, -8), "pelvis", Side.RIGHT),
        (looks(4, 4), "none", Side.NONE),
        (looks(14, 9, 8), "no-row", Side.LEFT),
    ],
)
def test_the_truth_table(levels, row, low):
    found = suspect(CHAIN, levels)
    assert (found.row.id, found.low) == (row, low)
    assert found.open == (row != "none")


@given(st.integers(-30, 30), st.integers(-30, 30), st.integers(-30, 30), st.tuples(*[st.integers(0, 3)] * 2))
def test_mirrored_levels_open_the_same_suspicion_on_the_other_side(crease, psis, sitting, arch):
    one = suspect(CHAIN, looks(crease, psis, sitting, arch))
    two = suspect(CHAIN, looks(-crease, -psis, -sitting, arch[::-1]))
    assert one.row is two.row and one.low is two.low.other


def test_a_level_look_decides_nothing_that_it_could_not_have_seen():
    """Spines 95 mm apart over hips 180 mm apart move by 95/180 of the difference."""
    assert CHAIN.expected_psis_mm(18) == pytest.approx(9.5)
    at = 11 * 180 / 95
    for crease, row in ((at - 0.1, "leg-unresolved"), (at + 0.1, "thigh-evens")):
        assert suspect(CHAIN, looks(crease, 0)).row.id == row


def test_the_table_has_no_hole_and_asks_for_missing_looks_in_order():
    assert is_sound(CHAIN) == []
    levels = looks(14, 9)
    for name in ("crease", "psis", "arch", "sitting"):
        partial = Levels(**{k: getattr(levels, k) for k in ("crease", "psis", "arch", "sitting") if k != name})
        found = suspect(CHAIN, partial)
        assert found.row is None and found.missing and not found.open


def test_grades_by_eye_stand_for_heights_inside_their_bands():
    assert CHAIN.from_grade(0).tilt is Tilt.LEVEL
    assert [CHAIN.from_grade(g).mm for g in (1, -2, 3)] == [7, -14.5, 20]
    assert CHAIN.from_grade(1).tilt is Tilt.LOW_LEFT and not CHAIN.from_grade(1).clear and CHAIN.from_grade(2).clear
    with pytest.raises(ValueError, match="0 to 3"):
        CHAIN.from_grade(4)


def test_structure_is_only_suspected_and_trainers_send_on():
    structural = suspect(CHAIN, looks(14, 9))
    assert structural.text(Role.CLINICIAN).startswith("Suspected, consider measuring: a shorter")
    for role in (Role.TRAINER, Role.STUDENT):
        assert structural.text(role).startswith("Suspected, have it checked")
        assert suspect(CHAIN, looks(14, 9, 0, (2, 0))).text(role).startswith("Worth having checked")


def test_the_lower_hip_is_the_newest_height_then_tilt_then_grade():
    def seen(measure, value):
        return Observation(measure, Side.NONE, value)

    eye, height = seen("pelvis-crest-level-eye", -2.0), seen("pelvis-crest-level", 9.0)
    assert low_hip([eye]) is Side.RIGHT and low_hip([height, eye]) is Side.LEFT
    assert low_hip([height, seen("pelvis-crest-level", -4.0)]) is Side.RIGHT
    assert low_hip([]) is low_hip([seen("pelvis-crest-level-eye", 0.0)]) is Side.NONE


def test_load_and_the_lower_hip():
    assert loading_agrees(57, 2, Side.RIGHT).startswith("agrees")
    assert loading_agrees(57, 2, Side.LEFT).startswith("does not support")
    assert "cannot show" in loading_agrees(51, 2, Side.LEFT)
    assert "no lower hip" in loading_agrees(57, 2, Side.NONE)
