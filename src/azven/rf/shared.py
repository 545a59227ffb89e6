"""Links of shared bands: which channel each takes, and how each then stands (domain, section 7).

At 2.4 GHz one link after the other takes the channel with least interference; at 5 GHz channels are assigned together,
with radar duty in mind; what chooses its channel by itself, or hops, has none to be given and is only judged.
"""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

from azven.rf import band24, dfs
from azven.rf.band24 import Other, Span
from azven.rf.levels import dbm, milliwatts
from azven.rf.request import meet_in_time

Choosing = Literal["is set", "itself", "hops"]
Progress = Callable[[int, int], bool]
_NOTHING_DBM = -300.0


@dataclass(frozen=True, kw_only=True)
class Seat:
    """A link of a shared band at its receiver: levels in dBm, `noise_dbm` in its width. `centres` are the channels [Hz]
    that are open to it, `reached` those that a sweep covers, `sweep_dbm` what was heard in them, `others` what is said
    of strangers there."""

    id: str
    centres: tuple[int, ...]
    width_hz: int
    band_hz: tuple[int, int]
    wanted_dbm: float
    noise_dbm: float
    needed_db: float
    duty: float = 1.0
    priority: int = 0
    times: frozenset[str] = frozenset()
    choosing: Choosing = "is set"
    by_radar: bool = False
    rejoin_s: float = dfs.REJOIN_S
    second_radio: bool = False
    others: tuple[tuple[str, Other], ...] = ()
    sweep_dbm: Mapping[int, float] = field(default_factory=dict)
    reached: frozenset[int] = frozenset()

    @property
    def band(self) -> Span:
        low, high = self.band_hz
        return Span((low + high) / 2, high - low)


@dataclass(frozen=True, kw_only=True)
class SharedRequest:
    """Every link of shared bands; `heard_dbm` how loud the first arrives at the receiver of the second, of pairs that
    hear one another at all; `region` what holds at 5 GHz."""

    seats: tuple[Seat, ...] = ()
    heard_dbm: Mapping[tuple[str, str], float] = field(default_factory=dict)
    region: dfs.Region = field(default_factory=dfs.Region)

    def seat(self, link: str) -> Seat | None:
        return next((s for s in self.seats if s.id == link), None)


@dataclass(frozen=True, kw_only=True)
class SharedStanding:
    """How a link stands: what interferes in its channel [dBm], None for nothing, by whom most of it, and what the
    wanted signal has over need with noise and interference together [dB]."""

    wanted_dbm: float
    noise_dbm: float
    needed_db: float
    interference_dbm: float | None
    loudest: str = ""
    loudest_dbm: float | None = None
    swept: bool = False
    known: bool = True
    """Whether anybody has looked: a sweep reaches its channel, or strangers are listed."""

    @property
    def spare_db(self) -> float:
        disturbed = float(milliwatts(self.noise_dbm))
        if self.interference_dbm is not None:
            disturbed += float(milliwatts(self.interference_dbm))
        return self.wanted_dbm - float(dbm(disturbed)) - self.needed_db


# -- placing ---------------------------------------------------------------------------------------------


def place(
    request: SharedRequest, held: Mapping[str, int] | None = None, progress: Progress = lambda *_: True
) -> dict[str, int]:
    """A channel [Hz] for every link that can be given one; `held` ones keep theirs. Where it is stopped, what was found
    until then."""
    out = dict(held or {})
    _place_by_radar(request, out)
    waiting = [s for s in request.seats if s.id not in out and not s.by_radar and s.choosing == "is set"]
    for done, seat in enumerate(sorted(waiting, key=lambda s: s.priority)):
        if not progress(done, len(waiting)):
            break
        if (found := best_for(request, seat, out)) is not None:
            out[seat.id] = found
    return out


def best_for(request: SharedRequest, seat: Seat, frequencies: Mapping[str, int]) -> int | None:
    """The channel that a link takes beside those that stand; None where none is open to it."""
    if not seat.centres:
        return None
    others = [o for _, o in strangers(request, seat, frequencies)]
    spans = {str(f): Span(f, seat.width_hz) for f in seat.centres}
    heard = {str(f): level for f, level in seat.sweep_dbm.items()}
    return int(band24.best(spans, others, heard, band_hz=(0.0, 1e13)).id)


def strangers(request: SharedRequest, seat: Seat, frequencies: Mapping[str, int]) -> list[tuple[str, Other]]:
    """Everybody else at a link's receiver, with who it is: those that are listed, and our own links that stand."""
    out = list(seat.others)
    for other in request.seats:
        level = request.heard_dbm.get((other.id, seat.id))
        if other.id == seat.id or level is None or not meet_in_time(other.times, seat.times):
            continue
        if other.id in frequencies:
            out.append((other.id, Other(Span(frequencies[other.id], other.width_hz), level, other.duty)))
        elif other.choosing == "hops":
            out.append((other.id, Other(other.band, level, other.duty)))
    return out


def _place_by_radar(request: SharedRequest, out: dict[str, int]) -> None:
    """Channels at 5 GHz, together as far as an exact answer goes, the most important first beyond that."""
    free = sorted((s for s in request.seats if s.by_radar and s.id not in out and s.centres), key=lambda s: s.priority)
    for first in range(0, len(free), dfs.EXACT_TO):
        now = free[first : first + dfs.EXACT_TO]
        out |= {k: dfs.centre_hz(n) for k, n in _assigned(request, now, out).channels.items()}


