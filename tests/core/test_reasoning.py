"""Worked cases, their flips, and the laws of the balance sheet."""

from __future__ import annotations

import copy
import json
from dataclasses import fields
from functools import lru_cache
from pathlib import Path

import jsonschema
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tuning.core.errors import BadInput, KnowledgeError
from tuning.core.reasoning.conclusion import CHECKED, conclude, name_for
from tuning.core.reasoning.conclusion import tests_of as all_tests
from tuning.core.reasoning.evidence import Label, ReasoningPolicy
from tuning.core.reasoning.findings import findings
from tuning.core.reasoning.next_best_test import next_tests
from tuning.core.reasoning.rules import EvidenceKind, SideMapping, SignCondition
from tuning.core.reasoning.sign_evaluation import evaluate_sign, lower_side, worse_side
from tuning.core.reasoning.trial_of_cause import Effect, judge_response
from tuning.core.types import LEGS, Observation, Role, Setup, Side
from tuning.exchange.json.cases import SETUP, AnswerRecord, CaseFile, ObservationRecord, read_case
from tuning.knowledge import FOLDER, for_clinic, load

KNOWLEDGE = load()
TABLE, TESTS = KNOWLEDGE.reasoning, all_tests(KNOWLEDGE)
CASES = Path(__file__).parents[2] / "docs" / "cases"
LEFT, RIGHT = LEGS
SWAP = {"left": "right", "right": "left", "none": "none"}


def told(data, folder: Path, schools: ReasoningPolicy | None = None):
    """What is concluded from a case as JSON."""
    path = folder / "case.json"
    path.write_text(json.dumps(data))
    read = read_case(path, KNOWLEDGE)
    return conclude(read.case, TABLE, KNOWLEDGE.measures, TESTS, read.triage, schools or read.schools)


def case(name: str):
    return json.loads((CASES / f"{name}.json").read_text())


@lru_cache
def worked(name: str):
    """What is concluded from a worked case."""
    read = read_case(CASES / f"{name}.json", KNOWLEDGE)
    return conclude(read.case, TABLE, KNOWLEDGE.measures, TESTS, read.triage, read.schools)


def labels(found, pattern: str, side: Side = LEFT) -> dict[str, str]:
    one = found.of(pattern, side)
    return {} if one is None else {sheet.factor.id: sheet.label.value for sheet in one.sheets}


WORKED = [
    ("shift-from-strength", "hip-shift", LEFT, {"leg-strength": "supported", "ankle-dorsiflexion": "unlikely"}),
    ("shift-from-ankle", "hip-shift", LEFT, {"ankle-dorsiflexion": "supported"}),
    ("shift-from-hip-rotation", "hip-shift", LEFT, {"hip-rotation-mobility": "likely"}),
    ("shift-from-technique", "hip-shift", LEFT, {"technique": "supported", "ankle-dorsiflexion": "unlikely"}),
    ("shift-from-positioning", "hip-shift", LEFT, {"positioning": "supported"}),
    ("knee-in-from-hip", "knee-in", LEFT, {"hip-abductor-strength": "supported", "hip-abductor-timing": "unlikely"}),
    ("knee-in-from-foot", "knee-in", LEFT, {"foot-control": "supported"}),
    ("knee-in-from-shin", "knee-in", LEFT, {"tibial-rotation": "supported"}),
    ("drop-from-timing", "pelvis-drop", LEFT, {"hip-abductor-timing": "supported", "hip-abductor-strength": "open"}),
    ("drop-from-strength", "pelvis-drop", LEFT, {"hip-abductor-strength": "supported"}),
    ("creases-from-arch", "level-tilt", LEFT, {"leg-length": "unlikely"}),
    ("creases-from-leg-length", "level-tilt", LEFT, {"leg-length": "likely"}),
    ("slow-but-strong", "slow-leg", LEFT, {"rate-deficit": "supported"}),
    ("both-sides-weak", "complaint-heel", LEFT, {"calf-capacity": "supported"}),
    ("groin-and-squeeze", "complaint-groin", LEFT, {"adductor-capacity": "supported"}),
    ("heel-and-few-raises", "complaint-heel", RIGHT, {"calf-capacity": "supported", "load-change": "likely"}),
    ("bony-out-turn", "foot-out", LEFT, {"bony-twist": "likely", "tibial-rotation": "unlikely"}),
]  # fmt: skip


