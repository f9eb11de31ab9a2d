"""Every view of the demo clinic, at two sizes: drawn, nothing clipped, nothing over something else, all of it named."""

from __future__ import annotations

import hands
import numpy as np
from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QCheckBox,
    QComboBox,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QWidget,
)

from tuning.core.types import Side
from tuning.ui.patient_forms import PatientForm
from tuning.ui.picture.load_share_simulator import WhatIf
from tuning.ui.picture.plates_dialog import GroundDialog
from tuning.ui.widgets import ElidedLabel

SIZES = ((1280, 800), (1100, 700))
ARROW = 36
"""Room that the arrow and the edges of a choice take."""
LEAST_INKED = 0.01
"""Share of pixels that differ from the commonest colour in any view that is not empty."""


def entry_of(window, name):
    return window.workspace.knowledge.tests[name]


def force_view(name, test="squat-iso", side=None):
    def show(window):
        window.page("force").state.choose(test, side)
        window.page("force").show_view(name)

    return show


VIEWS = {
    "complaint": ("glassblower", "intake", lambda w: w.page("intake").open_leaf("Complaint")),
    "history": ("glassblower", "intake", lambda w: w.page("intake").open_leaf("History")),
    "shoes": ("glassblower", "intake", lambda w: w.page("intake").open_leaf("Shoes")),
    "safety": ("choir conductor", "intake", lambda w: w.page("intake").open_leaf("Safety")),
    "standing list": ("glassblower", "standing", lambda w: None),
    "standing grade": (
        "glassblower",
        "standing",
        lambda w: w.page("standing").open_test(entry_of(w, "knee-crease-level")),
    ),
    "foot score": (
        "glassblower",
        "standing",
        lambda w: w.page("standing").open_test(entry_of(w, "foot-posture-score")),
    ),
    "two scales": ("glassblower", "standing", lambda w: w.page("standing").open_test(entry_of(w, "two-scale-share"))),
    "standing photo": ("choir conductor", "standing", lambda w: w.page("standing").show_bench()),
    "mobility": ("glassblower", "mobility", lambda w: w.page("mobility").open_test(entry_of(w, "knee-to-wall"))),
    "walk": ("glassblower", "movement", lambda w: w.page("movement").bench.go(60)),
    "squat from the side": ("choir conductor", "movement", lambda w: w.page("movement").bench.go(46)),
    "faults": ("ferry deckhand", "movement", lambda w: w.page("movement").bench.fault_button.click()),
    "no picture": ("beekeeper", "movement", lambda w: None),
    "strength": ("glassblower", "strength", lambda w: w.page("strength").state.choose("hip-er:left")),
    "strength empty": ("beekeeper", "strength", lambda w: None),
    "plates before": ("potter", "force", force_view("Live", "lunge-fast", Side.LEFT)),
    "plates trace": ("glassblower", "force", force_view("Trace")),
    "plates stand": ("choir conductor", "force", force_view("Trace", "stance-one-leg", Side.RIGHT)),
    "plates all": ("glassblower", "force", force_view("All tests")),
    "plates none": ("beekeeper", "force", force_view("Trace", "jump")),
    "beam": ("potter", "force", force_view("Balance")),
    "ladders": ("glassblower", "programme", lambda w: w.page("programme").open_view(0)),
    "week": ("glassblower", "programme", lambda w: w.page("programme").open_view(1)),
    "session": ("glassblower", "programme", lambda w: w.page("programme").open_view(2)),
    "log and decide": ("glassblower", "programme", lambda w: w.page("programme").open_view(3)),
    "reasoning": ("glassblower", "reasoning", lambda w: None),
    "review": ("glassblower", "review", lambda w: None),
    "nothing filmed yet": ("beekeeper", "movement", lambda w: (w.new_visit(), w.go("movement"))),
}


def leaves(top: QWidget) -> list[QWidget]:
    """Visible controls, words and drawings that hold no others."""
    kinds = (QAbstractButton, QComboBox, QLineEdit, QLabel)
    found = [w for w in top.findChildren(QWidget) if w.isVisible() and w.width() > 0]
    drawn = [w for w in found if type(w).__module__.startswith("tuning.ui") and "paintEvent" in vars(type(w))]
    plain = [w for w in found if isinstance(w, kinds) and not isinstance(w.parent(), QComboBox)]
    return [*plain, *(w for w in drawn if w not in plain)]


def on_screen(widget: QWidget, top: QWidget) -> QRect:
    """What of a widget shows, in the window: scroll areas hide the rest."""
    box = QRect(widget.mapTo(top, widget.rect().topLeft()), widget.size())
    parent = widget.parentWidget()
    while parent is not None and parent is not top:
        if isinstance(parent, QScrollArea):
            view = parent.viewport()
            box &= QRect(view.mapTo(top, view.rect().topLeft()), view.size())
        parent = parent.parentWidget()
    return box


