"""What diagnosis looks at: the status of all links on one grid of time, and what is known of them.

Nothing is looked up elsewhere: what the head does not say is not known. Unknown is NaN in arrays, None in records.
"""

import itertools
import warnings
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from azven.rf.levels import Floats

warnings.filterwarnings("ignore", "Mean of empty slice|All-NaN (slice|axis) encountered", RuntimeWarning)
"""Once and for all: filters belong to the whole process, and several threads diagnose."""

Bools = NDArray[np.bool_]
LOW_OVER_THRESHOLD_DB = 6.0
USUAL_THRESHOLD_DBM, USUAL_NEEDED_DB = -92.0, 20.0
SIDE_HZ = 60_000
"""So far beside a channel a product still reaches into it: it is wider than its carriers."""
SILENT_S = 12.0
"""A link that nothing was said of for so long is not known any more: every link is named every ten seconds."""


@dataclass(frozen=True, kw_only=True)
class LinkHead:
    """A link as the head of a log describes it. None: not known."""

    name: str
    freq_hz: int | None = None
    bandwidth_hz: int = 200_000
    service: str = "voice"
    zone: str | None = None
    system: str | None = None
    rack: str | None = None
    threshold_dbm: float | None = None
    needed_db: float | None = None
    acts: tuple[str, ...] = ()
    battery_min: float | None = None
    group: str | None = None
    spare: bool = False
    map_margin_db: float | None = None
    map_served: float | None = None
    """By the map of its room: margin at the worst place, and the share of places that is served."""

    @property
    def is_ear(self) -> bool:
        return self.service in ("in-ear", "ear")


@dataclass(frozen=True, kw_only=True)
class SystemHead:
    """An antenna system: blocks of each side, from the antenna on, as (name, kind, gain [dB])."""

    name: str
    zone: str | None = None
    sides: Mapping[str, tuple[tuple[str, str, float], ...]] = field(default_factory=dict)
    headroom_db: float | None = None


@dataclass(frozen=True, kw_only=True)
class CarrierHead:
    """Somebody else who is known: frequency [Hz] and when, as `18:00-22:00` UTC."""

    name: str
    freq_hz: int
    bandwidth_hz: int = 100_000
    hours: str | None = None


@dataclass(frozen=True)
class Sweep:
    """Levels [dBm] (n,) over low + k·step [Hz], taken at a moment [s]."""

    at_s: float
    zone: str | None
    low_hz: int
    step_hz: int
    levels: Floats


@dataclass(frozen=True)
class Sent:
    """A desk sent values to a link at a moment [s]."""

    at_s: float
    link: str
    values: Mapping[str, Any]


@dataclass(frozen=True, kw_only=True)
class Head:
    """What is known before anything is heard. Acts by name: from, to [s]."""

    links: tuple[LinkHead, ...]
    systems: tuple[SystemHead, ...] = ()
    carriers: tuple[CarrierHead, ...] = ()
    acts: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    start: str = ""


