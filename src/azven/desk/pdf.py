"""HTML as PDF: Qt lays it out, we draw it page by page with our own foot."""

import errno
import os
from collections.abc import Callable
from pathlib import Path
from typing import Literal

from PyQt6.QtCore import QMarginsF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QPageLayout, QPageSize, QPainter, QPdfWriter, QTextCursor, QTextDocument, QTextFormat

from azven.book.formats.whole import written_whole
from azven.desk import theme as look

_DPI = 300
_MARGIN_MM = 14.0
_LAST, _AFTER_LAST = b"%%EOF", 8
_FOOT_PX = 90
_ROOM_UNDER_HEADING_PX = 260
Paper = Literal["A4", "A5 across"]
_PAPERS: dict[Paper, tuple[QPageSize.PageSizeId, QPageLayout.Orientation]] = {
    "A4": (QPageSize.PageSizeId.A4, QPageLayout.Orientation.Portrait),
    "A5 across": (QPageSize.PageSizeId.A5, QPageLayout.Orientation.Landscape),
}
_STYLE = """
body, td, th, p { font-family: B612; font-size: 34px; color: #1D2A2E; }
h1 { font-size: 64px; } h2 { font-size: 44px; }
p.where, span.count { color: #5A625E; } span.count { font-size: 28px; }
p.warning { color: #983225; font-weight: bold; }
p.advice { color: #5A625E; font-size: 28px; }
th { color: #5A625E; border-bottom: 2px solid #5A625E; }
td.figure { font-size: 40px; font-weight: bold; }
"""


def write_pdf(html: str, path: Path, title: str = "Azven frequency sheet", paper: Paper = "A4") -> int:
    """Write `html` to `path`, `title` at the foot; returns the number of pages. OSError when it cannot be written
    whole; what stood there is kept then."""
    return written(path, lambda fresh: _write(html, fresh, title, paper))


def written(path: Path, draw: Callable[[Path], int]) -> int:
    """Have a document drawn to `path`; returns the number of pages. OSError when it cannot be written whole; what stood
    there is kept then."""
    with written_whole(path) as fresh:
        pages = draw(fresh)
        with fresh.open("rb") as file:
            file.seek(max(fresh.stat().st_size - len(_LAST) - _AFTER_LAST, 0))
            if _LAST not in file.read():  # Qt does not say that the disk took no more
                raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC))
    return pages


def on_paper(path: Path, paper: Paper = "A4", margin_mm: float = _MARGIN_MM) -> QPdfWriter:
    """A document of pages of this size."""
    writer = QPdfWriter(str(path))
    writer.setResolution(_DPI)
    writer.setCreator("Azven")
    margins = QMarginsF(margin_mm, margin_mm, margin_mm, margin_mm)
    writer.setPageLayout(
        QPageLayout(
            QPageSize(_PAPERS[paper][0]),
            _PAPERS[paper][1],
            margins,
            QPageLayout.Unit.Millimeter,
        )
    )
    return writer


def _write(html: str, path: Path, title: str, paper: Paper) -> int:
    writer = on_paper(path, paper)
    document = QTextDocument()
    layout = document.documentLayout()
    assert layout is not None
    layout.setPaintDevice(writer)
    document.setDefaultFont(look.font(34))
    document.setDefaultStyleSheet(_STYLE)
    document.setHtml(html)
    width, height = writer.width(), writer.height() - _FOOT_PX
    document.setPageSize(QSizeF(width, height))
    _keep_headings_with_tables(document, height)
    document.markContentsDirty(0, document.characterCount())  # else what follows the last break is not drawn
    painter = QPainter(writer)
    pages = document.pageCount()
    for page in range(pages):
        if page:
            writer.newPage()
        painter.save()
        painter.translate(0, -page * height)
        document.drawContents(painter, QRectF(0, page * height, width, height))
        painter.restore()
        painter.setFont(look.font(28))
        foot = QRectF(0, height + 30, width, _FOOT_PX - 30)
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight, f"page {page + 1} of {pages}")
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, title)
    painter.end()
    return pages


def _keep_headings_with_tables(document: QTextDocument, height: float) -> None:
    """A room's heading near the foot of a page goes to the next one."""
    layout = document.documentLayout()
    assert layout is not None
    block = document.begin()
    while block.isValid():
        if block.blockFormat().headingLevel() == 2:
            foot = layout.blockBoundingRect(block).bottom() % height
            if foot > height - _ROOM_UNDER_HEADING_PX:
                breaking = block.blockFormat()
                breaking.setPageBreakPolicy(QTextFormat.PageBreakFlag.PageBreak_AlwaysBefore)
                QTextCursor(block).setBlockFormat(breaking)
        block = block.next()
