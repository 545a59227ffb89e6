"""The audio patch as CSV, written and taken in, with what became of every row."""

from dataclasses import replace

from azven.book.edits import Change, Edit, add, remove, replace_record
from azven.book.formats.errors import FormatError, in_short
from azven.book.formats.rows import as_csv
from azven.book.reading import Reading
from azven.book.records import PORT_KINDS, ROUTE_KINDS, Link, Port, Record, Route
from azven.book.store import Store
from azven.refusal import Refusal
from azven.work import ids
from azven.work.kit import headed, patch
from azven.work.kit.gear import links
from azven.work.kit.lists import Row, TakenIn
from azven.work.scope import Scope

COLUMNS = ("link", "way", "kind", "device", "channel", "width", "joins", "note")
_HEADINGS: headed.Headings = {
    "link": ("link", "name", "port"), "way": ("way", "direction"), "kind": ("kind",), "device": ("device", "console"),
    "channel": ("channel", "input"), "width": ("width",), "joins": ("joins", "lines"), "note": ("note",),
}  # fmt: skip
_WIDTHS = ("mono", "stereo")


def write(store: Reading, scope: Scope) -> str:
    """Routes and ports as CSV (RFC 4180); links of one name are told apart by their id behind a number sign."""
    known = {x.id: x for x in links(store, scope)}
    names = _names(list(known.values()))
    rows: list[tuple[object, ...]] = []
    for r in patch.routes(store, scope):
        way = "from" if patch.is_source(known[r.link_id]) else "to"
        rows.append((names[r.link_id], way, r.kind, r.device, r.channel, _WIDTHS[r.stereo], "", ""))
    for p in patch.ports(store, scope):
        rows.append((p.name, "port", p.kind, p.device, "", "", " + ".join(p.joins), p.note))
    return as_csv(COLUMNS, rows)


def _names(found: list[Link]) -> dict[int, str]:
    told = ids.told_apart(found, lambda x: f"#{x.id}")
    return {x.id: told[ids.of(x)] for x in found}


def take_in(store: Store, scope: Scope, text: str) -> TakenIn:
    """The patch of a file in place of the one that is there: what is the same stays as it is. FormatError where it is
    no patch; rows that cannot be used are told, and leave the routes of their link as they were."""
    columns, rows = headed.table(text, _HEADINGS, "link")
    if not columns or "kind" not in columns:
        raise FormatError("This is no patch: its first row needs the columns “link” and “kind”. Nothing was read.")
    reader = _Reader(store, scope, columns)
    told, wanted = [], list[Record]()
    for number, cells in rows:
        name = headed.cell(cells, columns, "link")
        try:
            wanted.append(reader.record(cells))
        except ValueError as error:
            told.append(Row(number, name, "refused", in_short(str(error))))
            continue
        told.append(Row(number, name, "new", ""))
    changes, same = reader.changes(store, wanted)
    told = [replace(r, fate="same") if r.fate == "new" and i in same else r for i, r in _counted(told)]
    return TakenIn(Edit("Take in the patch", changes), tuple(told))


def _counted(told: list[Row]) -> list[tuple[int, Row]]:
    """Rows with their place among those that could be used."""
    out, at = [], 0
    for row in told:
        out.append((at if row.fate == "new" else -1, row))
        at += row.fate == "new"
    return out


class _Reader:
    def __init__(self, store: Reading, scope: Scope, columns: dict[str, int]) -> None:
        self._scope, self._columns = scope, columns
        known = links(store, scope)
        self._links: dict[str, list[Link]] = {}
        for link in known:
            self._links.setdefault(_names(known)[link.id].casefold(), []).append(link)
        self._routes, self._ports = patch.routes(store, scope), patch.ports(store, scope)
        self._refused: set[int] = set()

    def record(self, cells: list[str]) -> Record:
        """A route or a port; Refusal for a row that is none."""

        def cell(key: str) -> str:
            return headed.cell(cells, self._columns, key)

        if not cell("link"):
            raise Refusal("no link")
        if cell("way").casefold() == "port" or cell("kind").casefold() in PORT_KINDS:
            of_port = headed.one_of(PORT_KINDS, cell("kind"), "kind of a port")
            joins = tuple(part.strip() for part in cell("joins").split("+") if part.strip())
            return Port(show_id=self._scope.show, name=cell("link"), kind=of_port, device=cell("device"), joins=joins,
                        note=cell("note"))  # fmt: skip
        link = headed.named(self._links, cell("link"), "link")
        try:
            kind = headed.one_of(ROUTE_KINDS, cell("kind"), "kind")
            channel = headed.whole(cell("channel").split("/")[0], 1, patch.MOST_CHANNELS, "channel")
            width = headed.one_of(_WIDTHS, cell("width") or "mono", "width")
        except Refusal:
            self._refused.add(link.id)
            raise
        return Route(show_id=self._scope.show, link_id=link.id, kind=kind, device=cell("device"), channel=channel,
                     stereo=width == "stereo")  # fmt: skip

    def changes(self, store: Store, wanted: list[Record]) -> tuple[tuple[Change, ...], set[int]]:
        """From the patch that is there to the wanted one, and which of the wanted are there already."""
        left: list[Route | Port] = [*self._routes, *self._ports]
        same: set[int] = set()
        out: list[Change] = []
        for i, item in enumerate(wanted):
            twin = next((r for r in left if _content(r) == _content(item)), None)
            if twin is not None:
                left.remove(twin)
                same.add(i)
                out += replace_record(twin, replace(twin, position=i))
            else:
                out += add(replace(item, id=store.reserve(), position=i))  # type: ignore[call-arg]
        gone = [r for r in left if not (isinstance(r, Route) and r.link_id in self._refused)]
        return (*remove(gone), *out), same


def _content(record: Record) -> tuple[object, ...]:
    skipped = ("id", "version", "position") + (("link_id",) if isinstance(record, Port) else ())
    return (type(record), *((k, v) for k, v in sorted(vars(record).items()) if k not in skipped))
