"""The rope: a link's history as a band, many links at once, as pixels.

Up is antenna A in decibels over need, down is B; every column keeps the worst reading. Thin: weak. Half missing: one
antenna lost. Gap: dropout. Hatched: strong but disturbed. Hollow: muted. Outline only: it arrives and nobody hears it.
Dots: the gear tells nothing. It tells by shape, and works in grey.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtGui import QColor, QImage

from azven.work.watch import rings
from azven.work.watch.rings import Readings, Signs

FULL_DB = 40.0
"""So far over need is full height."""
BY_QUALITY_DB = 24.0
"""A link that tells no level is drawn by its quality, that high at 100."""
Pixels = NDArray[np.uint32]
SOLID, HATCHED, HOLLOW, OUTLINE, DOTS, GAP = range(6)


@dataclass(frozen=True)
class Rope:
    """Ropes of m links in columns: decibels over need of A and B (m, columns), and how each column is drawn."""

    a_db: NDArray[np.float32]
    b_db: NDArray[np.float32]
    how: NDArray[np.int8]


@dataclass(frozen=True)
class Ink:
    """Colours of A, B, of lines, and of what is disturbed, as 32-bit ARGB."""

    a: int
    b: int
    line: int
    wrong: int


def ink(a: QColor, b: QColor, line: QColor, wrong: QColor) -> Ink:
    return Ink(a.rgba(), b.rgba(), line.rgba(), wrong.rgba())


def ropes(readings: Readings, signs: Signs, need_dbm: NDArray[np.float32], columns: int) -> Rope:
    """Readings (n, fields, m) and signs (n, m) of m links in so many columns; `need_dbm` (m,) is what each needs."""
    n = max(len(readings), 1)
    first = np.linspace(0, n, columns, endpoint=False).astype(np.intp)
    worst = np.fmin.reduceat(readings, first, axis=0)
    any_sign = np.bitwise_or.reduceat(signs, first, axis=0)
    quality = worst[:, rings.Q]
    a, b = worst[:, rings.A] - need_dbm, worst[:, rings.B] - need_dbm
    levelless = np.isnan(a) & np.isnan(b)
    by_quality = np.where(np.isfinite(quality), quality / 100 * BY_QUALITY_DB, np.nan)
    a, b = np.where(levelless, by_quality, a), np.where(levelless, by_quality, b)
    better = np.fmax(np.nan_to_num(a, nan=-1.0), np.nan_to_num(b, nan=-1.0))
    how = np.full(a.shape, SOLID, np.int8)
    how[better <= 0] = GAP
    how[(quality < 50) & (better > 0) & ~levelless] = HATCHED
    how[(any_sign & rings.MUTED) > 0] = HOLLOW
    how[(any_sign & rings.UNPLUGGED) > 0] = OUTLINE
    how[levelless & np.isnan(quality)] = DOTS
    return Rope(np.nan_to_num(a).T.astype(np.float32), np.nan_to_num(b).T.astype(np.float32), how.T)


def pixels(rope: Rope, height: int, colours: Ink) -> Pixels:
    """Pictures (m, height, columns) of ropes."""
    m, columns = rope.how.shape
    half = height // 2
    up = (half - np.arange(height))[None, :, None]
    heights = (np.where(x > 0, np.maximum(np.minimum(x, FULL_DB) / FULL_DB * half, 1.0), 0.0)[:, None, :]
               for x in (rope.a_db, rope.b_db))  # fmt: skip
    top, bottom = heights
    how = rope.how[:, None, :]
    out = np.zeros((m, height, columns), np.uint32)
    inside_a, inside_b = (up > 0) & (up <= top), (up < 0) & (-up <= bottom)
    solid = how == SOLID
    out[inside_a & solid] = colours.a
    out[inside_b & solid] = colours.b
    inside = inside_a | inside_b
    stripes = (np.arange(columns)[None, None, :] + up) % 3 == 0
    out[inside & (how == HATCHED) & stripes] = colours.wrong
    rim = (np.abs(up - np.sign(up) * np.where(up > 0, top, bottom)) < 1.0) & inside
    out[rim & (how == HATCHED)] = colours.wrong
    thick = (np.abs(up - np.sign(up) * np.where(up > 0, top, bottom)) < 2.0) & inside
    for place, colour in ((inside_a, colours.a), (inside_b, colours.b)):
        out[thick & place & (how == HOLLOW)] = colour
        out[rim & place & (how == OUTLINE)] = colour
    middle = np.broadcast_to(up == 0, out.shape)
    out[middle & np.isin(how, (SOLID, HATCHED, HOLLOW))] = colours.line
    out[middle & (how == DOTS) & (np.arange(columns)[None, None, :] % 4 == 0)] = colours.a
    return out


def image(picture: Pixels) -> QImage:
    """A picture (height, width) as Qt paints it."""
    high, wide = picture.shape
    return QImage(picture.tobytes(), wide, high, 4 * wide, QImage.Format.Format_ARGB32).copy()
