"""Mutated input for every reader, from a seed; each reader is followed by what uses its answer at once.

An input may be refused in one sentence or taken; it may not end in a traceback, take long or take much memory.
"""

import copy
import io
import json
import shutil
import sqlite3
import time
import tracemalloc
import zipfile
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path

import numpy as np

from azven.book import regions
from azven.book.edits import BookError
from azven.book.formats import catalogue as catalogue_format
from azven.book.formats import chain as chain_format
from azven.book.formats import handover as package_format
from azven.book.formats import plan as plan_format
from azven.book.formats import plan_request, reading, region, site_bundle, sweep_csv
from azven.book.formats.errors import QUOTED
from azven.book.records import Model
from azven.book.store import Store
from azven.rf.chain.design import solve_design
from azven.rf.chain.outgoing import as_json
from azven.rf.coordinate import coordinate
from azven.work import books, demo, diagnosing, ground, kit, listen, plan
from azven.work.chain import templates
from azven.work.ground import bundle
from azven.work.kit import catalogue, lists, patch_list
from azven.work.listen import files, judgement
from azven.work.plan import group_tables
from azven.work.register import handover
from azven.work.scope import opening as here

LONGEST_S, MOST_BYTES = 10.0, 500_000_000
_SEARCH_S = 0.2
_ODD = (
    None, True, 0, -1, 1, 2**31, 2**63, 10**12, 10**13, 10**40, 1e308, -1e308, 1e-308, float("nan"), float("inf"),
    "", "x", "−5", "1e5", "\x00", "\u202eabc", "a" * 5_000, "=1+1", "📻", [], {}, [[]], [None], {"a": 1},
)  # fmt: skip
_BYTES = (
    b"",
    b"\0",
    b"\xff\xfe",
    b",",
    b";",
    b"\t",
    b"\n",
    b"\r",
    b'"',
    b"#",
    b"nan",
    b"inf",
    b"1e309",
    b"-",
    b"9" * 400,
)