def _assigned(request: SharedRequest, seats: Sequence[Seat], frequencies: Mapping[str, int]) -> dfs.Assigned:
    names = {s.id for s in seats}
    hears = [(a, b, level) for (a, b), level in request.heard_dbm.items() if a in names and b in names
             and meet_in_time(_times(request, a), _times(request, b))]  # fmt: skip
    foreign = [(s.id, channel, level) for s in seats for channel, level in _on_channels(request, s, frequencies)]
    transceivers = [
        dfs.Transceiver(id=s.id, channels=tuple(map(channel_of, s.centres)), rejoin_s=s.rejoin_s,
                        second_radio=s.second_radio)
        for s in seats
    ]  # fmt: skip
    return dfs.assign(request.region, transceivers, hears, foreign)


def _times(request: SharedRequest, link: str) -> frozenset[str]:
    return next(s.times for s in request.seats if s.id == link)


def _on_channels(request: SharedRequest, seat: Seat, frequencies: Mapping[str, int]) -> list[tuple[int, float]]:
    """What falls into each channel of a transceiver from all but those that are placed with it [dBm]."""
    found = [o for _, o in strangers(request, seat, frequencies)]
    levels = {f: band24.interference_dbm(Span(f, seat.width_hz), found, seat.sweep_dbm.get(f)) for f in seat.centres}
    return [(channel_of(f), level) for f, level in levels.items() if level is not None]


def channel_of(freq_hz: int) -> int:
    """The number of a channel at 5 GHz."""
    return (freq_hz - dfs.centre_hz(0)) // 5_000_000


# -- judging ---------------------------------------------------------------------------------------------


def standings(request: SharedRequest, frequencies: Mapping[str, int]) -> dict[str, SharedStanding]:
    """How every link stands that has a channel, or needs none given."""
    return {s.id: standing(request, s, frequencies) for s in request.seats
            if s.id in frequencies or s.choosing == "hops"}  # fmt: skip


def standing(request: SharedRequest, seat: Seat, frequencies: Mapping[str, int]) -> SharedStanding:
    """How one link stands in its channel; one that hops meets on the mean of the band."""
    around = strangers(request, seat, frequencies)
    if seat.choosing == "hops":
        span, share = seat.band, seat.width_hz / seat.band.width_hz
        around = [(who, replace(o, duty=o.duty * share)) for who, o in around]
        heard = None
    else:
        span, heard = Span(frequencies[seat.id], seat.width_hz), seat.sweep_dbm.get(frequencies[seat.id])
    parts = [(band24.interference_dbm(span, [o]), who) for who, o in around]
    level, loudest = max(((p, who) for p, who in parts if p is not None), default=(_NOTHING_DBM, ""))
    total = band24.interference_dbm(span, [o for _, o in around])
    swept = heard is not None and (total is None or heard > total)
    return SharedStanding(
        wanted_dbm=seat.wanted_dbm, noise_dbm=seat.noise_dbm, needed_db=seat.needed_db,
        interference_dbm=heard if swept else total, loudest=loudest, loudest_dbm=level if loudest else None,
        swept=swept, known=heard is not None or bool(seat.others) or frequencies.get(seat.id) in seat.reached,
    )  # fmt: skip


def events(
    request: SharedRequest, frequencies: Mapping[str, int], radars: Sequence[tuple[int, float]]
) -> dict[str, tuple["Spell", ...]]:
    """What radar events (channel, second) do to each transceiver at 5 GHz, second by second: where it is and for how
    long it is silent. It goes to the channel that costs least and is not closed; with none it waits for its own."""
    out = {}
    for seat in (s for s in request.seats if s.by_radar and s.id in frequencies):
        now, at, spells = channel_of(frequencies[seat.id]), 0.0, list[Spell]()
        for channel, when in sorted(radars, key=lambda e: e[1]):
            if channel != now:
                continue
            if when < at:  # heard while it was still listening there
                spells[-1] = replace(spells[-1], to_s=when)
            else:
                spells.append(Spell(from_s=at, to_s=when, channel=now, silent=False))
            level = dict(_on_channels(request, seat, frequencies))
            to, silence = _away(request, seat, now, [e for e in radars if e[1] <= when], when, level)
            at = when + silence
            spells.append(Spell(from_s=when, to_s=at, channel=to, silent=True))
            now = to
        out[seat.id] = (*spells, Spell(from_s=at, to_s=None, channel=now, silent=False))
    return out


@dataclass(frozen=True, kw_only=True)
class Spell:
    """From when to when [s], None for the end, a transceiver is on a channel, or is silent on its way to it."""

    from_s: float
    to_s: float | None
    channel: int
    silent: bool


def _away(
    request: SharedRequest, seat: Seat, now: int, so_far: Sequence[tuple[int, float]], at_s: float,
    level_dbm: Mapping[int, float],
) -> tuple[int, float]:  # fmt: skip
    """Where a transceiver goes from a closed channel, and for how long it is silent [s]: least silence, then least
    interference."""
    region = request.region
    ahead = {c: region.listen_s(c) if seat.second_radio else 0.0 for c in map(channel_of, seat.centres)}
    ways = []
    for channel in sorted(ahead):
        closed = any(c == channel and 0 <= at_s - t < dfs.CLOSED_S for c, t in so_far)
        if channel != now and not closed:
            silence = dfs.silence_s(region, channel, so_far, at_s, ahead[channel], seat.rejoin_s)
            ways.append((silence, level_dbm.get(channel, _NOTHING_DBM), channel))
    if not ways:
        return now, dfs.CLOSED_S + region.listen_s(now) + seat.rejoin_s
    silence, _, channel = min(ways)
    return channel, silence
