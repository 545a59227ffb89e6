"""Units of a book, and deeds, by what is asked of them: the database finds and counts them, however many there are."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from azven.book.columns import READ
from azven.book.engines import Engine
from azven.book.engines.searching import BEGINNINGS, PEOPLE, WORDS, words_of
from azven.book.records import Deed, Unit, Zone
from azven.book.store import Store

_PLACE = ("site_at_id", "zone_id", "site_home_id")
_SITE = 'coalesce("site_at_id", (SELECT "site_id" FROM "zone" WHERE "zone"."id" = "zone_id"), "site_home_id")'
"""Where a unit is: as its deeds say, else where its room is, else at home."""
_MOST_NAMES = 2_000
_BACK = (timedelta(days=30), timedelta(days=365), None)
_SORTED_BY = {"name": '"name"', "since": '"since"', "where": '"site_at_id", "place", "name"'}
ORDERS = {name: f"{columns}, id" for name, columns in _SORTED_BY.items()}


@dataclass(frozen=True, kw_only=True)
class Filter:
    """What units have to be like: beginnings of names, serials, holders or places, or words in their notes and in why
    something was done with them; a state as it is at `now`; `at` one of some sites, `away` from all of some, at home at
    one, of a model, in a band; not
    touched since a moment; `late`, past its day."""

    now: datetime
    text: str = ""
    state: str = ""
    at: tuple[int, ...] | None = None
    away: tuple[int, ...] | None = None
    home: int | None = None
    model: int | None = None
    band: str = ""
    untouched_since: datetime | None = None
    late: bool = False
    unseen_since: datetime | None = None
    """Neither counted nor scanned since."""


def _condition(engine: Engine, asked: Filter) -> tuple[str, list[Any]]:
    parts, values = ["1 = 1"], list[Any]()

    def ask(part: str, *given: Any) -> None:
        parts.append(part.replace("?", engine.mark))
        values.extend(given)

    if asked.text:
        select, given = _said(engine, asked.text)
        parts.append(engine.among(select))
        values += given
    over = '"state" = ? AND "until" IS NOT NULL AND "until" <= ?'
    if asked.state == "in case":
        ask(f'("state" = ? OR ({over}))', "in case", "assigned", engine.moment(asked.now))
    elif asked.state == "assigned":
        ask(f'"state" = ? AND NOT ({over})', "assigned", "assigned", engine.moment(asked.now))
    elif asked.state:
        ask('"state" = ?', asked.state)
    if asked.at is not None:
        ask(f"{_SITE} IN ({_marks(asked.at)})", *asked.at)
    if asked.away:
        ask(f"({_SITE} IS NULL OR {_SITE} NOT IN ({_marks(asked.away)}))", *asked.away)
    if asked.home is not None:
        ask('"site_home_id" = ?', asked.home)
    if asked.model is not None:
        ask('"model_id" = ?', asked.model)
    if asked.band:
        ask('"band" = ?', asked.band)
    if asked.untouched_since is not None:
        ask('("since" IS NULL OR "since" < ?)', engine.moment(asked.untouched_since))
    if asked.unseen_since is not None:
        ask('("seen" IS NULL OR "seen" < ?)', engine.moment(asked.unseen_since))
    if asked.late:
        ask('"until" < ?', engine.moment(asked.now))
    return " AND ".join(parts), values


def _marks(values: Sequence[int]) -> str:
    """A place for each of the values; what nothing is among, where there are none."""
    return ", ".join("?" for _ in values) or "NULL"


def deeds_of(store: Store, name: str, count: int) -> list[Deed]:
    """Deeds with or by somebody whose name begins so, the newest first. BookError when the book cannot be read."""
    found: dict[int, Any] = {}
    with store.told():
        for column in PEOPLE:
            found.update(_newest(store.engine, column, name, count))
    numbers = sorted(found, key=lambda n: (found[n], n), reverse=True)[:count]
    marks = ", ".join(store.engine.mark for _ in numbers)
    deeds = store.where(Deed, f"id IN ({marks})", numbers, "") if numbers else []
    return sorted(deeds, key=lambda d: (d.at, d.id), reverse=True)


def _newest(engine: Engine, column: str, name: str, count: int) -> list[tuple[int, Any]]:
    """Number and moment of the newest deeds with a name that begins so: looked for in a month, then farther back, as a
    name may stand in hundreds of thousands of them."""
    key, names = engine.letters(column), _names(engine, column, name)
    if len(names) < _MOST_NAMES:
        condition, values = f"{key} IN ({', '.join(engine.mark for _ in names)})", list(names)
    else:
        condition, values = _begins(engine, (column,), name)
    found: list[tuple[int, Any]] = []
    for back in _BACK if names else ():
        since = [engine.moment(datetime.now(UTC) - back)] if back is not None else []
        late = f' AND "at" >= {engine.mark}' if since else ""
        page = f'ORDER BY "at" DESC, id DESC LIMIT {int(count)}'
        found = [(n, at) for n, at in engine.rows(f'SELECT id, "at" FROM "deed" WHERE ({condition}){late} {page}',
                                                  [*values, *since])]  # fmt: skip
        if len(found) >= count:
            break
    return found


def _names(engine: Engine, column: str, name: str) -> list[str]:
    """The names that begin so, each found from the one before it in the index: as many steps as there are names."""
    key, out = engine.letters(column), list[str]()
    for spelling in _spellings(name):
        begins, values = engine.begins(column, spelling)
        goes_on, same = engine.begins("x", spelling)
        first = f'SELECT {key} AS x FROM "deed" WHERE {begins} ORDER BY {key} LIMIT 1'
        after = f'SELECT {key} FROM "deed" WHERE {key} > n.x ORDER BY {key} LIMIT 1'
        found = engine.rows(
            f"WITH RECURSIVE n(x) AS (SELECT x FROM ({first}) AS f UNION ALL SELECT ({after}) FROM n WHERE {goes_on}) "
            f"SELECT x FROM n WHERE {goes_on} LIMIT {_MOST_NAMES}",
            [*values, *same, *same],
        )
        out += [str(x) for (x,) in found if str(x) not in out]
    return out


def _begins(engine: Engine, names: Sequence[str], text: str) -> tuple[str, list[Any]]:
    """The condition that one of some columns begins so."""
    each = [engine.begins(name, spelling) for name in names for spelling in _spellings(text)]
    return " OR ".join(condition for condition, _ in each), [v for _, values in each for v in values]


def _said(engine: Engine, text: str) -> tuple[str, list[Any]]:
    """The question for the units of which something said, or said of what was done with them, is like a text."""
    begins, values = _begins(engine, BEGINNINGS["unit"], text)
    found = [f'SELECT id FROM "unit" WHERE {begins}']
    if words_of(text):
        for table in WORDS:
            has, given = engine.with_words(table, text)
            found.append(has)
            values += given
    return " UNION ALL ".join(found), values


def _spellings(text: str) -> list[str]:
    """A text as it may be written: a database may know the capitals of A to Z alone."""
    return [text] if text.isascii() else sorted({text, text.lower(), text.upper(), text.capitalize(), text.title()})


def found(store: Store, asked: Filter, order: str = "name", start: int = 0, count: int = 500) -> list[Unit]:
    """Units that are like that, so many from one on, in an order. BookError when the book cannot be read."""
    condition, values = _condition(store.engine, asked)
    page = f"ORDER BY {ORDERS[order]} LIMIT {int(count)} OFFSET {int(start)}"
    return store.where(Unit, condition, values, page)


def page(store: Store, asked: Filter, order: str = "name", count: int = 500) -> tuple[list[Unit], int]:
    """The first so many that are like that, and how many there are. What is said of units is looked for once for both:
    it takes the most time. BookError when the book cannot be read."""
    if not asked.text:
        return found(store, asked, order, 0, count), how_many(store, asked)
    engine, last = store.engine, f"ORDER BY {ORDERS[order]} LIMIT {int(count)}"
    if asked == Filter(now=asked.now, text=asked.text):
        select, values = _said(engine, asked.text)
        among = f'"unit" WHERE {engine.among("SELECT id FROM hit")}'
        hit = f"SELECT DISTINCT id FROM ({select}) AS said"
    else:
        condition, values = _condition(engine, asked)
        among, hit = "hit", f'SELECT id, {_SORTED_BY[order]} FROM "unit" WHERE {condition}'
    with store.told():
        rows = engine.rows(f"WITH hit AS ({hit}) SELECT id, (SELECT count(*) FROM hit) FROM {among} {last}", values)
    numbers = [int(n) for n, _ in rows]
    marks = ", ".join(store.engine.mark for _ in numbers)
    units = store.where(Unit, f"id IN ({marks})", numbers, f"ORDER BY {ORDERS[order]}") if numbers else []
    return units, int(rows[0][1]) if rows else 0


def how_many(store: Store, asked: Filter) -> int:
    """How many are like that."""
    condition, values = _condition(store.engine, asked)
    with store.told():
        return int(store.engine.rows(f'SELECT count(*) FROM "unit" WHERE {condition}', values)[0][0])


@dataclass(frozen=True)
class Held:
    """How many units, since when the longest of them is so (None: since nobody knows when), how many are late, and
    since when the last of them is so."""

    count: int
    oldest: datetime | None = None
    late: int = 0
    newest: datetime | None = None

    def plus(self, other: "Held") -> "Held":
        """Both together."""
        known = [m for m in (self.oldest, other.oldest) if m is not None]
        last = [m for m in (self.newest, other.newest) if m is not None]
        return Held(self.count + other.count, min(known, default=None), self.late + other.late, max(last, default=None))


def by_site_and_state(store: Store, now: datetime) -> Mapping[tuple[int | None, str], Held]:
    """Units at each site in each state at a moment; None: nobody knows where."""
    mark, moment = store.engine.mark, store.engine.moment(now)
    over, left = f'"until" <= {mark}', f'"state" = \'assigned\' AND ("until" IS NULL OR "until" > {mark})'
    place = ", ".join(f'"{name}"' for name in _PLACE)
    each = (
        f'SELECT {place}, "state", count(*) AS n, min("since") AS oldest, count(*) FILTER (WHERE {over}) AS past, '
        f'min("since") FILTER (WHERE {over}) AS oldest_past, min("since") FILTER (WHERE {left}) AS oldest_left, '
        f'max("since") AS newest FROM "unit" GROUP BY {place}, "state"'
    )
    at, room = 'coalesce("site_at_id", "site_home_id")', 'CASE WHEN "site_at_id" IS NULL THEN "zone_id" END'
    statement = (
        f'SELECT {at}, {room}, "state", sum(n), min(oldest), sum(past), min(oldest_past), min(oldest_left), '
        f"max(newest) FROM ({each}) AS each GROUP BY 1, 2, 3"
    )
    with store.told():
        rows: Sequence[Any] = store.engine.rows(statement, [moment] * 3)
    out: dict[tuple[int | None, str], Held] = {}
    rooms = {z.id: z.site_id for z in store.all(Zone)}
    for at, room, *told in rows:
        site = rooms.get(room, at)
        for state, held in _held(*told):
            out[site, state] = out.get((site, state), Held(0)).plus(held)
    return out


def _held(
    state: str, count: int, oldest: Any, past: int, oldest_past: Any, oldest_left: Any, newest: Any
) -> Iterator[tuple[str, Held]]:  # fmt: skip
    """Units of a state as they are now: an assignment that is past is none."""
    if state != "assigned":
        yield state, Held(int(count), _read(oldest), int(past) if state == "on loan" else 0, _read(newest))
        return
    if past:
        yield "in case", Held(int(past), _read(oldest_past), 0, _read(newest))
    if count > past:
        yield state, Held(int(count - past), _read(oldest_left), 0, _read(newest))


def _read(value: Any) -> datetime | None:
    found = READ["moment"](value) if value is not None else None
    assert found is None or isinstance(found, datetime)
    return found


def firmwares(store: Store) -> list[tuple[int, str, int]]:
    """Models with the firmware that their units have, where it is known, and how many have it; without those that are
    retired."""
    statement = (
        'SELECT "model_id", "firmware", count(*) FROM "unit" '
        "WHERE \"firmware\" <> '' AND \"state\" <> 'retired' GROUP BY 1, 2"
    )
    with store.told():
        return [(int(m), str(f), int(n)) for m, f, n in store.engine.rows(statement)]


def lent(store: Store, most: int) -> list[Unit]:
    """Units that are lent until a day, those whose day comes first, first."""
    condition = '"state" = \'on loan\' AND "until" IS NOT NULL'
    return store.where(Unit, condition, [], f'ORDER BY "until", id LIMIT {int(most)}')


def with_old_cells(store: Store, since: datetime, most: int) -> list[Unit]:
    """Units whose cells are in use since that moment or longer; without those that are retired."""
    mark = store.engine.mark
    condition = f'"cells_since" <= {mark} AND "state" <> \'retired\''
    return store.where(Unit, condition, [store.engine.moment(since)], f'ORDER BY "cells_since", id LIMIT {int(most)}')


def running_short(store: Store, model: int, minutes: float, most: int) -> list[Unit]:
    """Units of a model that ran less than so long on full cells; without those that are retired."""
    mark = store.engine.mark
    condition = f'"model_id" = {mark} AND "ran_min" < {mark} AND "state" <> \'retired\''
    return store.where(Unit, condition, [model, minutes], f"ORDER BY id LIMIT {int(most)}")
