"""Cases as they come: what was measured and seen, and how a factor of a pattern is labelled.

Written from the rules of the reasoning design before the balance was; each row stands beside one that differs by one
fact, and is judged again with the legs exchanged.
"""

from __future__ import annotations

import pytest
from reasoned import LEFT, RIGHT, concluded, obs, visit

from tuning.core.entries import Answer, Form
from tuning.core.types import FrameRef, Setup, Side

# pattern | factor | label for the left leg (`-`: the pattern is not there) | measure left right (`p5`: pain 5 on the
# left; `~cue`: with one thing changed) or test.question=option@side; weekly load
TABLE = """
pelvis-drop | hip-abductor-strength | untested | gait-pelvic-drop 9 2
pelvis-drop | hip-abductor-strength | likely | gait-pelvic-drop 9 2; hip-abd 110 170
pelvis-drop | hip-abductor-strength | supported | gait-pelvic-drop 9 2; hip-abd 110 170; bridge-bar.cue=no@left
pelvis-drop | hip-abductor-strength | open | gait-pelvic-drop 9 2; hip-abd 170 170
pelvis-drop | hip-abductor-strength | untested | gait-pelvic-drop 9 2; hip-abd 110 170 p5
strength-gap | pain-inhibition | likely | hip-abd 110 170 p5
strength-gap | pain-inhibition | unlikely | hip-abd 110 170 p0
pelvis-drop | hip-abductor-strength | - | gait-pelvic-drop 2 2; hip-abd 110 170
pelvis-drop | hip-abductor-timing | likely | gait-pelvic-drop 9 2; bridge-bar.cue=yes@left
pelvis-drop | hip-abductor-timing | supported | gait-pelvic-drop 9 2; bridge-bar.cue=yes@left; hip-abd 170 170
pelvis-drop | hip-abductor-timing | likely | gait-pelvic-drop 9 2; bridge-bar.cue=yes@left; hip-abd 110 170
pelvis-drop | hip-abductor-timing | unlikely | gait-pelvic-drop 9 2; bridge-bar.cue=no@left
pelvis-drop | hip-extensor-strength | likely | gait-pelvic-drop 9 2; hip-ext 150 220
pelvis-drop | hip-extensor-strength | open | gait-pelvic-drop 9 2; hip-ext 220 220
knee-in | ankle-dorsiflexion | likely | fppa 12 1; knee-to-wall 6 12
knee-in | ankle-dorsiflexion | supported | fppa 12 1; knee-to-wall 6 12; squat-faults.heel=every@left
knee-in | ankle-dorsiflexion | unlikely | fppa 12 1; knee-to-wall 12 12
knee-in | ankle-dorsiflexion | untested | fppa 12 1; knee-to-wall - 12
knee-in | hip-rotation-strength | likely | fppa 12 1; hip-er 90 130
knee-in | hip-rotation-strength | open | fppa 12 1; hip-er 130 130
knee-in | hip-rotation-strength | open | fppa 12 1; fppa 12 1 ~foot-set; fppa 12.2 1.1
knee-in | foot-control | likely | fppa 12 1; fppa 3 1 ~foot-set; fppa 12.2 1.1
knee-in | foot-control | unlikely | fppa 12 1; fppa 12 1 ~foot-set; fppa 12.2 1.1
knee-in | foot-control | supported | fppa 12 1; foot-posture-score 9 2; fppa 3 1 ~foot-set; fppa 12.2 1.1
knee-in | foot-control | likely | fppa 12 1; foot-posture-score 9 2
knee-in | tibial-rotation | likely | fppa 12 1; tibial-rotation-in 12 24
knee-in | tibial-rotation | unlikely | fppa 12 1; tibial-rotation-in 24 24
knee-in | technique | likely | fppa 12 1; fppa 2 1 ~mirror; fppa 12.2 1.1
knee-in | technique | unlikely | fppa 12 1; fppa 12 1 ~mirror; fppa 12.2 1.1
knee-in | positioning | likely | fppa 12 1; stance-setup.turned=left@none
knee-in | positioning | unlikely | fppa 12 1; stance-setup.turned=equal@none; stance-setup.ahead=none@none
knee-in | hip-abductor-timing | unlikely | fppa 12 1; hip-abd 110 170
knee-in | bony-twist | likely | fppa 12 1; thigh-foot-angle 35 10
knee-in | bony-twist | unlikely | fppa 12 1; thigh-foot-angle 10 10; hip-anteversion 12 12
strength-gap | leg-strength | open | knee-ext 230 330
strength-gap | leg-strength | likely | knee-ext 230 330; lunge-iso-peak 800 1100; lunge-pause-peak 700 950
strength-gap | leg-strength | supported | hip-abd 110 170; knee-ext 230 330; chair-rise-height 52 42
hip-shift | hip-rotation-mobility | likely | squat-hip-shift 12 =; figure4-shin 32 14
hip-shift | hip-rotation-mobility | unlikely | squat-hip-shift 12 =; figure4-shin 14 14
hip-shift | leg-strength | likely | squat-hip-shift 12 =; knee-ext 230 330
slow-leg | rate-deficit | likely | lunge-iso-peak 110 110; lunge-iso-rate 30 52; lunge-pause-rate 26 46
complaint-heel | calf-capacity | likely | pain-now 4 heel; heel-raise 12 26
complaint-heel | calf-capacity | supported | pain-now 4 heel; heel-raise 12 26; weekly more
complaint-heel | calf-capacity | unlikely | pain-now 4 heel; heel-raise 28 28
complaint-heel | load-change | likely | pain-now 4 heel; weekly more
complaint-heel | load-change | unlikely | pain-now 4 heel; weekly none
complaint-groin | adductor-capacity | likely | pain-now 4 groin; hip-add 90 150
complaint-groin | adductor-capacity | untested | pain-now 4 groin
complaint-groin | hip-joint-look | likely | pain-now 4 groin; hip-rotation-in 12 38; hip-range.pinch=sharp@left
complaint-groin | hip-joint-look | unlikely | pain-now 4 groin; hip-rotation-in 38 38; hip-range.pinch=none@left
"""