@pytest.mark.parametrize(("name", "pattern", "side", "expected"), WORKED)
def test_a_worked_case_gives_its_labels_and_its_mirror_the_same_on_the_other_side(
    tmp_path, name, pattern, side, expected
):
    found = labels(told(case(name), tmp_path), pattern, side)
    assert {factor: found.get(factor) for factor in expected} == expected
    rivals = [f for f, label in found.items() if label == "supported" and expected.get(f) != "supported"]
    assert not rivals
    turned = labels(told(mirrored(case(name)), tmp_path), pattern, side.other)
    assert turned == found


def test_worked_cases_keep_to_the_published_schema_and_the_schema_knows_every_field(tmp_path):
    schema = json.loads((CASES.parent / "case.schema.json").read_text())
    for path in CASES.glob("*.json"):
        jsonschema.validate(json.loads(path.read_text()), schema)
    seen = schema["properties"]["observations"]["items"]["properties"]
    assert set(seen) == {f.name for f in fields(ObservationRecord)} and set(seen["setup"]["properties"]) == SETUP
    assert set(schema["properties"]) == {f.name for f in fields(CaseFile)}
    assert set(schema["properties"]["findings"]["items"]["properties"]) == {f.name for f in fields(AnswerRecord)}
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"observations": [{"side": "left"}]}, schema)


def test_every_worked_case_is_tried():
    assert {path.stem for path in CASES.glob("*.json")} == {name for name, *_ in WORKED} | {"red-flag"}


def mirrored(data):
    """The same person with left and right exchanged; signed values change their sign about their target."""
    data = copy.deepcopy(data)
    for seen in data.get("observations", []):
        measure = KNOWLEDGE.measures[seen["measure"]]
        seen["side"] = SWAP[seen.get("side", "none")]
        if measure.compare.value == "value":
            turn = lambda v, t=measure.target: 2 * t - v  # noqa: E731
            seen.update(
                {
                    k: [turn(v) for v in seen[k]] if k == "trials" else turn(seen[k])
                    for k in ("value", "trials")
                    if k in seen
                }
            )
    for answer in data.get("findings", []):
        answer["side"] = SWAP[answer.get("side", "none")]
        answer["option"] = SWAP.get(answer["option"], answer["option"]) if answer["option"] != "none" else "none"
    return data


def change(data, measure: str, side: str, values):
    for seen in data["observations"]:
        if seen["measure"] == measure and seen.get("side") == side and not seen.get("setup", {}).get("changed"):
            seen.pop("value", None)
            seen["trials"] = values
    return data


def to(measure: str, *values, sides=("left",)):
    """Other trials of a measure."""

    def flip(data):
        for side in sides:
            data = change(data, measure, side, list(values))
        return data

    return flip


def said(option: str, first: int | None = None):
    """Another answer to the first question, and of the observations only the first ones."""
    return lambda d: {**d, "findings": [{**d["findings"][0], "option": option}],
                      "observations": d["observations"][:first]}  # fmt: skip


FLIPS = [
    ("knee-in-from-hip", to("hip-abd", 171, 170, 172), "knee-in", "hip-abductor-strength", "supported"),
    ("shift-from-ankle", to("knee-to-wall", 11, 11.1), "hip-shift", "ankle-dorsiflexion", "supported"),
    ("shift-from-hip-rotation", to("figure4-shin", 15, 15, 16), "hip-shift", "hip-rotation-mobility", "likely"),
    ("shift-from-strength", to("lunge-iso-peak", 1220, 1222), "hip-shift", "leg-strength", "supported"),
    ("knee-in-from-shin", to("tibial-rotation-in", 24, 25, 24), "knee-in", "tibial-rotation", "supported"),
    ("slow-but-strong", to("lunge-pause-rate", 3600, 3600), "slow-leg", "rate-deficit", "supported"),
    ("groin-and-squeeze", to("hip-add", 161, 162, 160), "complaint-groin", "adductor-capacity", "supported"),
    ("both-sides-weak", to("heel-raise", 26, sides=("left", "right")), "complaint-heel", "calf-capacity", "supported"),
    ("bony-out-turn", to("thigh-foot-angle", 12, 12, 12), "foot-out", "bony-twist", "likely"),
    ("shift-from-positioning", said("none", 1), "hip-shift", "positioning", "supported"),
    ("drop-from-timing", said("no"), "pelvis-drop", "hip-abductor-timing", "supported"),
    ("creases-from-leg-length", to("leg-length-check", 895, 895, 895, 895), "level-tilt", "leg-length", "likely"),
]


