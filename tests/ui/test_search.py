"""What a clinician types into Ctrl+K, and what must be among the first five."""

from __future__ import annotations

import shutil
import string
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtTest import QTest

from tuning.core.search import Findable, search, split
from tuning.knowledge import load
from tuning.ui.actions import CommandList

SAME = load().search.same
# typed | a part of a name that must be among the first five
TABLE = """
valgus | Frontal-plane projection angle
varus | Frontal-plane projection angle
FPPA | Frontal-plane projection angle
ASIS | ASIS
PSIS | PSIS
Q angle | Frontal-plane projection angle
Trendelenburg | pelvic drop
pelvic drop | Contralateral pelvic drop
hip strength | Hip abduction
hip abduction | Hip abduction
LSI | Go to Strength
symmetry | Go to
RFD | RFD
CMJ | Countermovement jump
hop | jump
sway | Stance on one leg
balance | ingle-leg stance
dorsiflexion | Weight-bearing lunge
knee to wall | Weight-bearing lunge
lunge test | Weight-bearing lunge
Thomas | Hip flexor length
Craig | Torsional
Beighton | laxity
pronation | Foot posture
navicular | Navicular drop
arch | Medial longitudinal arch
torsion | Torsional
anteversion | anteversion
leg length | Leg length by tape
ROM | Go to Mobility
HHD | Go to Strength
dynamometer | Go to Strength
squat | quat
step down | Step-down
SLS | ingle-leg
gait | Walk, clip from behind
running | Walk, clip from behind
cadence | Cadence
video | Go to Movement
camera | Go to Movement
photo | Go to Movement
plumb | line
export | Write the letter
import | Go to Force
PDF | PDF
letter | Write the letter
print | Write the letter
backup | Back up now
passphrase | Passphrase
undo | Undo
profile | Edit the patient
dark | Preferences
text size | Preferences
language | Preferences
help | Keys of this screen
knee valgus | Frontal-plane projection angle
medial collapse | Frontal-plane projection angle
dynamic valgus | Frontal-plane projection angle
hip drop | pelvic drop
obliquity | Pelvic obliquity
foot progression | Foot line
toe-out | Foot line
overstriding | Foot ahead
step rate | Cadence
circumduction | Heel
butt wink | posterior pelvic tilt
eccentric | Eccentric
concentric | Concentric
force plate | Go to Force
explosive strength | rate of force development
isometric squat | Isometric squat
imtp | Isometric squat
jump | Countermovement jump
landing | the plates
romberg | Quiet stance
weight distribution | eight
WBLT | Weight-bearing lunge
ankle mobility | Weight-bearing lunge
wblt cm | Weight-bearing lunge
FADIR | Hip flexion and abduction
FABER | Figure-4
figure four | figure
internal rotation | Hip
external rotation | Hip
Ely | Quadriceps length
SLR | Hamstring length
hamstring length | Hamstring length
hamstring strength | Knee flexion
quadriceps | Knee extension
quad strength | Knee extension
gluteus medius | Hip abduction
glute max | Hip extension
psoas | Hip flexion
adductor squeeze | Adductor squeeze
copenhagen | queeze
groin | dduct
calf raise | ingle-leg heel raise
heel raise | ingle-leg heel raise
achilles | ingle-leg heel raise
calf strength | Ankle plantarflexion
foot drop | Ankle dorsiflexion
peroneals | Ankle eversion
tibialis posterior | Ankle inversion
hallux | First MTP extension
windlass | First MTP extension
short foot | Toe abduction
tripod | Foot tripod
FPI | Foot posture
flat foot | Medial longitudinal arch
rearfoot | Rearfoot angle
eversion | Ankle eversion
patella | Patellar direction
iliac crest | Iliac crest
popliteal | Popliteal crease
scoliosis | Spinous process line
Adams | Trunk rotation
scoliometer | Trunk rotation
scapula | Scapula
winging | Scapular winging
acromion | Acromion
forward head | Sagittal plumb
lordosis | line
posture | Go to Standing
circumference | Calf girth
DVT | Calf girth
myotome | Neurological screen
neuro | Neurological screen
single leg stance | Single-leg stance
stork | Single-leg stance
sit to stand | sit-to-stand
stairs | Step-up
bridge | ridge
monster walk | Lateral band walk
wall squat | Wall sit
NRS | Pain now
VAS | Pain now
PSFS | Goal
red flags | Go to Intake
consent | Go to Intake
history | Go to Intake
bone twist | Torsional
thigh hang | Hip flexor length
rear pelvic spines | PSIS
kneecap | Patella
inner thigh takes over | Adductor dominance
TFA | Thigh-foot
lowering time | Eccentric
exercise | Go to Programme
home exercise | Go to Programme
progression | Go to Programme
clam | clam
Bulgarian | split
wall slide | Wall
referral | Write the letter
report | Write the letter
settings | Preferences
theme | Preferences
password | Passphrase
encrypt | Passphrase
lock | Cover the screen
shortcuts | Keys of this screen
save | Back up now
new patient | New patient
client | New patient
re-test | Go to Review
progress | Go to Review
MDC | Go to Review
orthotic | Worn in the tests
insole | Worn in the tests
gluteal weakness | Hip
overuse | Recent load change
hypothesis | Go to Reasoning
Trendelenberg | pelvic drop
dorsiflexoin | Weight-bearing lunge
adbuction | Hip abduction
tape measure | Calf girth
"""
ROWS = [tuple(part.strip() for part in line.split("|")) for line in TABLE.strip().splitlines()]


