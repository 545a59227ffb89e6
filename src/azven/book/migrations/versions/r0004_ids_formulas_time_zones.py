"""Plans name links by id, products by formula; sites have a time zone, links say which of their acts are gone."""

import json
from collections.abc import Callable
from typing import Any

import sqlalchemy as sa
from alembic import op

from azven.book import tables

revision = "0004"
down_revision = "0003"

CODES = {
    "2T3O": "2a-b", "3T3O": "a+b-c", "2T5O": "3a-2b", "3T5O": "3a-b-c", "2T7O": "4a-3b", "2T9O": "5a-4b",
    "H2": "2a", "H3": "3a", "2T2O": "a-b",
}  # fmt: skip


def upgrade() -> None:
    op.add_column("site", sa.Column("time_zone", sa.Text(), nullable=False, server_default="UTC"))
    op.add_column("link", sa.Column("acts_gone", tables.Json(), nullable=False, server_default="[]"))
    op.add_column("kept_plan", sa.Column("names", tables.Json(), nullable=False, server_default="{}"))
    bind = op.get_bind()
    _rewrite("model", "guard_hz", lambda row, guards: {CODES.get(k, k): g for k, g in guards.items()})
    links = _by_name(bind, "link", "show_id")
    _rewrite("kept_plan", "names", lambda row, _: _lasting(links, row, {n: n for n in json.loads(row.frequencies)}))
    _rewrite("kept_plan", "frequencies", lambda row, freqs: _lasting(links, row, freqs))
    known = _known(bind)
    for table in ("plan", "kept_plan"):
        _rewrite(table, "inputs", lambda row, inputs: _inputs(known, row.show_id, inputs))


def _rewrite(table: str, column: str, change: Callable[[Any, Any], Any]) -> None:
    """Put every row's JSON value through `change`."""
    bind = op.get_bind()
    for row in bind.execute(sa.text(f"SELECT * FROM {table}")).all():
        value = json.dumps(change(row, json.loads(getattr(row, column))), ensure_ascii=False, separators=(",", ":"))
        bind.execute(sa.text(f"UPDATE {table} SET {column} = :v WHERE id = :id"), {"v": value, "id": row.id})


def _by_name(bind: sa.Connection, table: str, parent: str) -> dict[tuple[int, str], int]:
    rows = bind.execute(sa.text(f"SELECT id, {parent}, name FROM {table} ORDER BY id DESC"))
    return {(where, name): number for number, where, name in rows}


def _lasting(links: dict[tuple[int, str], int], row: Any, by_name: dict[str, Any]) -> dict[str, Any]:
    """Values by link id; a link that is gone keeps its name as its id, so that nothing is lost."""
    return {
        f"link-{links[row.show_id, name]}" if (row.show_id, name) in links else f"gone-{name}": value
        for name, value in by_name.items()
    }


def _known(bind: sa.Connection) -> dict[str, dict[tuple[int, str], int]]:
    """Things that a plan is made from, by kind: (show, name) → id."""
    out = {"link": _by_name(bind, "link", "show_id"), "act": _by_name(bind, "act", "show_id")}
    shows = bind.execute(sa.text("SELECT id, site_id FROM show")).all()
    for kind, table in (("neighbour", "neighbour"), ("permit", "permit"), ("room", "zone")):
        there = _by_name(bind, table, "site_id")
        out[kind] = {(show, name): n for show, site in shows for (where, name), n in there.items() if where == site}
    models = bind.execute(sa.text("SELECT id, name FROM model")).all()
    out["power"] = {(show, name): n for show, _ in shows for n, name in models}
    zones = {row.id: str(row.name) for row in bind.execute(sa.text("SELECT id, name FROM zone"))}
    relations = bind.execute(sa.text("SELECT id, zone_a_id, zone_b_id FROM relation")).all()
    pairs = {" and ".join(sorted(zones.get(z, "?") for z in (a, b))): n for n, a, b in relations}
    out["rooms"] = {(show, title): n for show, _ in shows for title, n in pairs.items()}
    return out


def _inputs(known: dict[str, dict[tuple[int, str], int]], show: int, inputs: dict[str, str]) -> dict[str, str]:
    """What a plan was made from, by id, the name behind the digest."""
    out = {}
    for key, digest in inputs.items():
        kind, slash, name = key.partition("/")
        if kind == "sweep" and name.endswith(")"):
            place, _, number = name[:-1].rpartition(" (")
            out[f"sweep/{number}"] = f"{digest} {place}"
        elif kind in known:
            there = known[kind].get((show, name))
            out[f"{kind}/{name if there is None else there}"] = f"{digest} {name}"
        else:
            out[f"{kind}{slash}{name}"] = digest
    return out