class Bench:
    """Sound inputs of every kind, made once, and what reads them."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.store = demo.build(folder)
        self.readers = {
            "CSV": (self._csv(), self.read_csv), "request": (self._request(), self.read_request),
            "plan": (self._plan(), self.read_plan), "design": (self._design(), self.read_design),
            "region": (self._region(), self.read_region), "bundle": (self._bundle(), self.read_bundle),
            "rows": (self._rows(), self.read_rows), "group table": (self._groups(), self.read_groups),
            "catalogue": (self._catalogue(), self.read_catalogue), "kit list": (self._list(), self.read_list),
            "patch": (self._patch(), self.read_patch), "book": (self._book(), self.read_book),
            "status log": (self._log(), self.read_log), "package": (self._package(), self.read_package),
        }  # fmt: skip

    def close(self) -> None:
        self.store.close()

    # -- sound inputs ----------------------------------------------------------------------------------------

    def _csv(self) -> bytes:
        record = listen.sweeps(self.store, here(self.store))[0]
        sweep = listen.load(self.store, record)
        part = slice(0, 400)
        return sweep_csv.text(sweep.freq_hz[part], sweep.level_dbm[part], files.described(record)).encode()

    def _request(self) -> object:
        return plan_request.write(plan.board_of(self.store, here(self.store)).input.request)

    def _plan(self) -> object:
        found = coordinate(plan.board_of(self.store, here(self.store)).input.request, lambda d, t: True, lambda: 0.0)
        return plan_format.write(found)

    def _design(self) -> object:
        return templates.both(self.store, here(self.store), ground.zones(self.store, here(self.store)))

    def _region(self) -> object:
        return regions.shipped()[0]

    def _bundle(self) -> dict:
        path = self.folder / "site.zip"
        bundle.write(self.store, here(self.store), path)
        with zipfile.ZipFile(path) as whole:
            return {"site.json": json.loads(whole.read("site.json")), "sweeps/0001.csv": self._csv()}

    def _package(self) -> dict:
        path = self.folder / "handover.zip"
        self.store.apply(handover.with_key(self.store))
        scope, now = here(self.store), datetime(2026, 9, 1, tzinfo=UTC)
        handover.write(self.store.place, scope, path, "Mind the tide.", b"%PDF", "Merle", now, lambda d, t: True)
        with zipfile.ZipFile(path) as whole:
            told = {n: json.loads(whole.read(n)) for n in ("site.json", "handover.json", "show.json", "register.json")}
        told["register.json"]["deeds"] = told["register.json"]["deeds"][:60]
        return {**told, "sweeps/0001.csv": self._csv()}

    def read_package(self, data: bytes) -> None:
        path = self.folder / "into.azven"
        path.unlink(missing_ok=True)
        store = books.new_book(path)
        try:
            store.apply(handover.preview(store, package_format.read(self._file(data, "fuzz.zip"))).edit)
        finally:
            store.close()

    def _rows(self) -> bytes:
        head = "name\troom\tmodel\tpriority\tuse\tacts\n"
        return (head + "\n".join(f"Mic {i}\tRope Hall\t\t{i % 5 + 1}\tusable\t" for i in range(40))).encode()

    def _groups(self) -> bytes:
        return group_tables.write({"A": (500_000_000, 500_600_000), "B": (501_000_000,)}).encode()

    def _catalogue(self) -> bytes:
        return catalogue_format.write(self.store.all(Model)[:4]).encode()

    def _list(self) -> bytes:
        return lists.write(self.store, here(self.store)).encode()

    def _patch(self) -> bytes:
        return patch_list.write(self.store, here(self.store)).encode()

    def _log(self) -> bytes:
        """A minute of a few links, with every field and event."""
        head = {"format": "azven-status-log", "version": 1, "start": "2026-09-12T18:00:00Z",
                "acts": [{"name": "Parade", "from_s": 0, "to_s": 60}],
                "systems": [{"name": "Hall", "sides": {"a": [{"name": "mast", "kind": "amp", "gain_db": 9}], "b": []}}],
                "links": [{"name": f"L{i}", "freq_hz": 500_000_000 + 700_000 * i, "zone": "Hall", "system": "Hall",
                           "rack": "r-1", "acts": ["Parade"], "group": "choir"} for i in range(4)]}  # fmt: skip
        told: list[object] = [head]
        for k in range(120):
            fields = {"a": -60 - k % 7, "b": -62, "q": 99 - k % 60, "af": -20, "bat": 80, "tx": "on",
                      "mute": k % 50 > 40, "enc": "ok", "noise": None, "clip": False, "txf": 500_000_000}  # fmt: skip
            told.append({"t": k / 2, "c": {f"L{i}": fields for i in range(4)}})
        told.append({"t": 60.0, "event": {"kind": "sweep", "low_hz": 1, "step_hz": 25_000, "levels": [-90.0, None]}})
        told.append({"t": 60.0, "event": {"kind": "sent", "channel": "L1", "values": {"freq_hz": 501_000_000}}})
        return "\n".join(json.dumps(x) for x in [*told, {"t": 61, "c": {}}]).encode()

    def _book(self) -> bytes:
        copied = self.folder / "copy.azven"
        checkpoint(self.store.place.path)
        shutil.copy(self.store.place.path, copied)
        return copied.read_bytes()

    # -- readers ---------------------------------------------------------------------------------------------

    def _file(self, data: bytes, name: str) -> Path:
        path = self.folder / name
        path.write_bytes(data)
        return path

    def read_csv(self, data: bytes) -> None:
        path = self._file(data, "fuzz.csv")
        judgement.document(judgement.judged([judgement.read_sweep(path)], judgement.raster("europe-8mhz")))

    def read_request(self, data: bytes) -> None:
        request = plan_request.read(reading.read_json(self._file(data, "fuzz.json")))
        started = time.monotonic()
        coordinate(replace(request, time_limit_s=_SEARCH_S, effort=1), lambda d, t: True,
                   lambda: time.monotonic() - started)  # fmt: skip

    def read_plan(self, data: bytes) -> None:
        plan_format.read(reading.read_json(self._file(data, "fuzz.json")))

    def read_design(self, data: bytes) -> None:
        design = chain_format.read(reading.read_json(self._file(data, "fuzz.json")))
        json.dumps(as_json(design, solve_design(design)))

    def read_region(self, data: bytes) -> None:
        regions.territory(region.read(reading.read_json(self._file(data, "fuzz.json"))).model_dump())

    def read_bundle(self, data: bytes) -> None:
        bundle.merge(self.store, here(self.store), site_bundle.read(self._file(data, "fuzz.zip")))

    def read_rows(self, data: bytes) -> None:
        model = self.store.all(Model)[0]
        kit.paste(
            self.store,
            here(self.store),
            data.decode("utf-8", "replace"),
            model,
            ground.zones(self.store, here(self.store))[0],
        )

    def read_groups(self, data: bytes) -> None:
        group_tables.read(self._file(data, "fuzz.csv"))

    def read_catalogue(self, data: bytes) -> None:
        catalogue.take_in(self.store, self._file(data, "fuzz.json"))

    def read_list(self, data: bytes) -> None:
        lists.take_in(self.store, here(self.store), lists.text_of(self._file(data, "fuzz.csv")))

    def read_patch(self, data: bytes) -> None:
        patch_list.take_in(self.store, here(self.store), lists.text_of(self._file(data, "fuzz.csv")))

    def read_log(self, data: bytes) -> None:
        diagnosing.document(diagnosing.of_log(self._file(data, "fuzz.jsonl"))[0])

    def read_book(self, data: bytes) -> None:
        for left in self.folder.glob("fuzz.azven*"):
            left.unlink()
        store = Store.open(self._file(data, "fuzz.azven"))
        try:
            plan.board_of(store, here(store), listen.picture(store, here(store)))
        finally:
            store.close()


def checkpoint(path: Path) -> None:
    """Bring everything out of the write-ahead log into the file."""
    with sqlite3.connect(path) as connection:
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")


@dataclass
class Outcome:
    """What came of one mutated input: `fault` names a traceback or a limit that was passed, empty when none was."""

    refused: bool
    seconds: float
    bytes_used: int
    fault: str = ""


def mutated(name: str, sound: object, rng: np.random.Generator, folder: Path) -> bytes:
    """A sound input with one to five things changed: in the structure of JSON, in cells of a book, or in bytes."""
    if name in ("bundle", "package"):
        return _in_members(sound, rng)
    if name == "book" and rng.random() < 0.7:
        return _in_cells(sound, rng, folder / "cells.azven")
    if isinstance(sound, bytes):
        return _in_bytes(sound, rng)
    data = copy.deepcopy(sound)
    for _ in range(_times(rng)):
        _in_structure(data, rng)
    text = json.dumps(data, ensure_ascii=False).encode("utf-8", "surrogatepass")
    return _in_bytes(text, rng) if rng.random() < 0.15 else text


def _times(rng: np.random.Generator) -> int:
    return 1 if rng.random() < 0.6 else int(rng.integers(2, 6))


def _in_members(sound: dict, rng: np.random.Generator) -> bytes:
    """A bundle or a package with one of its documents or its sweep changed, or the zip itself."""
    parts = {k: v if isinstance(v, bytes) else json.dumps(v).encode() for k, v in sound.items()}
    what = rng.integers(3)
    if what == 0:
        documents = [n for n in sound if n.endswith(".json")]
        name = documents[rng.integers(len(documents))]
        parts[name] = mutated("document", sound[name], rng, Path())
    elif what == 1:
        parts["sweeps/0001.csv"] = _in_bytes(parts["sweeps/0001.csv"], rng)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as whole:
        for member, data in parts.items():
            whole.writestr(member, data)
    return _in_bytes(out.getvalue(), rng) if what == 2 else out.getvalue()


def _in_cells(sound: bytes, rng: np.random.Generator, path: Path) -> bytes:
    """A book in which cells hold what nobody wrote there."""
    path.write_bytes(sound)
    connection = sqlite3.connect(path)
    connection.execute("PRAGMA ignore_check_constraints = ON")
    connection.execute("PRAGMA journal_mode = DELETE")
    tables = [t for (t,) in connection.execute("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")]
    for _ in range(_times(rng)):
        table = tables[rng.integers(len(tables))]
        columns = [c[1] for c in connection.execute(f"PRAGMA table_info({table})")]
        odd = _ODD[rng.integers(len(_ODD))]
        value = odd if isinstance(odd, str | float | None) else json.dumps(odd)
        if isinstance(odd, int) and abs(odd) < 2**62:
            value = int(odd)
        with suppress(sqlite3.DatabaseError):
            connection.execute(
                f"UPDATE {table} SET {columns[rng.integers(len(columns))]} = ? "
                f"WHERE rowid = (SELECT rowid FROM {table} ORDER BY rowid LIMIT 1 OFFSET ?)",
                (value, int(rng.integers(0, 6))),
            )
    connection.commit()
    connection.close()
    return path.read_bytes()


def _in_structure(data: object, rng: np.random.Generator) -> None:
    """Change one value, key or length somewhere in a document, in place."""
    at = data
    while True:
        keys = list(at) if isinstance(at, dict) else list(range(len(at))) if isinstance(at, list) else []
        if not keys:
            return
        key = keys[rng.integers(len(keys))]
        inner = at[key]
        if not isinstance(inner, dict | list) or not inner or rng.random() < 0.25:
            break
        at = inner
    what = rng.integers(6)
    if isinstance(at[key], int | float) and not isinstance(at[key], bool) and rng.random() < 0.6:
        by = float(10.0 ** rng.integers(-9, 10))
        scaled = at[key] * by if rng.random() < 0.7 else float(rng.integers(-1, 2)) * at[key]
        at[key] = int(scaled) if isinstance(at[key], int) and np.isfinite(scaled) else float(scaled)
    elif what == 0:
        del at[key]
    elif what == 1 and isinstance(at, list):
        at.extend(copy.deepcopy(at[key]) for _ in range(rng.integers(1, 60)))
    elif what == 2 and isinstance(at, dict):
        at[str(_ODD[rng.integers(len(_ODD))])[:50]] = at.pop(key)
    else:
        at[key] = copy.deepcopy(_ODD[rng.integers(len(_ODD))])


def _in_bytes(data: bytes, rng: np.random.Generator) -> bytes:
    out = bytearray(data)
    for _ in range(rng.integers(1, 9)):
        at = int(rng.integers(len(out) + 1))
        length = int(rng.integers(1, 40))
        what = rng.integers(6)
        if what == 0:
            out[at : at + length] = rng.integers(0, 256, length, np.uint8).tobytes()
        elif what == 1:
            del out[at : at + length * (50 if rng.random() < 0.1 else 1)]
        elif what == 2:
            out[at:at] = out[at : at + length] * int(rng.integers(1, 30))
        elif what == 3:
            out[at:at] = _BYTES[rng.integers(len(_BYTES))]
        elif what == 4 and len(out) > 1:
            out[at % len(out)] ^= 1 << int(rng.integers(8))
        else:
            del out[at if rng.random() < 0.1 else len(out) :]
    return bytes(out)


def attempt(read: object, data: bytes, trace_memory: bool = True) -> Outcome:
    """One input read; memory is traced, which makes it slower."""
    if trace_memory:
        tracemalloc.start()
    started = time.monotonic()
    refused, fault = False, ""
    try:
        read(data)
    except (BookError, ValueError) as error:
        refused = True
        fault = _unlike_a_sentence(str(error))
    except Exception as error:
        fault = f"{type(error).__name__}: {error}"
    seconds = time.monotonic() - started
    used = 0
    if trace_memory:
        used = tracemalloc.get_traced_memory()[1]
        tracemalloc.stop()
    if seconds > LONGEST_S:
        fault = f"took {seconds:.1f} s"
    if used > MOST_BYTES:
        fault = f"took {used / 1e6:.0f} MB"
    return Outcome(refused, seconds, used, fault)


def _unlike_a_sentence(message: str) -> str:
    if not message.strip() or "\n" in message or "Traceback" in message:
        return f"said {message[:200]!r}"
    long = [w for w in message.split() if len(w) > QUOTED + 80 and "/" not in w]
    return f"quotes at length: {message[:200]}" if long else ""
