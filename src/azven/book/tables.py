"""The tables behind the records, and how their values are written."""

import json
import zlib
from dataclasses import fields, replace
from datetime import UTC, datetime
from typing import Any, TypeVar

import numpy as np
import sqlalchemy as sa
from sqlalchemy.engine import Dialect

from azven.book import records as r

R = TypeVar("R", bound=r.Record)
APPLICATION_ID = 0x417A7665
"""SQLite's application_id of a book: the letters Azve."""
REVISION = "0005"
REVISIONS = ("0001", "0002", "0003", "0004", "0005")
"""Every revision that this version of Azven knows, oldest first."""

metadata = sa.MetaData(
    naming_convention={
        "ix": "ix_%(column_0_label)s",
        "uq": "uq_%(table_name)s_%(column_0_name)s",
        "ck": "ck_%(table_name)s_%(constraint_name)s",
        "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
        "pk": "pk_%(table_name)s",
    }
)


class Utc(sa.TypeDecorator[datetime]):
    """A moment in UTC; SQLite forgets the zone, so it is taken off and put back."""

    impl = sa.DateTime
    cache_ok = True

    def process_bind_param(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return None if value is None else value.astimezone(UTC).replace(tzinfo=None)

    def process_result_value(self, value: datetime | None, dialect: Dialect) -> datetime | None:
        return None if value is None else value.replace(tzinfo=UTC)


class Json(sa.TypeDecorator[Any]):
    """A list or an object as JSON text; lists come back as tuples, all the way down."""

    impl = sa.Text
    cache_ok = True

    def process_bind_param(self, value: Any, dialect: Dialect) -> str | None:
        return None if value is None else json.dumps(value, ensure_ascii=False, separators=(",", ":"))

    def process_result_value(self, value: str | None, dialect: Dialect) -> Any:
        return None if value is None else frozen(json.loads(value))


def frozen(value: Any) -> Any:
    """Lists as tuples, all the way down: the form in which JSON columns are read back."""
    if isinstance(value, list):
        return tuple(frozen(v) for v in value)
    if isinstance(value, dict):
        return {k: frozen(v) for k, v in value.items()}
    return value


_MOST_BINS = 20_000_000


def _unpacked(data: bytes, size: int) -> bytes:
    """Compressed values of `size` bytes each; ValueError when they do not unpack, or to more than a sweep can hold."""
    if not isinstance(data, bytes):
        raise ValueError("the bins are no packed values")
    engine = zlib.decompressobj()
    try:
        found = engine.decompress(data, _MOST_BINS * size)
    except zlib.error as error:
        raise ValueError(f"the bins do not unpack ({error})") from error
    if engine.unconsumed_tail or not engine.eof or len(found) % size:
        raise ValueError("the bins do not unpack to a sweep")
    return found


class Frequencies(sa.TypeDecorator[Any]):
    """Ascending int64 hertz as compressed differences: equal steps shrink to almost nothing."""

    impl = sa.LargeBinary
    cache_ok = True

    def process_bind_param(self, value: Any, dialect: Dialect) -> bytes:
        return zlib.compress(np.diff(value, prepend=0).astype("<i8").tobytes(), 6)

    def process_result_value(self, value: bytes | None, dialect: Dialect) -> Any:
        return np.cumsum(np.frombuffer(_unpacked(value or b"", 8), "<i8")).astype(np.int64)


class Levels(sa.TypeDecorator[Any]):
    """Levels in dBm as compressed 16-bit hundredths of a decibel, ±327 dB."""

    impl = sa.LargeBinary
    cache_ok = True

    def process_bind_param(self, value: Any, dialect: Dialect) -> bytes:
        return zlib.compress(np.clip(np.round(np.asarray(value) * 100), -32768, 32767).astype("<i2").tobytes(), 1)

    def process_result_value(self, value: bytes | None, dialect: Dialect) -> Any:
        return np.frombuffer(_unpacked(value or b"", 2), "<i2").astype(np.float64) / 100


KEY = sa.BigInteger().with_variant(sa.Integer(), "sqlite")
HERTZ = sa.BigInteger()


def _choice(name: str, values: tuple[str, ...]) -> sa.Enum:
    return sa.Enum(*values, name=name, native_enum=False, create_constraint=True)


def _to(target: str, *, required: bool = True) -> sa.Column[Any]:
    column, table = target.split(">")
    return sa.Column(column, KEY, sa.ForeignKey(f"{table}.id"), nullable=not required, index=True)


def _col(name: str, kind: Any, *, required: bool = True) -> sa.Column[Any]:
    return sa.Column(name, kind, nullable=not required)


def _table(name: str, *columns: sa.Column[Any]) -> sa.Table:
    head = (sa.Column("id", KEY, primary_key=True, autoincrement=False), _col("version", sa.Integer()))
    return sa.Table(name, metadata, *head, *columns)


T, N, F, B = sa.Text(), sa.Integer(), sa.Float(), sa.Boolean()

TABLES: dict[type[r.Record], sa.Table] = {
    r.Region: _table("region", _col("key", T), _col("title", T), _col("dated", T), _col("document", Json())),
    r.Site: _table(
        "site", _col("name", T), _to("region_id>region", required=False), _col("note", T),
        _col("tv_guard_hz", HERTZ), _col("thresholds", Json()), _col("stations", Json()), _col("time_zone", T),
        _col("archived", B),
    ),
    r.Zone: _table(
        "zone", _to("site_id>site"), _col("name", T), _col("position", N), _col("note", T), _col("near_m", F),
        _col("far_m", F), _col("between_m", F), _col("exponent", F), _col("shape", Json()), _col("height_m", F),
    ),
    r.Relation: _table(
        "relation", _to("zone_a_id>zone"), _to("zone_b_id>zone"),
        _col("relation", _choice("relation", r.RELATIONS)), _col("wall_loss_db", F, required=False),
    ),
    r.Neighbour: _table(
        "neighbour", _to("site_id>site"), _col("name", T), _col("freq_hz", HERTZ), _to("zone_id>zone", required=False),
        _col("kind", _choice("kind", r.NEIGHBOUR_KINDS)), _col("spacing_hz", HERTZ), _col("mixes", B),
        _col("contact", T), _col("note", T), _col("hours", T),
    ),
    r.Sweep: _table(
        "sweep", _to("site_id>site"), _col("taken_at", Utc()), _col("place", T), _col("antenna", T), _col("rbw_hz", F),
        _col("detector", T), _col("own_on", B), _col("hears", _choice("hears", r.HEARS)), _col("used", B),
        _col("points", N), _col("low_hz", HERTZ), _col("high_hz", HERTZ), _col("source", T), _col("note", T),
        _col("made_inside", Json()),
    ),
    r.Trace: _table("trace", _to("sweep_id>sweep"), _col("freq_hz", Frequencies()), _col("level_dbm", Levels())),
    r.Model: _table(
        "model", _col("name", T), _col("service", _choice("service", r.SERVICES)), _col("bands", Json()),
        _col("step_hz", HERTZ), _col("bandwidth_hz", HERTZ), _col("power_mw", F), _col("modulation", T),
        _col("spacing_hz", HERTZ), _col("guard_hz", Json()), _col("builtin", B), _col("needed_db", F), _col("nf_db", F),
        _col("iip3_dbm", F), _col("body_db", F), _col("gain_dbi", F),
    ),
    r.Unit: _table(
        "unit", _to("model_id>model"), _col("name", T), _col("band", T), _col("receiver_band", T), _col("channels", N),
        _to("zone_id>zone", required=False), _col("serial", T), _col("note", T),
    ),
    r.Show: _table(
        "show", _to("site_id>site"), _col("name", T), _col("density", N), _col("note", T),
        _col("school", _choice("school", r.SCHOOLS)), _col("archived", B),
    ),
    r.Act: _table(
        "act", _to("show_id>show"), _col("name", T), _col("position", N),
        _col("starts_at", Utc(), required=False), _col("ends_at", Utc(), required=False),
    ),
    r.Link: _table(
        "link", _to("show_id>show"), _col("name", T), _to("model_id>model"), _col("band", T), _to("zone_id>zone"),
        _to("unit_id>unit", required=False), _col("service", _choice("service", r.SERVICES)), _col("priority", N),
        _col("use_class", _choice("use_class", r.USE_CLASSES)), _col("spare", B), _col("set_aside", B),
        _col("acts", Json()), _col("position", N), _col("performer", T), _col("acts_gone", Json()),
    ),
    r.Plan: _table(
        "plan", _to("show_id>show"), _col("name", T), _col("made_at", Utc()), _col("inputs", Json()), _col("note", T),
    ),
    r.Assignment: _table(
        "assignment", _to("plan_id>plan"), _to("link_id>link"), _col("freq_hz", HERTZ), _col("locked", B),
    ),
    r.KeptPlan: _table(
        "kept_plan", _to("show_id>show"), _col("title", T), _col("made_at", Utc()), _col("made_by", T),
        _col("school", T), _col("density", N), _col("frequencies", Json()), _col("names", Json()),
        _col("inputs", Json()), _col("made_from", Json()),
    ),
    r.Permit: _table(
        "permit", _to("site_id>site"), _col("name", T), _col("kind", _choice("kind", r.PERMIT_KINDS)),
        _col("low_hz", HERTZ), _col("high_hz", HERTZ), _col("power_mw", F, required=False),
        _col("starts_at", Utc(), required=False), _col("ends_at", Utc(), required=False), _col("note", T),
    ),
    r.Wall: _table(
        "wall", _to("site_id>site"), _col("x1_m", F), _col("y1_m", F), _col("x2_m", F), _col("y2_m", F),
        _col("material", T), _col("loss_db", F, required=False),
    ),
    r.Area: _table(
        "area", _to("zone_id>zone"), _col("kind", _choice("kind", r.AREA_KINDS)), _col("name", T),
        _col("shape", Json()),
    ),
    r.Mount: _table(
        "mount", _to("zone_id>zone"), _col("name", T), _col("kind", _choice("kind", r.MOUNT_KINDS)), _col("x_m", F),
        _col("y_m", F), _col("z_m", F),
    ),
    r.Antenna: _table(
        "antenna", _to("zone_id>zone"), _col("name", T), _col("layout", T),
        _col("role", _choice("role", r.ANTENNA_ROLES)), _col("side", T), _col("kind", T), _col("gain_dbi", F),
        _col("beamwidth_deg", F), _col("front_back_db", F), _col("polarisation", T), _col("psi_deg", F),
        _col("x_m", F), _col("y_m", F), _col("z_m", F), _col("azimuth_deg", F), _col("tilt_deg", F),
        _col("power_dbm", F), _col("carriers", N),
    ),
    r.Backdrop: _table(
        "backdrop", _to("site_id>site"), _col("name", T), _col("image", sa.LargeBinary()), _col("points", Json()),
    ),
    r.Design: _table("design", _to("site_id>site"), _col("name", T), _col("document", Json()), _col("note", T)),
}  # fmt: skip
"""Record class to table, parents before children."""

counter = sa.Table("counter", metadata, sa.Column("next_id", KEY, nullable=False))
revision = sa.Table("alembic_version", sa.MetaData(), sa.Column("version_num", sa.String(32), nullable=False))


def as_read(record: R) -> R:
    """The record as it will be read back from the book."""
    changed = {f.name: frozen(v) for f in fields(record) if isinstance(v := getattr(record, f.name), list | dict)}
    return replace(record, **changed) if changed else record


def values(record: r.Record) -> dict[str, Any]:
    """The columns of a record as a dictionary."""
    return {f.name: getattr(record, f.name) for f in fields(record)}
