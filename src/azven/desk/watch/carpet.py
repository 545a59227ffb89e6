"""Where grains lie: rooms side by side, each in columns, as large as there is room for; all of them as one picture."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QRectF

from azven.desk.watch.ropes import Pixels
from azven.rf.diagnose.record import LinkHead

GAP, HEAD = 2, 34
_BETWEEN = 14
_SIZES = ((84, 15), (60, 13), (42, 11), (28, 10), (20, 9), (14, 8), (10, 8), (8, 6), (6, 4))


@dataclass(frozen=True)
class Block:
    """A room: its links by their places, where it begins, and its columns."""

    room: str
    members: Sequence[int]
    left: int
    columns: int


@dataclass(frozen=True, kw_only=True)
class Carpet:
    """Grains of `wide` × `high` pixels, `rows` in a column, under a heading; `boxes` of links by their places."""

    wide: int
    high: int
    rows: int
    blocks: tuple[Block, ...]
    boxes: Mapping[int, QRectF]

    @property
    def step(self) -> tuple[int, int]:
        return self.wide + GAP, self.high + GAP

    def picture(self, grains: Pixels, width: int) -> Pixels:
        """All grains (m, high, wide) on one canvas; what does not fit is cut off at the right."""
        step_x, step_y = self.step
        canvas = np.zeros((self.rows * step_y, max(width, 1)), np.uint32)
        for block in self.blocks:
            padded = np.zeros((block.columns * self.rows, step_y, step_x), np.uint32)
            padded[: len(block.members), : self.high, : self.wide] = grains[list(block.members)]
            parts = padded.reshape(block.columns, self.rows, step_y, step_x).transpose(1, 2, 0, 3)
            whole = parts.reshape(self.rows * step_y, block.columns * step_x)
            room = max(min(whole.shape[1], canvas.shape[1] - block.left), 0)
            canvas[:, block.left : block.left + room] = whole[:, :room]
        return canvas


def laid_out(links: Sequence[LinkHead], width: int, height: int) -> Carpet:
    """A carpet of links in an area [px]."""
    rooms: dict[str, list[int]] = {}
    for i, link in enumerate(links):
        rooms.setdefault(link.zone or "elsewhere", []).append(i)
    sizes = [(wide, high, max((height - HEAD - 2) // (high + GAP), 1)) for wide, high in _SIZES]
    wide, high, rows = next((size for size in sizes if _fits(size, rooms, width)), sizes[-1])
    step = wide + GAP
    columns = {room: -(-len(members) // rows) for room, members in rooms.items()}
    between = min(_BETWEEN, max((width - sum(columns.values()) * step) // max(len(rooms), 1), 4))
    blocks, boxes, left = [], dict[int, QRectF](), 0
    for room, members in rooms.items():
        blocks.append(Block(room, members, left, columns[room]))
        for k, i in enumerate(members):
            boxes[i] = QRectF(left + k // rows * step, HEAD + k % rows * (high + GAP), wide, high)
        left += columns[room] * step + between
    return Carpet(wide=wide, high=high, rows=rows, blocks=tuple(blocks), boxes=boxes)


def _fits(size: tuple[int, int, int], rooms: Mapping[str, Sequence[int]], width: int) -> bool:
    wide, _, rows = size
    columns = sum(-(-len(members) // rows) for members in rooms.values())
    return columns * (wide + GAP) + _BETWEEN * len(rooms) <= width
