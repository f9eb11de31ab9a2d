"""The picture with its marks: click, drag, nudge, zoom, and a lens on the pixels."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import (
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QResizeEvent,
    QWheelEvent,
)
from PyQt6.QtWidgets import QSizePolicy, QWidget

from tuning.core.pictures.landmarks import landmark_name
from tuning.core.pictures.marks import MarkReading
from tuning.core.types import Floats, Side
from tuning.core.units import format_signed
from tuning.ui import theme
from tuning.ui.picture.mark_state import REFERENCES, MarkState

GRAB_PX = 11.0
TAG_PX = 22.0
"""Height of a name beside a mark."""
CLEAR = 14.0
"""From the middle of a mark to the words beside it, px: clear of its ring."""
MARGIN, LEAST_EXTENT_PX = 0.18, 40.0
"""Room around the marks of a person, share of the longer side; marks nearer together than this fill no view."""
LENS_RADIUS, LENS_POWER = 66.0, 8.0
COMING = "The picture of this frame is still being read; place the mark when it is there."


def _far(a: QPointF, b: QPointF) -> bool:
    """More than a trembling hand moves during a click."""
    return (a - b).manhattanLength() > 3


def side_of(key: str) -> Side:
    """The side in a landmark name."""
    end = key.rsplit("_", 1)[-1]
    return Side(end) if end in ("left", "right") else Side.NONE


class Canvas(QWidget):
    """Arrow keys nudge, Delete removes, wheel zooms, middle button pans, Escape abandons a drag."""

    def __init__(self, board: MarkState) -> None:
        super().__init__()
        self.board = board
        self.image: QImage | None = None
        self.frame = 0
        """The frame that is on screen; while another is being decoded it is not yet the one that is meant."""
        self._zoom, self._pan = 1.0, QPointF()
        self._fitted: QRectF | None = None
        """The part of the picture that fills the view, image px; None for all of it."""
        self._drag: str | None = None
        self._near: str | None = None
        self._pressed: QPointF | None = None
        self._grip = QPointF()
        self._pan_from: QPointF | None = None
        self._pointer: QPointF | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setCursor(Qt.CursorShape.CrossCursor)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(360, 180)
        self.setAccessibleName("Picture with marks")
        board.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        """As wide as the workbench allows."""
        return QSize(820, 462)

    # picture and coordinates

    @property
    def arrived(self) -> bool:
        """Whether the frame that is meant is on screen, so that a hand marks what the eye sees."""
        return self.image is not None and self.frame == self.board.frame

    def show_image(self, image: QImage | None, frame: int) -> None:
        """Show another picture, keeping zoom when the size stays."""
        self.frame = frame
        if image is None or self.image is None or image.size() != self.image.size():
            self.image = image
            self.fit(True)
        self.image = image
        self._tell_zoom()
        self.update()

    def fit(self, person: bool) -> None:
        """Fill the view with the person, as far as marks tell where that is, or show the whole picture."""
        self._fitted = self._around(self.board.extent()) if person and self.image is not None else None
        self._zoom, self._pan = 1.0, QPointF()
        self._tell_zoom()
        self.update()

    def toggle_fit(self) -> None:
        """The person, or the whole picture."""
        self.fit(self._fitted is None)

    def _around(self, extent: tuple[Floats, Floats] | None) -> QRectF | None:
        """The marks with a margin, inside the picture."""
        if extent is None or self.image is None:
            return None
        low, high = extent
        margin = MARGIN * float(max(high - low))
        box = QRectF(QPointF(*(low - margin)), QPointF(*(high + margin)))
        return box.intersected(QRectF(self.image.rect())) if margin > LEAST_EXTENT_PX * MARGIN else None

    def _box(self) -> QRectF:
        """What fills the view, image px."""
        assert self.image is not None
        return QRectF(self.image.rect()) if self._fitted is None else self._fitted

    def _scale(self) -> float:
        if self.image is None:
            return 1.0
        box = self._box()
        return min(self.width() / box.width(), self.height() / box.height()) * self._zoom

    def _origin(self) -> QPointF:
        """Where the corner of the picture lies; without a hand on it the picture covers as much as it can."""
        if self.image is None:
            return QPointF()
        scale, middle = self._scale(), self._box().center()
        places = []
        sizes = ((self.width(), self.image.width(), middle.x()), (self.height(), self.image.height(), middle.y()))
        for view, size, centre in sizes:
            spare = view - size * scale
            place = view / 2 - centre * scale
            places.append(spare / 2 if spare >= 0 else min(0.0, max(spare, place)))
        return QPointF(*places) + self._pan

    def to_widget(self, at: Floats) -> QPointF:
        """Widget place of an image point."""
        return self._origin() + QPointF(float(at[0]), float(at[1])) * self._scale()

    def to_image(self, at: QPointF) -> Floats:
        """Image point under a widget place."""
        place = (at - self._origin()) / self._scale()
        return np.array([place.x(), place.y()])

    def _tell_zoom(self) -> None:
        self.board.zoom = self._scale()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The fit changes."""
        self._tell_zoom()
        super().resizeEvent(event)

    def zoom_by(self, factor: float, about: QPointF) -> None:
        """Zoom with the point under `about` kept in place; between fit and 20 times."""
        under = self.to_image(about)
        if self._zoom * factor < 1.0 and self._fitted is not None:  # further out than the person
            before = self._scale()
            self._fitted, self._zoom = None, 1.0
            self._zoom = before / self._scale()
        self._zoom = min(max(self._zoom * factor, 1.0), 20.0)
        if self._zoom == 1.0:
            self._pan = QPointF()
        else:
            self._pan += about - self.to_widget(under)
        self._tell_zoom()
        self.update()

    # gestures

    def _points(self) -> dict[str, Floats]:
        """Points of the frame on screen."""
        return self.board.points(self.frame)

    def _point_at(self, place: QPointF) -> str | None:
        gaps = {key: (self.to_widget(at) - place).manhattanLength() for key, at in self._points().items()}
        near = min(gaps, key=lambda key: gaps[key], default=None)
        return near if near is not None and gaps[near] <= GRAB_PX else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Remember where; what it means shows at the next move or release."""
        if event is None or self.image is None:
            return
        self.setFocus()
        place = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._pan_from = place
            return
        if not self.arrived:
            self.board.message.emit(COMING)
            return
        self._pressed, self._near = place, self._point_at(place)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag, pan, or look through the lens."""
        if event is None:
            return
        place = self._pointer = event.position()
        if self._pan_from is not None:
            self._pan += place - self._pan_from
            self._pan_from = place
        elif self._drag is not None:
            self.board.hold(self._drag, self.to_image(place + self._grip))
        elif self._near is not None and self._pressed is not None and _far(place, self._pressed):
            self.board.choose(self._near)
            self._drag = self._near
            self._grip = self.to_widget(self.board.points()[self._near]) - self._pressed
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """The end of a drag is one undo step; a click without a drag places what is chosen."""
        if event is None:
            return
        pressed, self._pressed = self._pressed, None
        self._pan_from = None
        if self._drag is not None:
            key, self._drag = self._drag, None
            self.board.move(key, self.to_image(event.position() + self._grip))
        elif pressed is not None and self.image is not None:
            at = self.to_image(pressed)
            near = self._near is not None and self.board.optional
            if self.board.waiting and not near and QRectF(self.image.rect()).contains(QPointF(*at)):
                self.board.place(at)
            elif self._near is not None:
                self.board.choose(self._near)

    def leaveEvent(self, event: object) -> None:
        """The lens goes away."""
        self._pointer = None
        self.update()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Zoom about the pointer."""
        if event is not None:
            self.zoom_by(1.2 ** (event.angleDelta().y() / 120), event.position())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Nudge by a tenth of a pixel (Shift: one pixel), delete, abandon."""
        if event is None:
            return
        moves = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }
        key = Qt.Key(event.key())
        changes = {*moves, Qt.Key.Key_Delete, Qt.Key.Key_Backspace}
        if key in changes and self.image is not None and not self.arrived:
            self.board.message.emit(COMING)
        elif key in moves and self.board.chosen in self.board.points():
            far = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
            self.board.nudge(moves[key][0] * far, moves[key][1] * far)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.board.remove()
        elif key == Qt.Key.Key_Escape and self._drag is not None:
            self._drag = None
            self.board.release_files()
        elif key == Qt.Key.Key_Escape and self.board.optional and self.board.waiting:
            self.board.choose("")
        else:
            super().keyPressEvent(event)

    # drawing

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Picture, lines, marks, angles, lens."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.colour("stage"))
        if self.image is None:
            return
        scale = self._scale()
        size = QRectF(0, 0, self.image.width() * scale, self.image.height() * scale)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, scale < 4)
        painter.drawImage(size.translated(self._origin()), self.image)
        points = self._points()
        self._paint_references(painter, points)
        self._paint_chains(painter, points)
        for key, at in points.items():
            self._paint_mark(painter, self.to_widget(at), key)
        self._paint_proposed(painter, points)
        self._paint_sides(painter)
        self._paint_angles(painter, points)
        if self._pointer is not None and (self._drag or self.board.chosen):
            self._paint_lens(painter)

    def _line(self, painter: QPainter, a: QPointF, b: QPointF, role: str, dashed: bool = False) -> None:
        under = QPen(theme.colour("stage"), 4)
        over = QPen(theme.colour(role), 2)
        if dashed:
            over.setDashPattern([3, 2])
        for pen in (under, over):
            painter.setPen(pen)
            painter.drawLine(a, b)

    def _paint_references(self, painter: QPainter, points: dict[str, Floats]) -> None:
        for what in REFERENCES:
            ends = [points.get(f"{what}:{end}") for end in "ab"]
            if ends[0] is not None and ends[1] is not None:
                a, b = self.to_widget(ends[0]), self.to_widget(ends[1])
                self._line(painter, a, b, "on_stage", dashed=True)
                painter.setFont(theme.font(theme.SMALL))
                width = painter.fontMetrics().horizontalAdvance(what) + 14
                fits = b.x() + CLEAR + width <= self.width() - 4
                self._tag(painter, b + QPointF(CLEAR if fits else -CLEAR - width, 4), what)

    def _paint_chains(self, painter: QPainter, points: dict[str, Floats]) -> None:
        picture_kind = self.board.picture_kind
        for chain in picture_kind.chains:
            chains: list[tuple[tuple[str, ...], str]] = [(chain, "on_stage")]
            if chain[0] not in picture_kind.landmarks:
                chains = [(tuple(f"{n}_{s.value}" for n in chain), f"{s.value}_wash") for s in (Side.LEFT, Side.RIGHT)]
            for names, role in chains:
                for a, b in zip(names, names[1:], strict=False):
                    if a in points and b in points:
                        self._line(painter, self.to_widget(points[a]), self.to_widget(points[b]), role)

    def _paint_mark(self, painter: QPainter, at: QPointF, key: str) -> None:
        side = side_of(key)
        ring = theme.colour(f"{side.value}_wash" if side is not Side.NONE else "on_stage")
        chosen = key == self.board.chosen
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for width, ink in ((5, theme.colour("stage")), (2.4, ring)):
            painter.setPen(QPen(ink, width))
            painter.drawEllipse(at, 7, 7)
        painter.setPen(QPen(ring, 1))
        painter.drawPoint(at)
        if chosen:
            painter.setPen(QPen(theme.colour("on_stage"), 1.5))
            painter.drawEllipse(at, 12, 12)

    def _paint_proposed(self, painter: QPainter, points: dict[str, Floats]) -> None:
        """Markers that may be taken: dashed rings, and their names on the side of the picture they lie on."""
        places = {k: self.to_widget(at) for k, at in self.board.proposed.get(self.board.frame, {}).items()}
        if not places:
            return
        middle = sum(at.x() for at in places.values()) / len(places)
        lowest = {True: -TAG_PX, False: -TAG_PX}
        for key, at in sorted(places.items(), key=lambda one: one[1].y()):
            if key in points:
                continue
            for width, ink, dashes in ((5, theme.colour("stage"), []), (2.4, theme.colour("on_stage"), [2, 1.5])):
                pen = QPen(ink, width)
                pen.setDashPattern(dashes) if dashes else None
                painter.setPen(pen)
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(at, 8, 8)
            text, left, side = landmark_name(key), at.x() < middle, side_of(key)
            painter.setFont(theme.font(theme.SMALL))
            wide = painter.fontMetrics().horizontalAdvance(text) + 14
            lowest[left] = max(lowest[left] + TAG_PX, at.y())  # names of near places stand below each other
            beside = [p.x() for p in places.values() if (p.x() < middle) is left and abs(p.y() - lowest[left]) < TAG_PX]
            edge = min([at.x(), *beside]) - CLEAR - wide if left else max([at.x(), *beside]) + CLEAR
            place = QPointF(edge, lowest[left])
            self._tag(painter, place, text, f"{side.value}_wash" if side is not Side.NONE else "on_stage")

    def _tag(self, painter: QPainter, at: QPointF, text: str, role: str = "on_stage", bold: bool = False) -> None:
        painter.setFont(theme.font(theme.BODY if bold else theme.SMALL, bold))
        width = painter.fontMetrics().horizontalAdvance(text)
        height = 24 if bold else 20
        box = QRectF(at.x(), at.y() - height / 2, width + 14, height)
        box.moveLeft(min(max(box.left(), 4), self.width() - box.width() - 4))
        back = theme.colour("stage")
        back.setAlpha(225)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(back)
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(theme.colour(role))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_sides(self, painter: QPainter) -> None:
        left = self.board.picture_kind.image_left
        if left is Side.NONE:
            return
        y = self.height() - 18.0
        self._tag(painter, QPointF(10, y), f"patient's {left.value}", f"{left.value}_wash")
        other = f"patient's {left.other.value}"
        self._tag(painter, QPointF(self.width() - 110.0, y), other, f"{left.other.value}_wash")

    def _paint_angles(self, painter: QPainter, points: dict[str, Floats]) -> None:
        for reading in self.board.readings(self.frame):
            tags = self.board.picture_kind.tags
            if not isinstance(reading.value, float) or reading.measure_id not in tags:
                continue
            middle = points[reading.marks[len(reading.marks) // 2 if len(reading.marks) > 2 else 0]]
            left = self.board.picture_kind.image_left
            outward = -1 if reading.side in (left, Side.NONE) else 1
            text = reading_text(reading, self.board.unit_of(reading.measure_id), tags[reading.measure_id])
            painter.setFont(theme.font(theme.BODY, True))
            width = painter.fontMetrics().horizontalAdvance(text) + 14
            at = self.to_widget(middle) + QPointF(24 if outward > 0 else -24 - width, 0)
            role = "on_stage" if reading.side is Side.NONE else f"{reading.side.value}_wash"
            self._tag(painter, at, text, role, bold=True)

    def _paint_lens(self, painter: QPainter) -> None:
        assert self._pointer is not None and self.image is not None
        place = self._pointer + (self._grip if self._drag else QPointF())
        at = self.to_image(place)
        off = LENS_RADIUS + 26
        x = place.x() + (off if place.x() + 2 * off < self.width() else -off)
        y = place.y() + (-off if place.y() - 2 * off > 0 else off)
        centre = QPointF(x, y)
        clip = QPainterPath()
        clip.addEllipse(centre, LENS_RADIUS, LENS_RADIUS)
        span = LENS_RADIUS / LENS_POWER
        painter.save()
        painter.setClipPath(clip)
        painter.fillPath(clip, theme.colour("stage"))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, False)
        target = QRectF(x - LENS_RADIUS, y - LENS_RADIUS, 2 * LENS_RADIUS, 2 * LENS_RADIUS)
        painter.drawImage(target, self.image, QRectF(at[0] - span, at[1] - span, 2 * span, 2 * span))
        painter.restore()
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.colour("on_stage"), 2))
        painter.drawEllipse(centre, LENS_RADIUS, LENS_RADIUS)
        painter.setPen(QPen(theme.colour("accent"), 1))
        for dx, dy in ((1, 0), (0, 1)):
            step = QPointF(dx * 14, dy * 14)
            painter.drawLine(centre - step, centre - step * 0.25)
            painter.drawLine(centre + step * 0.25, centre + step)


def reading_text(reading: MarkReading, unit: str, name: str = "") -> str:
    """A reading with its expected marking error, for the picture."""
    assert isinstance(reading.value, float) and reading.expected_error is not None
    return f"{name} {format_signed(reading.value, 1)}{unit} ±{reading.expected_error:.1f}".strip()