@pytest.mark.parametrize(("name", "flip", "pattern", "factor", "before"), FLIPS)
def test_one_deciding_observation_the_other_way_changes_the_answer(tmp_path, name, flip, pattern, factor, before):
    was = told(case(name), tmp_path).of(pattern, LEFT).sheet(factor)
    now = told(flip(case(name)), tmp_path).of(pattern, LEFT).sheet(factor)
    assert now.score < was.score
    assert was.label.value == before and (now.label.value != before or name == "creases-from-leg-length")


def test_a_red_flag_refers_and_reasons_nothing(tmp_path):
    found = told(case("red-flag"), tmp_path)
    assert "refer" in found.refer and not found.balances
    cleared = told({**case("red-flag"), "safety": {}}, tmp_path)
    assert not cleared.refer and cleared.balances


def test_two_weak_sides_are_no_health_and_two_strong_ones_are(tmp_path):
    weak = told(case("both-sides-weak"), tmp_path).of("complaint-heel", LEFT).sheet("calf-capacity")
    assert any("both sides out of their band" in chip.look.text for chip in weak.fired)
    strong = told(
        change(change(case("both-sides-weak"), "heel-raise", "left", [30]), "heel-raise", "right", [30]), tmp_path
    )
    assert strong.of("complaint-heel", LEFT).sheet("calf-capacity").label is Label.UNLIKELY


def test_structure_is_worded_by_role(tmp_path):
    one = told(case("bony-out-turn"), tmp_path).of("foot-out", LEFT)
    assert name_for(one, "bony-twist", Role.CLINICIAN) == "Torsional alignment (femur, tibia)"
    assert name_for(one, "bony-twist", Role.TRAINER) == name_for(one, "bony-twist", Role.STUDENT) == CHECKED
    assert name_for(one, "tibial-rotation", Role.TRAINER) == "Limited tibial internal rotation"


# laws

POOL = [o for name, *_ in WORKED for o in case(name)["observations"]]
ANSWERS = [a for name, *_ in WORKED for a in case(name).get("findings", [])]


def sheets_of(found):
    """Labels and scores of every pattern and side."""
    return {
        (one.seen.pattern.id, one.seen.side): [(s.factor.id, s.label, round(s.score, 9)) for s in one.sheets]
        for one in found.balances
    }


@settings(max_examples=40, deadline=None)
@given(st.lists(st.sampled_from(POOL), max_size=14), st.lists(st.sampled_from(ANSWERS), max_size=4), st.randoms())
def test_order_of_entry_does_not_matter_and_the_mirror_only_turns_the_sides(tmp_path_factory, seen, answers, random):
    folder = tmp_path_factory.mktemp("law")
    once = list({(o["measure"], o.get("side"), str(o.get("setup"))): o for o in seen}.values())
    said = list({(a["test"], a["question"], a["side"]): a for a in answers}.values())
    stamped = [{**o, "time": o.get("time") or f"2026-11-24T10:{n:02d}:00+00:00"} for n, o in enumerate(once)]
    data = {**case("red-flag"), "safety": {}, "observations": stamped, "findings": said}
    one = told(data, folder)
    shuffled = random.sample(stamped, len(stamped))
    other = told({**data, "observations": shuffled, "findings": said[::-1]}, folder)
    assert sheets_of(one) == sheets_of(other)
    turned = sheets_of(told(mirrored(data), folder))
    assert turned == {
        (pattern, side.other if side in LEGS else side): rows for (pattern, side), rows in sheets_of(one).items()
    }


def test_the_same_capture_given_twice_counts_once(tmp_path):
    data = case("knee-in-from-hip")
    twice = {**data, "observations": [*data["observations"], *data["observations"]]}
    for pattern in ("knee-in", "pelvis-drop"):
        assert labels(told(data, tmp_path), pattern) == labels(told(twice, tmp_path), pattern)
        scores = [[s.score for s in told(d, tmp_path).of(pattern, LEFT).sheets] for d in (data, twice)]
        assert scores[0] == scores[1]


