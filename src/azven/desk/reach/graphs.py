"""A walk as a graph of both antennas and the better one, and an antenna's pattern around and upwards."""

import math

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QWidget

from azven.book.records import Antenna
from azven.desk import theme as look
from azven.desk.axis import polygon
from azven.desk.session import Session
from azven.rf.levels import beam_gain_dbi, omni_gain_dbi
from azven.rf.reach import Walk

_LEFT, _TOP, _BOTTOM = 44, 16, 18
_TOP_DBM, _BOTTOM_DBM = -30.0, -110.0
_ROLES = ("petrol", "plum", "slate", "ochre")


class WalkGraph(QWidget):
    """Level along a walk: one line an antenna, the better one filled to, the need as a dashed line."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.walk: Walk | None = None
        self.threshold_dbm = -93.0
        self.setMinimumHeight(84)
        self.setAccessibleName("Level along the walk")
        session.themed.connect(self.update)

    def show_walk(self, walk: Walk | None, threshold_dbm: float) -> None:
        self.walk, self.threshold_dbm = walk, threshold_dbm
        self.update()

    def _y(self, level: "np.ndarray | float") -> "np.ndarray":
        share = (np.clip(level, _BOTTOM_DBM, _TOP_DBM) - _BOTTOM_DBM) / (_TOP_DBM - _BOTTOM_DBM)
        return np.asarray(self.height() - _BOTTOM - share * (self.height() - _TOP - _BOTTOM))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        painter.fillRect(self.rect(), theme.color("ground"))
        painter.setFont(look.font(look.SMALL_PX))
        for level in (-40, -60, -80, -100):
            y = float(self._y(float(level)))
            painter.setPen(theme.color("line"))
            painter.drawLine(QLineF(_LEFT, y, self.width() - 8, y))
            painter.setPen(theme.color("dim"))
            painter.drawText(QRectF(0, y - 8, _LEFT - 6, 16), Qt.AlignmentFlag.AlignRight, f"−{-level}")
        if self.walk is None:
            return
        x = _LEFT + self.walk.along_m / self.walk.along_m[-1] * (self.width() - _LEFT - 8)
        best = self.walk.levels_dbm.max(axis=0)
        floor = float(self.height() - _BOTTOM)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("silhouette", 110))
        painter.drawPolygon(polygon(np.r_[x[:1], x, x[-1:]], np.r_[floor, self._y(best), floor]))
        for i, levels in enumerate(self.walk.levels_dbm):
            painter.setPen(QPen(theme.color(_ROLES[i % 4]), 1))
            painter.drawPolyline(polygon(x, self._y(levels)))
        y = float(self._y(self.threshold_dbm))
        painter.setPen(QPen(theme.color("brick"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QLineF(_LEFT, y, self.width() - 8, y))
        painter.setPen(theme.color("dim"))
        lost = self.walk.dropouts(self.threshold_dbm)
        text = (
            f"walk of {self.walk.along_m[-1]:.0f} m, dBm; grey: the better antenna; need dashed; under need {lost:.1%}"
        )
        painter.drawText(QRectF(_LEFT, 0, self.width() - _LEFT, _TOP), 0, text)


class PatternView(QWidget):
    """The pattern of an antenna around (left) and upwards (right), 5 dB a ring."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.antenna: Antenna | None = None
        self.setFixedWidth(210)
        self.setMinimumHeight(84)
        self.setAccessibleName("Pattern of the selected antenna")
        session.themed.connect(self.update)

    def show_antenna(self, antenna: Antenna | None) -> None:
        self.antenna = antenna
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme = QPainter(self), self._session.theme
        painter.fillRect(self.rect(), theme.color("ground"))
        painter.setFont(look.font(look.SMALL_PX))
        if self.antenna is None:
            painter.setPen(theme.color("dim"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Select an antenna.")
            return
        radius = min(self.width() / 4, self.height() / 2) - 12
        for i, words in enumerate(("around", "upwards")):
            centre = QPointF(self.width() * (1 + 2 * i) / 4, self.height() / 2 - 4)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(theme.color("line"))
            for ring in (0.25, 0.5, 0.75, 1.0):
                painter.drawEllipse(centre, radius * ring, radius * ring)
            painter.setPen(QPen(theme.color("petrol"), 1))
            painter.drawPolygon(QPolygonF(self._outline(centre, radius, upwards=bool(i))))
            painter.setPen(theme.color("dim"))
            painter.drawText(QRectF(centre.x() - 50, self.height() - 16, 100, 16), Qt.AlignmentFlag.AlignCenter, words)

    def _outline(self, centre: QPointF, radius: float, upwards: bool) -> list[QPointF]:
        antenna = self.antenna
        assert antenna is not None
        turn = antenna.tilt_deg if upwards else antenna.azimuth_deg
        out = []
        for degrees in range(0, 360, 4):
            off = abs((degrees - turn + 180) % 360 - 180)
            if antenna.kind == "omni":
                gain = float(omni_gain_dbi(0.0, off if upwards and off <= 90 else 180 - off if upwards else 0.0))
            else:
                gain = float(beam_gain_dbi(0.0, off, antenna.beamwidth_deg, antenna.front_back_db))
            r = radius * max(0.0, 1 + gain / 20)
            at = math.radians(degrees)
            up = 1 if upwards else -1  # azimuths run clockwise, as on the plan
            out.append(QPointF(centre.x() + r * math.cos(at), centre.y() - up * r * math.sin(at)))
        return out