NAMES = {"fppa": "squat-front-fppa"}


def rows() -> list[tuple[str, ...]]:
    return [tuple(part.strip() for part in line.split("|")) for line in TABLE.strip().splitlines()]


ROWS = rows()
STEP = {"left": LEFT, "right": RIGHT, "none": Side.NONE}


def entries_of(items: str, side: Side) -> list:
    """The entries of a row, with the left leg of the table as `side`."""
    made: list = []
    for n, item in enumerate(one.strip() for one in items.split(";")):
        head, *words = item.split()
        head = NAMES.get(head, head)
        if "=" in head:
            test, rest = head.split(".")
            question, rest = rest.split("=")
            option, where = rest.split("@")
            at = STEP[where] if side is LEFT or where == "none" else STEP[where].other
            told = at.value if option in ("left", "right") and at in (LEFT, RIGHT) else option
            if option in ("left", "right"):
                told = option if side is LEFT else STEP[option].other.value
            made.append(Answer(test, question, at, told, uid=f"a{n}", visit="v0", at=visit(0).started_at))
        elif head == "weekly":
            change = [{"what": "walks", "now": "12 h", "change": words[0], "words": ""}]
            made.append(
                Form("intake-history", {"weekly-load": change}, uid=f"f{n}", visit="v0", at=visit(0).started_at)
            )
        elif head == "pain-now":
            place = Setup(region=words[1])
            made.append(obs(head, side, float(words[0]), minute=n, method="told", setup=place))
        elif "=" in words:
            made.append(
                obs(head, Side.NONE, *[float(words[0]) * (1 if side is LEFT else -1)] * 3, minute=n, method="clip")
            )
        else:
            made += _both(head, words, side, n)
    return made


def _both(measure: str, words: list[str], side: Side, n: int) -> list:
    change = next((one[1:] for one in words if one.startswith("~")), "")
    pain = next((int(one[1:]) for one in words if one.startswith("p")), None)
    setup = Setup(mode="make", fixation="hand", changed=change)
    hurts = {"pain": pain} if pain is not None else {}
    method = "clip" if any(word in measure for word in ("fppa", "drop")) else "typed"
    shown = {"evidence": FrameRef(f"c{n}")} if method == "clip" else {}
    return [
        obs(measure, leg, *[float(value)] * 3, minute=n, setup=setup, method=method, **shown, **hurt)
        for value, leg, hurt in ((words[0], side, hurts), (words[1], side.other, {"pain": 0} if hurts else {}))
        if value != "-"
    ]


def label_of(pattern: str, factor: str, items: str, side: Side) -> str:
    """How the program labels it; `-` where the pattern is not there on that side."""
    found = concluded(*entries_of(items, side))
    balance = next((one for one in found.balances if one.seen.pattern.id == pattern and one.seen.side is side), None)
    return balance.sheet(factor).label.value if balance is not None else "-"


@pytest.mark.parametrize(("pattern", "factor", "label", "items"), ROWS)
def test_a_case_is_labelled_so_and_so_is_its_mirror(pattern, factor, label, items):
    assert [label_of(pattern, factor, items, side) for side in (LEFT, RIGHT)] == [label, label]


def test_there_are_enough_of_them():
    assert len(ROWS) >= 40 and len(set(ROWS)) == len(ROWS)
