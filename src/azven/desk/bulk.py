"""One field set for many rows at once: a bar under a table that comes when several rows are selected."""

from collections.abc import Sequence
from typing import Any

from PyQt6.QtWidgets import QLineEdit, QStackedWidget, QWidget

from azven.desk.stage import button, choice, fill, label, row
from azven.desk.tables import Column, RecordTable


class BulkBar(QWidget):
    """“12 selected: set [field] to [value]”. One edit, so that one undo takes it back."""

    def __init__(self, table: RecordTable, columns: Sequence[Column]) -> None:
        super().__init__()
        self._table = table
        self._columns = [c for c in columns if c.set_all is not None]
        self.count, self.text = label("", "strong"), QLineEdit()
        self.text.setAccessibleName("Value for all selected")
        self.text.returnPressed.connect(self.apply)
        self.field = choice([(c.title, i) for i, c in enumerate(self._columns)], "Field to set")
        self.value = choice([], "Value for all selected")
        self.value.setMinimumWidth(170)
        self._values = QStackedWidget()
        self._values.addWidget(self.text)
        self._values.addWidget(self.value)
        self.setLayout(
            row(
                self.count, label("set"), self.field, label("to"), self._values,
                button("Set for all", self.apply, "Set this field in every selected row; one undo takes it back"), 1,
                spacing=6,
            )
        )  # fmt: skip
        self.field.currentIndexChanged.connect(self._offer)
        table.selected.connect(self._refresh)
        self.hide()

    @property
    def column(self) -> Column:
        """The field that is going to be set."""
        return self._columns[self.field.currentIndex()]

    def _refresh(self) -> None:
        chosen = self._table.chosen()
        self.setVisible(len(chosen) > 1 and bool(self._columns))
        if len(chosen) > 1:
            self.count.setText(f"{len(chosen)} selected:")
            self._offer()

    def _offer(self) -> None:
        chosen = self._table.chosen()
        if not chosen:
            return
        self._values.setCurrentIndex(1 if self.column.choices else 0)
        if self.column.choices:
            fill(self.value, self.column.choices(chosen[0]))

    def apply(self) -> None:
        """Set the field in all selected rows."""
        chosen = self._table.chosen()
        value: Any = self.value.currentData() if self.column.choices else self.text.text()
        if len(chosen) > 1 and self.column.set_all is not None:
            self.column.set_all(chosen, value)
