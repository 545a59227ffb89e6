"""What the columns of Kit's tables share: one edit for one row or for many, and what typed figures mean."""

from collections.abc import Callable, Sequence
from typing import Any

from azven.book.edits import Edit
from azven.desk.session import Session
from azven.desk.tables import Column
from azven.refusal import Refusal
from azven.work import ids
from azven.work.kit import persons

Choices = Callable[[Any], list[tuple[str, Any]]]


class Columns:
    """Makes columns of records of one kind."""

    def __init__(self, session: Session) -> None:
        self.session = session

    def editable(
        self, title: str, width: int, show: Callable[[Any], str], edit: Callable[[Sequence[Any], Any], Edit],
        choices: Choices | None = None, many: bool = True, right: bool = False, prose: bool = False, hint: str = "",
        mark: Callable[[Any], str] | None = None,
    ) -> Column:  # fmt: skip
        """A column that is changed by `edit(records, value)`, `many` records at a time where that makes sense."""
        do = self.session.do
        return Column(
            title=title, width=width, show=show, choices=choices, right=right, prose=prose, hint=hint, mark=mark,
            change=lambda record, value: do(lambda: edit([record], value)),
            set_all=(lambda records, value: do(lambda: edit(records, value))) if many else None,
        )  # fmt: skip

    def field(
        self, title: str, width: int, field: str, convert: Callable[[Any], Any], show: Callable[[Any], str],
        choices: Choices | None = None, many: bool = True, right: bool = False, prose: bool = False, hint: str = "",
        mark: Callable[[Any], str] | None = None,
    ) -> Column:  # fmt: skip
        """A column that sets one field."""

        def edit(records: Sequence[Any], value: Any) -> Edit:
            return persons.change_all(records, title.lower(), **{field: convert(value)})

        return self.editable(title, width, show, edit, choices, many, right, prose, hint, mark)

    def told(self, kind: type[Any]) -> dict[int, str]:
        """Names by number, those that stand for several told apart."""
        together: dict[object, list[Any]] = {}
        for record in self.session.store.all(kind):
            together.setdefault(getattr(record, "show_id", getattr(record, "site_id", None)), []).append(record)
        told = (ids.told_apart(records, numbered) for records in together.values())
        return {ids.number(k): name for names in told for k, name in names.items()}

    def named(self, kind: type[Any], key: int | None) -> str:
        return self.told(kind).get(key, "") if key else ""

    def choices(self, kind: type[Any], records: Sequence[Any]) -> list[tuple[str, Any]]:
        names = self.told(kind)
        return [(names[r.id], r.id) for r in records]


def numbered(record: Any) -> str:
    """What tells records of one name apart."""
    return f"no. {abs(record.id)}"


def words(values: Sequence[str]) -> Choices:
    """A closed set of words to choose from."""
    return lambda _: [(v, v) for v in values]


# -- what is typed ---------------------------------------------------------------------------------------


def text(value: Any) -> str:
    return str(value).strip()


def name(value: Any) -> str:
    """A name; Refusal for none."""
    if not str(value).strip():
        raise Refusal("It needs a name.")
    return str(value).strip()


def number(value: Any, low: float = 0.0, high: float = 1e6) -> float:
    """A figure within bounds; Refusal for any other."""
    try:
        found = float(str(value).replace(",", ".").replace("−", "-"))
    except ValueError:
        raise Refusal(f"“{value}” is not a number.") from None
    if not low <= found <= high:
        raise Refusal(f"{value} is out of range: {low:g} to {high:g}.".replace("-", "−"))
    return found


def positive(value: Any) -> float:
    return number(value, 1e-6)


def kilo(value: Any) -> int:
    """Kilohertz, in hertz."""
    return round(number(value or 0, 0.0, 1e8) * 1000)


def whole(low: int, high: int) -> Callable[[Any], int]:
    return lambda value: round(number(value, low, high))


def decibel(value: Any) -> float:
    return number(value, -200.0, 200.0)


def known_decibel(value: Any) -> float | None:
    """A level, or nothing where it is not known."""
    return decibel(value) if str(value).strip() not in ("", "not known") else None


def yes(value: Any) -> bool:
    return bool(value)


def yes_no(yes_word: str, no_word: str) -> Choices:
    return lambda _: [(yes_word, True), (no_word, False)]


def bands(value: Any) -> tuple[tuple[str, int, int], ...]:
    """Tuning bands from low–high in MHz, separated by commas. Refusal where they are none."""
    out = []
    for part in str(value).split(","):
        low, mark, high = part.strip().replace("-", "–").partition("–")
        if not mark:
            raise Refusal(f"A tuning band is written low–high in MHz, not “{part.strip()}”.")
        edges = round(positive(low) * 1e6), round(positive(high) * 1e6)
        if edges[0] >= edges[1]:
            raise Refusal(f"The tuning band {part.strip()} ends below its start.")
        out.append((f"{low.strip()}–{high.strip()}", *edges))
    return tuple(out)