@pytest.fixture(scope="module")
def names(demo_folder, tmp_path_factory):
    """Everything that the search of an open case finds."""
    from PyQt6.QtWidgets import QApplication

    from tuning.demo.devices import simulated_devices
    from tuning.records import Record
    from tuning.ui.window import MainWindow
    from tuning.ui.workspace import Workspace

    app = QApplication.instance() or QApplication([])
    folder = Path(shutil.copytree(demo_folder, tmp_path_factory.mktemp("search") / "record"))
    window = MainWindow(Workspace(Record(folder), load(), simulated_devices()))
    people = {p.occupation: p for p in window.workspace.record.patients()}
    window.open_patient(people["glassblower"])
    yield window.cupboard.everything()
    window.close()
    window.deleteLater()  # while the application is there to do it: what Python frees by itself, it frees in any order
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    app.processEvents()


@pytest.mark.parametrize(("typed", "wanted"), ROWS)
def test_a_word_of_the_profession_finds_it_among_the_first_five(names, typed, wanted):
    first = [item.name for item in search(names, typed, SAME).items[:5]]
    assert any(wanted in name for name in first), first


def test_there_are_150_words_and_every_other_word_of_an_action_or_page_is_of_one_that_is_there(names):
    assert len(ROWS) >= 150
    there = {item.name for item in names}
    assert set(load().search.actions) <= there
    assert {f"Go to {page}".casefold() for page in load().search.pages if page != "day-list"} <= {
        name.casefold() for name in there
    }


def found(*things: Findable, text: str):
    return [item.name for item in search(things, text).items]


def thing(name: str, *also: str, kind: str = "test", why: str = "") -> Findable:
    return Findable(kind, name, lambda: None, also, blocked=lambda: why)


def test_exact_before_prefix_before_slip_and_the_name_before_other_words():
    things = thing("Squatting"), thing("Squad"), thing("Squat"), thing("Deep bend", "squat")
    assert found(*things, text="squat") == ["Squat", "Deep bend", "Squatting", "Squad"]


def test_what_can_be_done_stands_before_what_cannot():
    assert found(thing("Hop, left", why="RED"), thing("Hop, right"), text="hop") == ["Hop, right", "Hop, left"]
    assert found(thing("Hop, left"), thing("Hop, right", why="RED"), text="hop") == ["Hop, left", "Hop, right"]


def test_no_kind_floods_the_list_and_the_rest_is_counted():
    things = [thing(f"Squat {n}", kind="exercise") for n in range(9)] + [thing("Squat, clip")]
    result = search(things, "squat")
    assert [item.kind for item in result.items].count("exercise") == 5 and result.more == {"exercise": 4}
    assert "Squat, clip" in [item.name for item in result.items]


def test_where_nothing_fits_the_nearest_is_offered():
    result = search([thing("Pelvic drop", "Trendelenburg")], "trendlnbrg")
    assert result.near and result.items[0].name == "Pelvic drop"
    assert not search([thing("Pelvic drop")], "zzzz").items


WORDS = sorted({w for name, _ in ROWS for w in split(name) if len(w) > 4 and w.isalpha()})


@given(st.sampled_from(WORDS), st.integers(0, 30), st.sampled_from(string.ascii_lowercase), st.integers(0, 3))
def test_one_slip_is_forgiven_in_any_order_case_and_accent(word, at, letter, kind):
    at %= len(word) - 1
    slips = (
        word[:at] + word[at + 1 :], word[:at] + letter + word[at:], word[:at] + letter + word[at + 1 :],
        word[:at] + word[at + 1] + word[at] + word[at + 2 :],
    )  # fmt: skip
    typed = slips[kind]
    if len(typed) >= 5:
        assert found(thing(f"The {word} test"), text=typed.upper()) == [f"The {word} test"]
    assert found(thing(f"The {word} test"), text=f"test {word}") == [f"The {word} test"]


def test_the_list_offers_the_nearest_and_opens_the_rest_of_a_kind(qtbot):
    ran: list[str] = []
    things = [Findable("exercise", f"Squat {n}", lambda n=n: ran.append(f"{n}")) for n in range(8)]
    shown = CommandList(None, things)
    qtbot.addWidget(shown)
    QTest.keyClicks(shown.field, "squat")
    assert shown.list.count() == 6 and "3 more exercises" in shown.list.item(5).text()
    for _ in range(5):
        QTest.keyClick(shown, Qt.Key.Key_Down)
    QTest.keyClick(shown.field, Qt.Key.Key_Return)
    assert shown.list.count() == 8 and not ran
    QTest.keyClick(shown.field, Qt.Key.Key_Return)
    assert ran == ["5"]
    shown.field.setText("sqaut 3")
    assert shown._shown[0].name == "Squat 3"
    shown.field.setText("nothing like it")
    assert "No match" in shown.near.text()
