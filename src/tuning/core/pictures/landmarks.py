"""The landmarks in the profession's words."""

from __future__ import annotations

_WORDS = {
    "psis": "PSIS",
    "buttock": "gluteal fold middle",
    "knee_back": "popliteal crease centre",
    "heel_top": "Achilles tendon",
    "heel": "calcaneus",
    "toe": "lateral forefoot",
    "calf": "mid-calf",
    "crest": "iliac crest",
    "spine_low": "lumbar spine",
    "spine_mid": "apex of spinal curve",
    "spine_top": "C7",
    "blade": "inferior angle of scapula",
    "acromion": "acromion",
    "ear": "tragus",
    "shoulder": "acromion",
    "asis": "ASIS",
    "knee": "patella centre",
    "ankle": "ankle centre",
    "second_toe": "second toe",
    "kneecap": "patella centre",
    "knee_inner": "medial femoral condyle",
    "knee_outer": "lateral femoral condyle",
    "notch": "sternal notch",
    "nose": "nose",
    "malleolus": "lateral malleolus",
    "hip": "greater trochanter",
    "shin_knee": "proximal tibia",
    "shin_ankle": "distal tibia",
    "tape_end": "front end of tape",
    "knee_middle": "knee centre",
    "metatarsal": "first metatarsal shaft",
    "toe_joint": "first MTP joint",
    "toe_tip": "hallux tip",
    "bar": "end of the bar",
    "sole_heel": "heel of the sole",
    "sole_toe": "forefoot of the sole",
    "l5": "L5",
}


def landmark_name(name: str) -> str:
    """A landmark in the profession's words, without its side."""
    stem, _, end = name.rpartition("_")
    return _WORDS.get(stem if end in ("left", "right") else name, name)


def landmark_label(name: str) -> str:
    """A landmark in the profession's words, with its side."""
    side = name.rpartition("_")[2]
    return f"{side} {landmark_name(name)}" if side in ("left", "right") else landmark_name(name)
