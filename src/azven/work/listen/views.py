"""What Listen's pages show, read from the book at one moment."""

from dataclasses import dataclass
from datetime import datetime

from azven.book.records import Sweep as SweepRecord
from azven.book.store import Store
from azven.rf import bands
from azven.work import ground, listen
from azven.work.listen import spectrum
from azven.work.listen.merged import Picture
from azven.work.listen.spectrum import Proposal
from azven.work.scope import Scope


@dataclass(frozen=True)
class Comparable:
    """Sweeps to choose from, newest first, each with how it is called."""

    sweeps: tuple[SweepRecord, ...]
    called: tuple[str, ...]
    pair: tuple[int, int] | None = None
    """The newest that has an earlier one of its band, and that one, by their numbers."""


@dataclass(frozen=True, kw_only=True)
class Advice:
    """What to sweep, and what is wrong with the sweeps there are, in sentences.

    `stations`: the channels that the list of this place names. `ours`: our own lines.
    """

    proposals: tuple[Proposal, ...]
    warnings: tuple[str, ...]
    silent: tuple[str, ...]
    stations: tuple[str, ...]
    against_list: tuple[str, ...]
    one_sided: tuple[str, ...]
    ours: tuple[str, ...]


def comparable(store: Store, scope: Scope, now: datetime) -> Comparable:
    records = tuple(listen.sweeps(store, scope))
    band = [bands.of_range(r.low_hz, r.high_hz) for r in records]
    several = len(set(band)) > 1
    called = tuple(
        f"{r.place}, {f'{b.name}, ' if several else ''}{listen.age(r, now)}" for r, b in zip(records, band, strict=True)
    )
    pairs = ((a.id, b.id) for i, a in enumerate(records) for j, b in enumerate(records) if i < j and band[i] is band[j])
    return Comparable(records, called, next(pairs, None))


def advice(store: Store, scope: Scope, picture: Picture, now: datetime) -> Advice:
    ours = (
        f"{name} at {line.freq_hz / 1e6:.3f} MHz, {line.level_dbm:.0f} dBm".replace("-", "−")
        for name, line in picture.ours
    )
    return Advice(
        proposals=tuple(spectrum.proposals(store, scope)),
        warnings=tuple(spectrum.warnings(store, scope, now)),
        silent=tuple(spectrum.listed_but_silent(store, scope, picture)),
        stations=ground.here(store, scope).stations(),
        against_list=tuple(spectrum.against_list(store, scope, picture)),
        one_sided=tuple(spectrum.one_sided(store, scope, picture)),
        ours=tuple(ours),
    )