def words_of(widget: QWidget) -> str:
    text = widget.currentText() if isinstance(widget, QComboBox) else getattr(widget, "text", str)()
    return f"{type(widget).__name__} “{text or widget.accessibleName()}”"


def clipped(top: QWidget) -> list[str]:
    """Words that do not fit the widget they stand in."""
    found = []
    for widget in leaves(top):
        if isinstance(widget, ElidedLabel):
            continue  # gives way by design, and the pointer tells it whole
        if isinstance(widget, QLabel) and not widget.wordWrap() and widget.text() and "<" not in widget.text():
            needed = max(widget.fontMetrics().horizontalAdvance(line) for line in widget.text().splitlines())
            if needed > widget.contentsRect().width() + 2:
                found.append(f"{words_of(widget)}: {needed} > {widget.width()}")
        elif isinstance(widget, QComboBox) and widget.isEnabled():
            needed = widget.fontMetrics().horizontalAdvance(widget.currentText()) + ARROW
            if needed > widget.width():
                found.append(f"{words_of(widget)}: {needed} > {widget.width()}")
        elif isinstance(widget, QPushButton | QCheckBox) and widget.sizeHint().width() > widget.width() + 2:
            found.append(f"{words_of(widget)}: {widget.sizeHint().width()} > {widget.width()}")
    return found


def overlapping(top: QWidget) -> list[str]:
    """Pairs of controls or words that lie over each other."""
    boxes = [(w, on_screen(w, top)) for w in leaves(top)]
    shown = [(w, box) for w, box in boxes if box.isValid() and not (isinstance(w, QLabel) and not w.text())]
    found = []
    for n, (one, a) in enumerate(shown):
        for other, b in shown[n + 1 :]:
            common = a & b
            related = one.isAncestorOf(other) or other.isAncestorOf(one)
            if not related and common.width() > 2 and common.height() > 2:
                found.append(f"{words_of(one)} over {words_of(other)}")
    return found


def cut(top: QWidget) -> list[str]:
    """What a scroll area that moves up and down alone hides at its side."""
    shown = [(widget, on_screen(widget, top)) for widget in leaves(top)]
    return [f"{words_of(w)}: {box.width()} of {w.width()}" for w, box in shown if 0 < box.width() < w.width() - 2]


def unnamed(top: QWidget) -> list[str]:
    """Controls that take the keyboard, and drawings, that have neither words nor a name."""
    found = []
    for widget in top.findChildren(QWidget):
        inner = isinstance(widget.parent(), QAbstractSpinBox | QComboBox)  # their outside carries the name
        if inner or not widget.isVisible() or widget.focusPolicy() == Qt.FocusPolicy.NoFocus:
            continue
        has_words = isinstance(widget, QAbstractButton) and widget.text()
        if isinstance(widget, QAbstractButton | QAbstractSpinBox | QComboBox | QLineEdit) and not (
            widget.accessibleName() or has_words
        ):
            found.append(words_of(widget))
    drawn = [w for w in leaves(top) if type(w).__module__.startswith("tuning.ui")]
    return found + [words_of(w) for w in drawn if not (w.accessibleName() or getattr(w, "text", str)())]


def inked(top: QWidget) -> float:
    """Share of pixels that are not of the commonest colour."""
    image = top.grab().toImage().convertToFormat(QImage.Format.Format_RGB32)
    bits = image.constBits()
    bits.setsize(image.sizeInBytes())
    pixels = np.frombuffer(bits, np.uint32)
    _, counts = np.unique(pixels, return_counts=True)
    return 1 - counts.max() / pixels.size


def by_person(views):
    """Views of one person behind each other: opening somebody takes longest."""
    people = list(dict.fromkeys(person for person, *_ in views.values()))
    return sorted(views.items(), key=lambda view: people.index(view[1][0]))


def test_every_view_is_whole(window, patient):
    wrong, opened = [], ""
    for name, (occupation, stage, prepare) in by_person(VIEWS):
        if occupation != opened:
            patient(occupation, stage)
        window.go(stage)
        opened = occupation
        hands.settle()
        prepare(window)
        for size in SIZES:
            window.resize(*size)
            hands.settle()
            assert inked(window) > LEAST_INKED and (window.width(), window.height()) == size, name
            for fault, found in (("clipped", clipped), ("cut", cut), ("over", overlapping), ("unnamed", unnamed)):
                wrong += [f"{name} at {size}, {fault}: {told}" for told in found(window)]
    assert not wrong, "\n".join(wrong)


def test_every_dialog_is_whole(qtbot, window, patient):
    patient("choir conductor", "movement")
    hands.settle()
    ground = GroundDialog(window, window.page("movement").bench.following)
    facts = PatientForm(window, patient=window.workspace.patient)
    for dialog in (ground, WhatIf(window, 63.0, 1.65), facts):
        qtbot.addWidget(dialog)
        dialog.show()
        hands.settle()
        assert inked(dialog) > LEAST_INKED
        assert not [*clipped(dialog), *overlapping(dialog), *unnamed(dialog)]
        dialog.close()