@pytest.mark.parametrize("factor", list(TABLE.factors))
def test_a_further_line_for_a_factor_never_lowers_its_score_and_one_kind_never_supports_it(tmp_path, factor):
    """Every worked case with a strong line of a factor put beside it."""
    for name, pattern, side, _ in WORKED:
        data, before = case(name), worked(name).of(pattern, side)
        if factor not in {sheet.factor.id for sheet in before.sheets}:
            continue
        for sheet in before.sheets:
            kinds = {chip.kind for chip in sheet.fired if chip.score > 0}
            assert sheet.label is not Label.SUPPORTED or len(kinds) > 1
        for line in TABLE.lines_of(factor, pattern):
            sign = line.signs[0]
            if (
                line.speaks != "for"
                or len(line.signs) > 1
                or sign.shows is not SignCondition.DEFICIT
                or not sign.measures
            ):
                continue
            measure = KNOWLEDGE.measures[sign.measures[0]]
            if any(o["measure"] == measure.id for o in data["observations"]) or not measure.paired or sign.count > 1:
                continue
            base = 10 * (measure.band or measure.sem or 1)
            worse, better = (2 * base, base) if measure.finding == "larger" else (base, 2 * base)
            more = [
                {"measure": measure.id, "side": s.value, "trials": [worse if s is side else better] * 3} for s in LEGS
            ]
            after = told({**data, "observations": [*data["observations"], *more]}, tmp_path).of(pattern, side)
            assert after.sheet(factor).score >= before.sheet(factor).score


def test_cannot_tell_counts_neither_way(tmp_path):
    data = case("shift-from-hip-rotation")
    bare = {**data, "observations": [o for o in data["observations"] if o["measure"] == "squat-hip-shift"]}
    unsure = {**bare, "observations": [*bare["observations"],
              {"measure": "knee-to-wall", "side": "left", "trials": [10.2]},
              {"measure": "knee-to-wall", "side": "right", "trials": [10.9]}]}  # fmt: skip
    sheet = told(unsure, tmp_path).of("hip-shift", LEFT).sheet("ankle-dorsiflexion")
    assert sheet.score == 0 and sheet.label is Label.OPEN, "its test was done and says nothing"
    assert told(bare, tmp_path).of("hip-shift", LEFT).sheet("ankle-dorsiflexion").label is Label.UNTESTED


def test_the_habit_school_alone_knows_left_from_right(tmp_path):
    data = {**case("shift-from-ankle")}
    data["observations"] = [*data["observations"], {"measure": "two-scale-share", "trials": [57, 57.2, 56.9]}]
    on = ReasoningPolicy(habit=True)
    assert "habit-pattern" not in labels(told(data, tmp_path), "hip-shift")
    left = told(data, tmp_path, on).of("hip-shift", LEFT)
    assert left.sheet("habit-pattern").score > 0
    right = told(mirrored(data), tmp_path, on).of("hip-shift", RIGHT)
    same = lambda one: {s.factor.id: s.score for s in one.sheets if s.factor.id != "habit-pattern"}  # noqa: E731
    assert same(left) == same(right) and right.sheet("habit-pattern").score < left.sheet("habit-pattern").score


def test_the_regional_school_lists_hip_and_foot_before_the_knee_and_changes_no_score(tmp_path):
    data = case("knee-in-from-shin")
    on, off = (told(data, tmp_path, ReasoningPolicy(regional=r)).of("knee-in", LEFT) for r in (True, False))
    assert {s.factor.id: s.score for s in on.sheets} == {s.factor.id: s.score for s in off.sheets}
    for one in (on.sheets,):
        untested = [s.factor.region for s in one if s.label is Label.UNTESTED]
        assert untested == sorted(untested, key=lambda region: region == "knee")


@pytest.mark.parametrize(
    ("where", "bad", "words"),
    [
        ("observations", {"measure": "hip-abduktion", "side": "left", "value": 1}, "hip-abduktion"),
        ("observations", {"measure": "hip-abd", "side": "both", "value": 1}, "left, right or none"),
        ("observations", {"measure": "hip-abd", "value": 1}, "needs a side"),
        ("observations", {"measure": "hip-abd", "side": "left", "value": "strong"}, "expected float"),
        ("observations", {"measure": "hip-abd", "side": "left", "value": 1, "colour": "red"}, "colour"),
        ("observations", {"measure": "hip-abd", "side": "left", "value": 1, "setup": {"moon": 1}}, "moon"),
        ("observations", {"measure": "hip-abd", "side": "left", "value": 1, "time": "noon"}, "noon"),
        ("findings", {"test": "bridge", "question": "cue", "option": "yes"}, "bridge"),
        ("findings", {"test": "bridge-bar", "question": "cue", "option": "perhaps"}, "perhaps"),
        ("safety", {"headache-of-a-friend": True}, "headache-of-a-friend"),
    ],
)
def test_what_is_not_known_is_refused_by_name(tmp_path, where, bad, words):
    data = case("knee-in-from-hip")
    data[where] = bad if where == "safety" else [*data.get(where, []), bad]
    with pytest.raises(BadInput, match=words):
        told(data, tmp_path)


