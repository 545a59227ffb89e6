"""Every field of one or several records as a list of name and value, each set in place for all of them."""

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHeaderView

from azven.desk.tables import Column, RecordTable

_DIFFER = "they differ"


class _Field:
    """A field of the records in view, as a row: its column, and the records."""

    def __init__(self, number: int, column: Column, records: Sequence[Any]) -> None:
        self.id, self.column, self.records = number, column, list(records)

    @property
    def name(self) -> str:
        return self.column.title

    def value(self) -> str:
        said = {self.column.show(r) for r in self.records}
        return said.pop() if len(said) == 1 else _DIFFER

    def options(self) -> list[tuple[str, Any]]:
        """What it can be set to, nothing where anything can be typed."""
        return self.column.choices(self.records[0]) if self.column.choices else []

    def set(self, value: Any) -> object:
        if len(self.records) > 1 and self.column.set_all is not None:
            return self.column.set_all(self.records, value)
        return self.column.change(self.records[0], value) if self.column.change and len(self.records) == 1 else False


class FieldSheet(RecordTable):
    """Fields down the side. With several records a field that is not the same in all of them says so."""

    def __init__(self, columns: Sequence[Column], name: str) -> None:
        self._columns = list(columns)
        super().__init__(
            [
                Column(title="Field", width=150, show=lambda f: f.name),
                Column(
                    title="Value", width=170, show=lambda f: f.value(), change=lambda f, v: f.set(v),
                    choices=lambda f: f.options(), warn=lambda f: f.column.hint,
                ),
            ],
            name,
        )  # fmt: skip
        across = self.horizontalHeader()
        assert across is not None
        across.setSectionResizeMode(0, QHeaderView.ResizeMode.Fixed)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def show_records(self, records: Sequence[Any]) -> None:
        """Show the fields of these records; nothing where there are none."""
        fields = [_Field(i, c, records) for i, c in enumerate(self._columns)] if records else []
        super().show_records(fields)
