"""The landmarks in everyday field words."""

from __future__ import annotations

_WORDS = {
    "psis": "rear pelvic spine",
    "buttock": "mid-buttock",
    "knee_back": "back of knee",
    "heel_top": "heel tendon",
    "heel": "heel",
    "toe": "outer forefoot",
    "calf": "mid-calf",
    "crest": "top of pelvis",
    "spine_low": "spine, low back",
    "spine_mid": "spine, greatest curve",
    "spine_top": "spine, neck base",
    "blade": "blade, lower tip",
    "acromion": "shoulder tip",
    "ear": "ear lobe",
    "shoulder": "shoulder tip",
    "asis": "front pelvic spine",
    "knee": "kneecap middle",
    "ankle": "ankle middle",
    "second_toe": "second toe",
    "kneecap": "kneecap middle",
    "knee_inner": "knee, inner edge",
    "knee_outer": "knee, outer edge",
    "notch": "breastbone notch",
    "nose": "nose",
    "malleolus": "outer ankle, front",
    "hip": "hip bump",
    "shin_knee": "knee end of shin",
    "shin_ankle": "ankle end of shin",
    "tape_end": "front end of tape",
    "knee_middle": "middle of knee",
    "metatarsal": "inner midfoot",
    "toe_joint": "big-toe joint",
    "toe_tip": "big-toe tip",
    "bar": "end of the bar",
    "sole_heel": "heel of the sole",
    "sole_toe": "forefoot of the sole",
    "l5": "low back (L5)",
}


def landmark_name(name: str) -> str:
    """A landmark in everyday field words, without its side."""
    stem, _, end = name.rpartition("_")
    return _WORDS.get(stem if end in ("left", "right") else name, name)


def landmark_label(name: str) -> str:
    """A landmark in everyday field words, with its side."""
    side = name.rpartition("_")[2]
    return f"{side} {landmark_name(name)}" if side in ("left", "right") else landmark_name(name)
