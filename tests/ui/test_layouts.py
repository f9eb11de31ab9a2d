"""The two layout parts of our own: rows that go on below, and lines that give way."""

from __future__ import annotations

import hands
import pytest
from PyQt6.QtCore import QRect, QSize
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from tuning.ui.widgets import ElidedLabel, Flow, in_scroll

SIZES = (60, 90, 40, 120, 70)


class Block(QWidget):
    """A part of a known size."""

    def __init__(self, width: int, height: int = 20) -> None:
        super().__init__()
        self._size = QSize(width, height)

    def sizeHint(self) -> QSize:
        return self._size


@pytest.fixture
def blocks(qtbot):
    holder = QWidget()
    qtbot.addWidget(holder)
    parts = [Block(width) for width in SIZES]
    flow = Flow(parts, gap=8)
    holder.setLayout(flow)
    holder.show()
    return holder, flow, parts


@pytest.mark.parametrize("width", [130, 200, 300, 412, 1000])
def test_rows_are_filled_in_order_and_never_overrun(blocks, width):
    _, flow, parts = blocks
    flow.setGeometry(QRect(0, 0, width, 400))
    tops = [part.y() for part in parts]
    assert tops == sorted(tops)
    for n, part in enumerate(parts):
        assert part.x() + part.width() <= width
        for other in parts[:n]:
            assert not part.geometry().intersects(other.geometry())
        if n and part.y() > parts[n - 1].y():
            assert parts[n - 1].x() + parts[n - 1].width() + 8 + part.width() > width, "wrapped only for want of room"
    assert flow.heightForWidth(width) == max(part.y() + part.height() for part in parts)


def test_what_is_hidden_takes_no_room_and_what_is_low_stands_in_the_middle(blocks):
    _, flow, parts = blocks
    whole = flow.sizeHint().width()
    assert whole == sum(SIZES) + 4 * 8
    parts[1].hide()
    assert flow.sizeHint().width() == whole - 98
    parts[2]._size = QSize(40, 10)
    parts[2].updateGeometry()
    flow.setGeometry(QRect(0, 0, 1000, 40))
    assert parts[2].x() == 68 and parts[2].y() == 5
    assert flow.minimumSize().width() <= 120 and flow.itemAt(9) is None and flow.takeAt(-1) is None


def test_a_long_line_gives_way_and_is_told_whole(qtbot):
    line = ElidedLabel()
    qtbot.addWidget(line)
    line.setText("surgeon's limits; left: nothing fast; until the check in spring")
    line.resize(line.sizeHint())
    line.show()
    hands.settle()
    line.grab()
    assert line.shown == line.text() and not line.toolTip()
    line.resize(120, 20)
    line.grab()
    assert line.shown.endswith("…") and line.text().startswith(line.shown[:-1])
    assert line.toolTip() == line.text() and line.minimumSizeHint().width() <= 48


def test_a_low_window_scrolls_what_it_cannot_show(qtbot):
    inside = QWidget()
    column = QVBoxLayout(inside)
    fields = [Block(100, 60) for _ in range(8)]
    for field in fields:
        field.setMinimumHeight(60)
        column.addWidget(field)
    room = in_scroll(inside)
    qtbot.addWidget(room)
    room.resize(200, 200)
    room.show()
    hands.settle()
    assert room.verticalScrollBar().maximum() > 0 and not room.horizontalScrollBar().isVisible()
    tops = [field.y() for field in fields]
    assert all(b - a >= 60 for a, b in zip(tops, tops[1:], strict=False)), "nothing lies over its neighbour"
