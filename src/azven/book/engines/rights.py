"""What a role of a server may do with a book: read it, write what belongs to some campuses, or write all of it.

The database enforces it, by grants and by policies of its rows (row security of PostgreSQL); a desk asks beforehand, so
that it can say so before anyone types. Whoever owns the tables may always do everything.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from azven.book.columns import KINDS, columns, kind_of, of_each_kind, table_name
from azven.book.edits import Change
from azven.book.records import Booking, Deed, Distance, Inquiry, Record, Site, Unit

if TYPE_CHECKING:
    import sqlalchemy as sa

    from azven.book.engines import Engine

Right = Literal["read", "campus", "all"]
_TABLE = "azven_rights"
_ALWAYS = ("history", "history_change", "counter", "kept_question", "origin", "hour")
"""Tables that whoever writes anything writes too."""
_MINE = f"(SELECT site_id FROM {_TABLE} WHERE role = current_user)"
_FREE = f"NOT EXISTS (SELECT 1 FROM {_TABLE} WHERE role = current_user)"
_UNIT = (
    f"coalesce(site_at_id, (SELECT z.site_id FROM zone z WHERE z.id = zone_id), site_home_id) IN {_MINE} "
    f"OR site_home_id IN {_MINE}"
)


@dataclass(frozen=True)
class Rights:
    """What the role of a desk may do; for `campus` the numbers of its sites."""

    right: Right = "all"
    sites: tuple[int, ...] = ()


def of_me(engine: "Engine") -> Rights:
    """What the role that the book is open with may do."""
    ((may_write,),) = engine.rows("SELECT has_table_privilege('counter', 'UPDATE')")
    if not may_write:
        return Rights("read")
    ((there,),) = engine.rows(f"SELECT to_regclass('{_TABLE}') IS NOT NULL")
    if not there:
        return Rights()
    ((owns,),) = engine.rows("SELECT pg_has_role(tableowner, 'USAGE') FROM pg_tables WHERE tablename = 'counter'")
    sites = engine.rows(f"SELECT site_id FROM {_TABLE} WHERE role = current_user ORDER BY site_id")
    return Rights("campus", tuple(int(s) for (s,) in sites)) if sites and not owns else Rights()


def give(connection: "sa.Connection", role: str, right: Right, sites: Sequence[int] = ()) -> None:
    """Give a role of the server these rights on a book, in place of those that it had. ValueError for a campus role
    without a site, and for the role that owns the book: that may always do everything."""
    if right == "campus" and not sites:
        raise ValueError("a role of a campus needs to know which")
    ((owner, schema),) = connection.exec_driver_sql(
        "SELECT tableowner, schemaname FROM pg_tables WHERE tablename = 'counter' AND schemaname = current_schema()"
    ).fetchall()
    if owner == role:
        raise ValueError(f"{role} owns the book and may always do everything")
    for statement in _prepared():
        connection.exec_driver_sql(statement)
    name = _quoted(role)
    everything = f"ALL TABLES IN SCHEMA {_quoted(schema)}"
    connection.exec_driver_sql(f"REVOKE ALL ON {everything} FROM {name}")
    connection.exec_driver_sql(f"DELETE FROM {_TABLE} WHERE role = %s", (role,))
    connection.exec_driver_sql(f"GRANT SELECT ON {everything} TO {name}")
    if right == "read":
        return
    tables = [*_ALWAYS, *(table_name(k) for k in KINDS if right == "all" or _own(k))]
    listed = ", ".join(dict.fromkeys(f'"{t}"' for t in tables))
    connection.exec_driver_sql(f"GRANT INSERT, UPDATE, DELETE ON {listed} TO {name}")
    for site in sites if right == "campus" else ():
        connection.exec_driver_sql(f"INSERT INTO {_TABLE} VALUES (%s, %s)", (role, site))


def give_again(connection: "sa.Connection") -> None:
    """Give every role that has rights on a book the same again, so that they cover tables that are new."""
    ask = connection.exec_driver_sql
    roles = ask(
        "SELECT DISTINCT g.grantee, has_table_privilege(g.grantee::text, 'counter', 'UPDATE') "
        "FROM information_schema.role_table_grants g JOIN pg_tables t ON t.tablename = g.table_name "
        "AND t.schemaname = g.table_schema WHERE g.table_name = 'counter' AND g.table_schema = current_schema() "
        "AND g.grantee NOT IN (t.tableowner, 'PUBLIC')"
    ).fetchall()
    if not roles:
        return
    sites: dict[str, list[int]] = {}
    if ask(f"SELECT to_regclass('{_TABLE}')").scalar() is not None:
        for role, site in ask(f"SELECT role, site_id FROM {_TABLE}").fetchall():
            sites.setdefault(role, []).append(int(site))
    for role, may_write in roles:
        mine = sites.get(role, [])
        give(connection, role, "campus" if mine and may_write else "all" if may_write else "read", mine)


def _quoted(role: str) -> str:
    return '"' + role.replace('"', '""') + '"'


def _prepared() -> Iterator[str]:
    """The table of campus roles, and a policy for every table that belongs to sites."""
    yield f"CREATE TABLE IF NOT EXISTS {_TABLE} (role text NOT NULL, site_id bigint NOT NULL)"
    yield f"GRANT SELECT ON {_TABLE} TO PUBLIC"
    for kind in KINDS:
        table, own = table_name(kind), _own(kind)
        if not own:
            continue
        condition = f"({_FREE} OR {own})"
        after = "true" if kind is Unit else condition  # a unit may be sent away
        yield f'ALTER TABLE "{table}" ENABLE ROW LEVEL SECURITY'
        for name in ("read", "add", "change", "remove"):
            yield f'DROP POLICY IF EXISTS azven_{name} ON "{table}"'
        yield f'CREATE POLICY azven_read ON "{table}" FOR SELECT USING (true)'
        yield f'CREATE POLICY azven_add ON "{table}" FOR INSERT WITH CHECK {condition}'
        yield f'CREATE POLICY azven_change ON "{table}" FOR UPDATE USING {condition} WITH CHECK ({after})'
        yield f'CREATE POLICY azven_remove ON "{table}" FOR DELETE USING {condition}'


def strangers(engine: "Engine", changes: Sequence[Change]) -> list[Record]:
    """Records among changes that are there and are not of the campuses of the role."""
    out: list[Record] = []
    for kind in dict.fromkeys(c.kind for c in changes if c.before is not None):
        if table_name(kind) in _ALWAYS:
            continue
        mine = {c.before.id: c.before for c in changes if c.kind is kind and c.before is not None}
        marks = ", ".join(engine.mark for _ in mine)
        own = _own(kind) or "false"
        found = engine.rows(f'SELECT id FROM "{table_name(kind)}" WHERE id IN ({marks}) AND NOT ({own})', list(mine))
        out += [mine[int(number)] for (number,) in found]
    return out


@of_each_kind
def _own(kind: type[Record]) -> str:
    """The condition that a row is of one of a role's campuses; empty for what belongs to no site."""
    if kind is Site:
        return f"id IN {_MINE}"
    if kind is Unit:
        return f"({_UNIT})"
    if kind is Distance:
        return f"(site_a_id IN {_MINE} OR site_b_id IN {_MINE})"
    if kind is Inquiry:
        return f"(site_id IN {_MINE} OR site_from_id IN {_MINE})"
    if kind is Deed:
        return f"unit_id IN (SELECT id FROM unit WHERE {_UNIT})"
    if kind is Booking:
        shows = f"SELECT id FROM show WHERE site_id IN {_MINE}"
        return f"(unit_id IN (SELECT id FROM unit WHERE {_UNIT}) OR show_id IN ({shows}))"
    for column in columns(kind):
        if not column.refers or column.optional:
            continue
        if column.refers == "site":
            return f"{column.name} IN {_MINE}"
        parent = kind_of(column.refers)
        if above := _own(parent):
            return f'{column.name} IN (SELECT id FROM "{column.refers}" WHERE {above})'
    return ""