# trials of cause


def seen(value, changed="", minute=0, spread=0.4, n=3):
    trials = value + spread * np.array([-1.0, 0.0, 1.0])[:n]
    return Observation("squat-hip-shift", Side.NONE, float(trials.mean()), trials, "mean", "clip",
                       setup=Setup(changed=changed))  # fmt: skip


SHIFT = KNOWLEDGE.measures["squat-hip-shift"]


@pytest.mark.parametrize(
    ("before", "changed", "after", "effect", "drifted"),
    [
        (10, 2, 10, Effect.RESPONDS, False),
        (-10, -2, -10, Effect.RESPONDS, False),
        (10, 10, 10, Effect.UNCHANGED, False),
        (10, 18, 10, Effect.WORSE, False),
        (10, 2, 2, Effect.CANNOT_TELL, True),
        (10, 6, 3, Effect.CANNOT_TELL, True),
        (1, 0.5, 1, Effect.CANNOT_TELL, False),
    ],
)
def test_a_change_must_show_both_ways(before, changed, after, effect, drifted):
    found = judge_response(SHIFT, seen(before), seen(changed, "wedge"), seen(after), "wedge")
    assert (found.effect, found.drifted) == (effect, drifted)
    if drifted:
        assert "drifted" in found.sentence


def test_without_the_second_plain_one_nothing_is_said(tmp_path):
    assert judge_response(SHIFT, seen(10), seen(2, "wedge"), None, "wedge").effect is Effect.INCOMPLETE
    data = case("shift-from-technique")
    data["observations"] = [o for o in data["observations"] if o.get("time") != "2026-11-24T09:09:00+00:00"]
    assert labels(told(data, tmp_path), "hip-shift")["technique"] != "supported"


def test_false_responses_are_rare_even_when_the_finding_drifts():
    """Nothing is changed, values drift by up to a quarter of the finding, errors are those of single trials."""
    random, false = np.random.default_rng(5), 0
    trial_sd = SHIFT.sem * np.sqrt(0.5)
    for _ in range(2000):
        drift = random.uniform(-0.25, 0.25) * 10
        made = []
        for n, changed in enumerate(("", "wedge", "")):
            trials = 10 + drift * n / 2 + random.normal(0, trial_sd, 3)
            made.append(Observation("squat-hip-shift", Side.NONE, float(trials.mean()), trials, "mean", "clip",
                                    setup=Setup(changed=changed)))  # fmt: skip
        false += judge_response(SHIFT, *made, "wedge").effect is Effect.RESPONDS
    assert false / 2000 < 0.05


def test_a_response_outranks_an_association(tmp_path):
    data = case("shift-from-ankle")
    trial = [o for o in case("shift-from-technique")["observations"] if o["measure"] == "squat-hip-shift"]
    for o in trial:
        if o["setup"]:
            o["setup"], o["trials"] = {"changed": "wedge"}, [9.2, 9.8, 9.5]
    rest = [o for o in data["observations"] if o["measure"] != "squat-hip-shift"]
    sheet = (
        told({**data, "findings": [], "observations": [*trial, *rest]}, tmp_path)
        .of("hip-shift", LEFT)
        .sheet("ankle-dorsiflexion")
    )
    assert sheet.label is Label.UNLIKELY and "trial of cause" in sheet.follows and sheet.contradictory


# the next test


def test_what_is_done_is_not_advised_again_and_a_closed_test_never(tmp_path):
    found = told(case("knee-in-from-hip"), tmp_path)
    one = found.of("knee-in", LEFT)
    offered = next_tests(TABLE, one, found.found, TESTS)
    assert offered and "hip-abd" not in {o.id for o in offered} and "foot-posture-score" not in {o.id for o in offered}
    closed = next_tests(TABLE, one, found.found, TESTS, is_open=lambda test, _: test != offered[0].id)
    assert offered[0].id not in {o.id for o in closed} and len(closed) == len(offered) - 1
    assert all(o.minutes > 0 and o.usefulness > 0 and o.separates for o in offered)
    usefulness = [o.usefulness for o in offered]
    assert usefulness == sorted(usefulness, reverse=True)


