"""Tables of records with edit in place: columns are data, one model serves them all."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QObject, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QPainter
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from azven.desk.marks import paint_state
from azven.desk.stage import Choice, tip
from azven.desk.theme import DAYLIGHT, Theme
from azven.work.wording import one_line

_ROOT = QModelIndex()
_HEADING_AIR, _WIDENED = 20, 22
"""What the style keeps free beside a heading, and by how much a column is widened rather than its heading broken."""


@dataclass(frozen=True, kw_only=True)
class Column:
    """One column: how a record's value is shown, and, if it can be edited, what setting a text or choice does.

    `choices` gives (text, value) pairs for a record; without any the cell is edited as text. `set_all` sets several
    records in one edit, where that makes sense. What does not fit loses its middle, in `prose` its end.
    """

    title: str
    width: int
    show: Callable[[Any], str]
    change: Callable[[Any, Any], object] | None = None
    choices: Callable[[Any], list[tuple[str, Any]]] | None = None
    set_all: Callable[[Sequence[Any], Any], object] | None = None
    mark: Callable[[Any], str] | None = None
    """A state that is painted at the end of the cell, empty for none."""
    right: bool = False
    warn: Callable[[Any], str] | None = None
    prose: bool = False
    hint: str = ""
    """What the column is for, where the pointer rests on its title."""

    def heading(self, metrics: QFontMetrics) -> str:
        """The title, in two lines where one is much wider than the column."""
        if metrics.horizontalAdvance(self.title) + _HEADING_AIR <= self.width + _WIDENED or " " not in self.title:
            return self.title
        words = self.title.split(" ")
        breaks = [(" ".join(words[:i]), " ".join(words[i:])) for i in range(1, len(words))]
        return "\n".join(min(breaks, key=lambda two: max(metrics.horizontalAdvance(line) for line in two)))


class RecordModel(QAbstractTableModel):
    """Records as rows."""

    def __init__(self, columns: Sequence[Column], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.columns = list(columns)
        self.records: list[Any] = []
        self.metrics: QFontMetrics | None = None

    def show_records(self, records: Sequence[Any]) -> None:
        self.beginResetModel()
        self.records = list(records)
        self.endResetModel()

    def show_again(self, records: Sequence[Any]) -> None:
        """The same records with other values: nothing is selected anew, only what is in view is painted."""
        self.records = list(records)
        self.dataChanged.emit(self.index(0, 0), self.index(len(self.records) - 1, len(self.columns) - 1))

    def rowCount(self, parent: QModelIndex = _ROOT) -> int:
        return 0 if parent.isValid() else len(self.records)

    def columnCount(self, parent: QModelIndex = _ROOT) -> int:
        return 0 if parent.isValid() else len(self.columns)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation == Qt.Orientation.Horizontal and 0 <= section < len(self.columns):
            if role == Qt.ItemDataRole.DisplayRole:
                return self.columns[section].heading(self.metrics) if self.metrics else self.columns[section].title
            if role == Qt.ItemDataRole.TextAlignmentRole:
                side = Qt.AlignmentFlag.AlignRight if self.columns[section].right else Qt.AlignmentFlag.AlignLeft
                return int(side | Qt.AlignmentFlag.AlignVCenter)
            if role == Qt.ItemDataRole.ToolTipRole:
                return self.columns[section].hint or None
        return None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if not index.isValid():
            return None
        record, column = self.records[index.row()], self.columns[index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            return one_line(column.show(record))
        if role == Qt.ItemDataRole.EditRole:
            return column.show(record)
        if role == Qt.ItemDataRole.ToolTipRole:
            return tip((column.warn(record) if column.warn else "") or column.show(record))
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if column.right else Qt.AlignmentFlag.AlignLeft
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        return None

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        base = super().flags(index)
        if index.isValid() and self.columns[index.column()].change is not None:
            return base | Qt.ItemFlag.ItemIsEditable
        return base

    def setData(self, index: QModelIndex, value: Any, role: int = Qt.ItemDataRole.EditRole) -> bool:
        column = self.columns[index.column()]
        if role != Qt.ItemDataRole.EditRole or column.change is None:
            return False
        record = self.records[index.row()]
        if value == column.show(record) and column.choices is None:
            return False
        return bool(column.change(record, value))


class _Delegate(QStyledItemDelegate):
    """A combo box where a column has choices, a line otherwise."""

    def initStyleOption(self, option: QStyleOptionViewItem | None, index: QModelIndex) -> None:
        super().initStyleOption(option, index)
        model = index.model()
        if option is not None and isinstance(model, RecordModel) and model.columns[index.column()].prose:
            option.textElideMode = Qt.TextElideMode.ElideRight

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        super().paint(painter, option, index)
        model, table = index.model(), self.parent()
        if painter is None or not isinstance(model, RecordModel) or not isinstance(table, RecordTable):
            return
        column = model.columns[index.column()]
        state = column.mark(model.records[index.row()]) if column.mark is not None else ""
        if state:
            box = QRectF(option.rect.right() - 14, option.rect.center().y() - 4.5, 10, 10)
            paint_state(painter, box, state, table.theme())

    def createEditor(self, parent: QWidget | None, option: Any, index: QModelIndex) -> QWidget | None:
        model = index.model()
        if isinstance(model, RecordModel):
            column = model.columns[index.column()]
            offered = column.choices(model.records[index.row()]) if column.choices is not None else []
            if offered:
                box = Choice(parent)
                for text, value in offered:
                    box.addItem(text, value)
                box.activated.connect(lambda: self._take(box))
                return box
        return super().createEditor(parent, option, index)

    def _take(self, box: QComboBox) -> None:
        self.commitData.emit(box)
        self.closeEditor.emit(box)

    def setEditorData(self, editor: QWidget | None, index: QModelIndex) -> None:
        if isinstance(editor, QComboBox):
            editor.setCurrentIndex(editor.findText(str(index.data())))
            editor.showPopup()
        else:
            super().setEditorData(editor, index)

    def setModelData(self, editor: QWidget | None, model: Any, index: QModelIndex) -> None:
        if isinstance(editor, QComboBox):
            if editor.currentIndex() >= 0 and editor.currentText() != index.data():
                model.setData(index, editor.currentData())
        else:
            super().setModelData(editor, model, index)


class RecordTable(QTableView):
    """A calm table: fixed rows, no grid boxes, whole rows selected. `picked` carries the first selected record."""

    picked = pyqtSignal(object)
    selected = pyqtSignal()
    """Sent whenever other rows are selected, and when what is selected was read anew."""
    theme: Callable[[], Theme] = staticmethod(lambda: DAYLIGHT)
    """The colours that marks are painted in."""

    def __init__(self, columns: Sequence[Column], name: str) -> None:
        super().__init__()
        self.records = RecordModel(columns, self)
        self.setModel(self.records)
        self.setItemDelegate(_Delegate(self))
        selection = self.selectionModel()
        assert selection is not None
        selection.selectionChanged.connect(self._pick)
        self.setAccessibleName(name)
        self.setShowGrid(False)
        self.setWordWrap(False)
        self.setTabKeyNavigation(False)  # Tab leaves the table; arrow keys walk it
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        down = self.verticalHeader()
        across = self.horizontalHeader()
        assert down is not None
        assert across is not None
        down.setVisible(False)
        down.setDefaultSectionSize(24)
        down.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        across.setHighlightSections(False)
        across.setStretchLastSection(True)
        metrics = self.records.metrics = across.fontMetrics()
        for i, column in enumerate(columns):
            words = max(metrics.horizontalAdvance(line) for line in column.heading(metrics).split("\n"))
            self.setColumnWidth(i, max(column.width, words + _HEADING_AIR))

    def show_records(self, records: Sequence[Any]) -> None:
        """Show records, keeping scroll place and the selected ones by id."""
        chosen = {r.id for r in self.chosen()}
        bar = self.verticalScrollBar()
        at = bar.value() if bar else 0
        self.records.show_records(records)
        self.choose(chosen)
        self.selected.emit()
        if bar:
            bar.setValue(at)

    def show_live(self, records: Sequence[Any]) -> None:
        """Show records that change all the time."""
        if records and [r.id for r in records] == [r.id for r in self.records.records]:
            self.records.show_again(records)
        else:
            self.show_records(records)

    def chosen(self) -> list[Any]:
        """The selected records, in the order of the table."""
        selection = self.selectionModel()
        rows = sorted(i.row() for i in selection.selectedRows()) if selection else []
        return [self.records.records[r] for r in rows if r < len(self.records.records)]

    def show_chosen(self) -> None:
        """Scroll to the first selected row."""
        selection = self.selectionModel()
        rows = sorted(i.row() for i in selection.selectedRows()) if selection else []
        if rows:
            self.scrollTo(self.records.index(rows[0], 0))

    def _pick(self) -> None:
        chosen = self.chosen()
        if chosen:
            self.picked.emit(chosen[0])
        self.selected.emit()

    def choose(self, ids: set[int]) -> None:
        """Select the records with these ids, quietly."""
        selection = self.selectionModel()
        if selection is None:
            return
        selection.blockSignals(True)
        selection.clearSelection()
        for i, record in enumerate(self.records.records):
            if record.id in ids:
                flags = selection.SelectionFlag.Select | selection.SelectionFlag.Rows
                selection.select(self.records.index(i, 0), flags)
        selection.blockSignals(False)
        self.viewport().update()  # type: ignore[union-attr]