@dataclass(kw_only=True)
class Record:
    """The status of m links at n moments [s] (n,), evenly apart: arrays (m, n). `tx`, `mute`, `clip`, `hp` are 1, 0 or
    NaN; `differs` says that keys differ; `heard` that the link was named not long ago, `fresh` that it was named."""

    head: Head
    at_s: Floats
    a: Floats
    b: Floats
    q: Floats
    af: Floats
    bat: Floats
    noise: Floats
    tx: Floats
    mute: Floats
    clip: Floats
    hp: Floats
    txf: Floats
    differs: Bools
    named_s: Floats
    """When each link was named last (m, n) [s], −∞ before."""
    sweeps: Sequence[Sweep] = ()
    sent: Sequence[Sent] = ()
    damaged: int = 0
    """Lines of its log that could not be read."""
    only: Sequence[int] | None = None
    """Links that are looked at, and whose groups are; None: all. The others are known, so that they can explain."""
    evening: "Record | None" = None
    """The same links over a longer time, in coarser steps."""
    lean: tuple[Floats, Floats] | None = None
    """How far A stands over B usually (m,) and how that scatters [dB], where it is known from before."""

    @property
    def step_s(self) -> float:
        return float(self.at_s[1] - self.at_s[0]) if len(self.at_s) > 1 else 0.5

    def steps(self, seconds: float) -> int:
        """How many moments a span has, at least one."""
        return max(round(seconds / self.step_s), 1)

    @cached_property
    def looked(self) -> list[int]:
        """Places of the links that are looked at."""
        return list(range(len(self.head.links)) if self.only is None else self.only)

    @cached_property
    def racks(self) -> list[str]:
        """Racks with a link that is looked at."""
        return sorted({x.rack for i in self.looked if (x := self.head.links[i]).rack})

    @cached_property
    def heard(self) -> Bools:
        return np.asarray(self.at_s[None, :] - self.named_s < SILENT_S)

    @cached_property
    def better(self) -> Floats:
        """The stronger antenna (m, n) [dBm]."""
        return np.fmax(self.a, self.b)

    @cached_property
    def low(self) -> Floats:
        """Under this a level is low (m, 1) [dBm]."""
        told = [x.threshold_dbm if x.threshold_dbm is not None else USUAL_THRESHOLD_DBM for x in self.head.links]
        return np.array(told, float)[:, None] + LOW_OVER_THRESHOLD_DB

    @cached_property
    def active(self) -> Bools:
        """Whether a link plays now (m, n): in its own acts; a spare never does."""
        out = np.zeros((len(self.head.links), len(self.at_s)), bool)
        for i, link in enumerate(self.head.links):
            if link.spare:
                continue
            mine = [self.head.acts[x] for x in link.acts if x in self.head.acts]
            if not mine:
                out[i] = True
            for begin, end in mine:
                out[i] |= (self.at_s >= begin) & (self.at_s <= end)
        return out

    @cached_property
    def on(self) -> Bools:
        """Whether its transmitter is heard, or cannot be told but sound arrives."""
        return np.asarray((self.tx == 1) | (np.isnan(self.tx) & (self.q > 0)))

    @cached_property
    def good_level(self) -> Bools:
        """Whether the level is well over what is low; links that tell no level pass."""
        return np.asarray((self.better > self.low) | np.isnan(self.better))

    @cached_property
    def bad(self) -> Bools:
        """Quality under half (m, n), of links that are heard and play."""
        return np.asarray((self.q < 50) & self.heard & self.active)

    @cached_property
    def missed(self) -> Bools:
        """Whether a link that plays is not heard well (m, n), by quality or level, though it is not switched off."""
        low = (self.better < self.low) & self.active & self.heard & (self.tx != 0)
        return np.asarray(self.bad | low)

    @cached_property
    def systems(self) -> list[SystemHead]:
        """Antenna systems of the head, and those that only links name; links without one share that of their room. Of a
        record in which some links are looked at, those with half of their links among them."""
        known = {s.name: s for s in self.head.systems}
        for link in self.head.links:
            if (name := _system_of(link)) is not None and name not in known:
                known[name] = SystemHead(name=name, zone=link.zone)
        if self.only is None:
            return list(known.values())
        looked = Counter(_system_of(self.head.links[i]) for i in self.only)
        members = Counter(_system_of(x) for x in self.head.links if not x.spare)
        return [s for s in known.values() if looked[s.name] >= max(0.5 * members[s.name], 1)]

    @cached_property
    def groups(self) -> Mapping[str, list[int]]:
        """Links by the group of their people, spares left out."""
        found: dict[str, list[int]] = {}
        for i, link in enumerate(self.head.links):
            if link.group is not None and not link.spare:
                found.setdefault(link.group, []).append(i)
        return found

    @cached_property
    def hurt(self) -> Bools:
        """Quality gone though the level is good (m, n): what disturbs is on the frequency, or behind the antenna."""
        return np.asarray(self.bad & self.good_level)

    def sweeps_during(self, first: int, end: int, slack_s: float) -> list[tuple[Sweep, Floats]]:
        """Sweeps taken in a stretch of moments, or so near to it, with their frequencies (n,) [Hz]."""
        begin, over = self.at_s[first] - slack_s, self.at_s[end - 1] + slack_s
        near = [s for s in self.sweeps if begin <= s.at_s <= over]
        return [(s, s.low_hz + s.step_hz * np.arange(len(s.levels), dtype=float)) for s in near]

    def of_system(self, name: str) -> NDArray[np.intp]:
        """Links of an antenna system, spares left out."""
        return np.array([i for i, x in enumerate(self.head.links) if _system_of(x) == name and not x.spare], np.intp)

    def index(self, name: str) -> int | None:
        return next((i for i, x in enumerate(self.head.links) if x.name == name), None)


def _system_of(link: LinkHead) -> str | None:
    return link.system or (None if link.is_ear else link.zone)


def with_transmitters(record: Record) -> Record:
    """The record with `tx` of links that never tell it by what is heard: on while anything arrives or levels are up."""
    silent: Bools = np.asarray(np.isnan(record.tx).all(axis=1) & np.isfinite(record.q).any(axis=1))
    if not silent.any():
        return record
    known = np.isfinite(record.q) | np.isfinite(record.better)
    heard = np.where(known, ((record.q > 0) | (record.better > record.low)).astype(float), np.nan)
    return replace(record, tx=np.where(silent[:, None], heard, record.tx))


@dataclass(kw_only=True)
class Incident:
    """Something that went wrong: from, to [s], whose, why, how sure (0…1), with figures and sentences."""

    from_s: float
    to_s: float
    links: tuple[str, ...]
    cause: str
    sure: float
    detail: dict[str, Any] = field(default_factory=dict)
    evidence: list[str] = field(default_factory=list)
    next: list[str] = field(default_factory=list)
    spare: str = ""
    """A spare that was tried: it is quiet, and holds with all that are on."""


@contextmanager
def unknown_is_unknown() -> Iterator[None]:
    """The middle of what nobody knows is not known, as it should be."""
    with np.errstate(all="ignore"):
        yield


def runs(true: Bools) -> list[tuple[int, int]]:
    """Stretches of a row that are true: first and one past the last."""
    if not true.any():
        return []
    framed = np.zeros(len(true) + 2, bool)
    framed[1:-1] = true
    edges = np.flatnonzero(framed[1:] != framed[:-1])
    return [(int(i), int(j)) for i, j in edges.reshape(-1, 2)]


def closed(true: Bools, gap: int) -> Bools:
    """A row with holes of up to so many moments filled."""
    parts = runs(true)
    if len(parts) < 2:
        return true
    out = true.copy()
    for (_, end), (begin, _) in itertools.pairwise(parts):
        if begin - end <= gap:
            out[end:begin] = True
    return out