def test_sides_of_signs():
    knee, wall = KNOWLEDGE.measures["step-down-fppa"], KNOWLEDGE.measures["knee-to-wall"]
    assert worse_side(knee, 5) is RIGHT and worse_side(knee, -5) is LEFT
    assert worse_side(wall, 5) is LEFT and worse_side(wall, -5) is RIGHT
    assert lower_side(5) is LEFT and lower_side(-5) is RIGHT
    assert {line.kind for line in TABLE.lines if line.factor == "pain-inhibition" and line.patterns} == {
        EvidenceKind.PAIN
    }


# the table


def own_table(folder: Path, *changes: tuple[str, str]) -> Path:
    """A clinic's folder with its own table: the shipped one with some words changed."""
    text = (FOLDER / "reasoning.toml").read_text()
    for old, new in (('source = "practice', 'set_by = "R. Falk, May 2026"\nsource = "practice'), *changes):
        assert old in text
        text = text.replace(old, new, 1)
    folder.mkdir(exist_ok=True)
    (folder / "reasoning.toml").write_text(text)
    return folder


ONE_SIDED = [
    (line, sign)
    for line in TABLE.lines
    for sign in line.signs
    if sign.measures
    and sign.shows in (SignCondition.DEFICIT, SignCondition.LOWER)
    and not (sign.absent or sign.regions)
]


@pytest.mark.parametrize(("line", "sign"), ONE_SIDED, ids=lambda x: getattr(x, "words", ""))
def test_every_line_of_a_side_turns_with_its_side(tmp_path, line, sign):
    """What its first measures show on one leg speaks for a pattern of that leg (or of the other, where it says so)."""
    for shown in LEGS:
        seen = []
        for key in sign.measures[: sign.count]:
            measure = KNOWLEDGE.measures[key]
            base = 10 * (measure.band or measure.sem or 1)
            if not measure.paired:
                off = base if lower_side(1) is shown else -base
                seen.append({"measure": key, "trials": [measure.target + off] * 3})
                continue
            worse, better = (2 * base, base) if measure.finding == "larger" else (base, 2 * base)
            seen += [{"measure": key, "side": s.value, "trials": [worse if s is shown else better] * 3} for s in LEGS]
        path = tmp_path / "case.json"
        path.write_text(json.dumps({"safety": {}, "observations": seen}))
        found = findings(read_case(path, KNOWLEDGE).case, KNOWLEDGE.measures)
        there = {side for side in LEGS if evaluate_sign(sign, found, side, line.side).there}
        toward = sign.side or line.side
        assert there == {shown.other if toward is SideMapping.OTHER else shown} and toward is not SideMapping.NONE


def test_a_clinic_may_have_its_own_table_and_says_whose_it_is(tmp_path):
    weaker = ('weight = 2, side = "same", words = "abduction"', 'weight = 0.5, side = "same", words = "abduction"')
    own = for_clinic(own_table(tmp_path / "own", weaker)).reasoning
    assert own.set_by == "R. Falk, May 2026" and not TABLE.set_by
    read = read_case(CASES / "knee-in-from-hip.json", KNOWLEDGE)
    found = conclude(read.case, own, KNOWLEDGE.measures, TESTS, read.triage).of("knee-in", LEFT)
    assert found.sheet("hip-abductor-strength").label is Label.LIKELY
    assert for_clinic(tmp_path / "nothing").reasoning is TABLE


@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ('measures = ["hip-abd"] }] }', 'measures = ["hip-abd-x"] }] }', "hip-abd-x"),
        ('side = "same", words = "abduction"', 'words = "abduction"', "side"),
        ('side = "same", words = "abduction"', 'side = "sideways", words = "abduction"', "sideways"),
        ('speaks = "for", weight = 2, side = "same", words = "abduction"',
         'speaks = "perhaps", weight = 2, side = "same", words = "abduction"', "speaks"),
        ('"strength-gap", "complaint-side-hip", "complaint-front-knee"]', '"leg-curve"]', "leg-curve"),
        ('action = "base, shift, step-down"', 'action = ""', "an action"),
        ('question = "cue", options = ["no"]', 'question = "cue", options = ["nope"]', "nope"),
        ('changes = ["cue-trunk"]', 'changes = ["cue-nose"]', "cue-nose"),
        ('{ measures = ["hip-abd"] }', '{ measures = ["hip-abd"], test = "bridge-bar" }', "one of them"),
        ('set_by = "R. Falk, May 2026"\n', "", "whose it is"),
    ],
)  # fmt: skip
def test_a_table_with_an_orphan_is_refused_by_name(tmp_path, old, new, told):
    with pytest.raises(KnowledgeError, match=told):
        for_clinic(own_table(tmp_path / "own", (old, new)))
