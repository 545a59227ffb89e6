"""Listen: sweeps taken and imported, what they say together, lines nobody has owned up to."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from weakref import WeakKeyDictionary

from azven.book.edits import BookError, Edit, add, remove, replace_record
from azven.book.reading import Making, Reading
from azven.book.records import Assignment, Plan, Trace
from azven.book.records import Sweep as SweepRecord
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf import bands
from azven.rf.emissions import impulses
from azven.rf.occupancy import ChannelReading, Survey, judge, survey, worst
from azven.rf.sweep import OWN_SKIRT_HZ, Channel, Line, Sweep, without
from azven.work import ground, kit
from azven.work.listen.in_bands import joined, of_shared_band, shared_channels, uses_wanted
from azven.work.listen.taking import About
from azven.work.scope import Scope

TOLERATED_DBM = {"in-ear": -101.0, "voice": -88.0}
"""Interference [dBm in 200 kHz] that a use stands: an in-ear pack hears a weak wanted signal among the crowd."""
USES = ("in-ear", "voice")


def tolerated(store: Reading, scope: Scope) -> dict[str, float]:
    """Interference [dBm in 200 kHz] that each use stands here: the user's own limits, else the planning values."""
    own = ground.here(store, scope).site.thresholds
    return {use: float(own.get(use, TOLERATED_DBM[use])) for use in USES}


def set_tolerated(store: Store, scope: Scope, use: str, level_dbm: float) -> Edit:
    """The user's own limit for a use [dBm in 200 kHz]; Refusal when it cannot be meant."""
    if not -140 <= level_dbm <= 0:
        raise Refusal(f"{level_dbm:g} dBm is no limit for interference; between −140 and 0.")
    own = {**ground.here(store, scope).site.thresholds, use: level_dbm}
    return ground.set_site(store, scope, f"{use} stands {level_dbm:g} dBm", thresholds=own)


HEARD_BY = {"in-ear": ("everyone", "in-ears"), "voice": ("everyone", "receivers")}
STALE_AFTER_H = 24
_SKIRT_DB = 15.0


def keep(
    store: Making, scope: Scope, sweep: Sweep, about: About, source: str, taken_at: datetime | None = None,
    made_inside: Sequence[int] = (),
) -> Edit:  # fmt: skip
    """The edit that puts a sweep into the book."""
    first = store.reserve(2)
    record = SweepRecord(
        id=first,
        site_id=scope.site,
        taken_at=taken_at or datetime.now(UTC),
        place=about.place.strip() or "somewhere",
        antenna=about.antenna.strip() or "unknown antenna",
        rbw_hz=sweep.rbw_hz,
        detector=sweep.detector,
        own_on=about.own_on,
        hears=about.hears,
        points=len(sweep.freq_hz),
        low_hz=int(sweep.freq_hz[0]),
        high_hz=int(sweep.freq_hz[-1]),
        source=source,
        note=about.note,
        made_inside=tuple(made_inside),
    )
    trace = Trace(id=first + 1, sweep_id=first, freq_hz=sweep.freq_hz, level_dbm=sweep.level_dbm)
    return Edit(f"Sweep at {record.place}", add(record, trace), (first,))


def sweeps(store: Reading, scope: Scope) -> list[SweepRecord]:
    """Sweeps of the site, newest first."""
    return sorted(store.all(SweepRecord, site_id=scope.site), key=lambda s: s.taken_at, reverse=True)


def load(store: Reading, record: SweepRecord) -> Sweep:
    """The bins of a stored sweep; BookError in one sentence when they are damaged or gone."""
    try:
        trace = store.all(Trace, sweep_id=record.id)[0]
        return Sweep(trace.freq_hz, trace.level_dbm, record.rbw_hz, "peak" if record.detector == "peak" else "average")
    except IndexError:
        raise BookError(f"The sweep at {record.place} has lost its bins.") from None
    except ValueError as error:
        raise BookError(f"The sweep at {record.place} is damaged: {error}.") from error


def remove_sweep(store: Store, record: SweepRecord) -> Edit:
    return Edit(f"Remove the sweep at {record.place}", remove([*store.all(Trace, sweep_id=record.id), record]))


def set_used(record: SweepRecord, used: bool) -> Edit:
    title = f"{'Use' if used else 'Set aside'} the sweep at {record.place}"
    return Edit(title, replace_record(record, replace(record, used=used)))


def is_stale(record: SweepRecord, now: datetime) -> bool:
    return (now - record.taken_at).total_seconds() > STALE_AFTER_H * 3600


def age(record: SweepRecord, now: datetime) -> str:
    """How long ago a sweep was taken, in words."""
    minutes = (now - record.taken_at).total_seconds() / 60
    if minutes < 1:
        return "just now"
    if minutes < 90:
        return f"{minutes:.0f} min ago"
    return f"{minutes / 60:.0f} h ago" if minutes < 48 * 60 else f"{minutes / 1440:.0f} days ago"


@dataclass(frozen=True)
class Decision:
    """Class of one raster channel for one use, and the sweep that decided it: None where no sweep reaches it, a damaged
    one where it is unknown for that."""

    reading: ChannelReading
    sweep: SweepRecord | None


@dataclass(frozen=True, kw_only=True)
class Picture:
    """What all sweeps in use say together."""

    sweeps: tuple[tuple[SweepRecord, Sweep], ...]
    parts: tuple[Sweep, ...]
    """The worst of all sweeps, one for each stretch that they cover together, ascending."""
    decisions: dict[str, tuple[Decision, ...]]
    lines: tuple[Line, ...]
    ours: tuple[tuple[str, Line], ...] = ()
    """Lines that are ours: the name of the link, and the line."""
    waiting: int = 0
    """Sweeps in use that are still to be worked out and are not in this picture."""
    unreadable: tuple[SweepRecord, ...] = ()
    """Sweeps in use whose bins are damaged: what one of them may have heard is unknown, never quiet."""
    shared: tuple[Decision, ...] = ()
    """Channels of the bands that everybody shares, where a sweep reaches them."""

    def merged(self, low_hz: float, high_hz: float) -> Sweep | None:
        """The worst of all sweeps where they cover most of a range [Hz]; None where none reaches it."""

        def covered(part: Sweep) -> float:
            return min(int(part.freq_hz[-1]), high_hz) - max(int(part.freq_hz[0]), low_hz)

        found = max(self.parts, key=covered, default=None)
        return found if found is not None and covered(found) >= 0 else None

    def cells(self, use: str) -> tuple[Decision, ...]:
        """Every channel that is judged, of the raster and of shared bands."""
        return (*self.decisions[use], *self.shared)


@dataclass(frozen=True)
class _Seen:
    """What one stored sweep says on its own; sweeps never change, so it is worked out once."""

    sweep: Sweep
    survey: Survey
    lines: tuple[Line, ...]
    judged: dict[float, list[ChannelReading]] = field(default_factory=dict)

    def for_use(self, tolerated_dbm: float) -> list[ChannelReading]:
        if tolerated_dbm not in self.judged:
            if len(self.judged) > 8:  # a limit is being dragged
                self.judged.clear()
            self.judged[tolerated_dbm] = judge(self.survey, tolerated_dbm)
        return self.judged[tolerated_dbm]


_Key = tuple[tuple[Channel, ...], tuple[int, ...]]
_known: WeakKeyDictionary[Store, dict[int, tuple[_Key, _Seen | None]]] = WeakKeyDictionary()


def _seen(store: Store, record: SweepRecord, channels: tuple[Channel, ...], ours: tuple[int, ...]) -> _Seen | None:
    """The sweep with what it says, None when it is damaged; our own carriers do not count where our transmitters were
    on."""
    known = _known.setdefault(store, {})
    key = channels, ours if record.own_on else ()
    if record.id not in known or known[record.id][0] != key:
        known[record.id] = key, _look(store, record, channels, ours)
    return known[record.id][1]


def _look(store: Store, record: SweepRecord, channels: tuple[Channel, ...], ours: tuple[int, ...]) -> _Seen | None:
    try:
        sweep = load(store, record)
    except BookError:
        return None
    everything = (*channels, *shared_channels(record))
    surveyed = survey(without(sweep, ours) if record.own_on else sweep, everything)
    lines = survey(sweep, everything).lines if record.own_on else surveyed.lines
    return _Seen(sweep, surveyed, lines)


def _to_work_out(store: Store, scope: Scope) -> tuple[list[SweepRecord], tuple[Channel, ...], tuple[int, ...]]:
    """The sweeps in use of which it is not known what they say, newest first, and what that depends on."""
    channels, ours = tuple(ground.here(store, scope).channels()), _own_carriers(store, scope)
    known = _known.setdefault(store, {})

    def fresh(record: SweepRecord) -> bool:
        return record.id in known and known[record.id][0] == (channels, ours if record.own_on else ())

    return [r for r in sweeps(store, scope) if r.used and not fresh(r)], channels, ours


class WorkingOut:
    """What many sweeps say, worked out on a connection of its own, so that nobody waits for it."""

    def __init__(self, store: Store, scope: Scope) -> None:
        self._place = store.place
        self._records, self._channels, self._ours = _to_work_out(store, scope)
        self._found: dict[int, tuple[_Key, _Seen | None]] = {}

    def run(self, progress: Callable[[int, int], bool]) -> None:
        """Work until done or until `progress` says no."""
        store = Store.open(self._place)
        try:
            for i, record in enumerate(self._records):
                if not progress(i, len(self._records)):
                    return
                _seen(store, record, self._channels, self._ours)
        finally:
            self._found = _known.pop(store, {})
            store.close()

    def hand_over(self, store: Store) -> None:
        """Let `store` know what was found."""
        _known.setdefault(store, {}).update(self._found)


def impulse_share(store: Store, scope: Scope, record: SweepRecord) -> float:
    """The share of a stored sweep's bins that look like impulses; 0 where they do not, or where it is damaged."""
    seen = _seen(store, record, tuple(ground.here(store, scope).channels()), _own_carriers(store, scope))
    return seen.survey.impulse_share if seen is not None else 0.0


def lines_of(store: Store, scope: Scope, record: SweepRecord) -> list[Line]:
    """Emissions in one stored sweep, whoever they belong to."""
    seen = _seen(store, record, tuple(ground.here(store, scope).channels()), _own_carriers(store, scope))
    return list(seen.lines) if seen is not None else []


def _own_carriers(store: Store, scope: Scope) -> tuple[int, ...]:
    return tuple(sorted(a.freq_hz for a in _ours(store, scope)))


def _ours(store: Store, scope: Scope) -> list[Assignment]:
    """The frequencies of the show's own links."""
    plans = store.all(Plan, show_id=scope.show)[:1]
    return [a for p in plans for a in store.all(Assignment, plan_id=p.id)]


def picture(store: Store, scope: Scope, at_once: int | None = None) -> Picture:
    """Merged worst case, class of every raster channel per use, and unclaimed lines.

    With `at_once`, where more sweeps than that are still to be worked out, only so many of the newest are taken.
    """
    unknown, channels, ours = _to_work_out(store, scope)
    later = {r.id for r in unknown[at_once:]} if at_once is not None else set()
    looked = [(r, _seen(store, r, channels, ours)) for r in sweeps(store, scope) if r.used and r.id not in later]
    seen = [(r, s) for r, s in looked if s is not None]
    unreadable = tuple(r for r, s in looked if s is None)
    loaded = [(r, s.sweep) for r, s in seen]
    decisions, limits = {}, tolerated(store, scope)
    for use in USES:
        heard = [(r, s.for_use(limits[use])) for r, s in seen if r.hears in HEARD_BY[use]]
        lost = [r for r in unreadable if r.hears in HEARD_BY[use]]
        decisions[use] = tuple(_decide(i, channel, heard, lost) for i, channel in enumerate(channels))
    unclaimed, own = _claimed(store, scope, seen)
    return Picture(
        sweeps=tuple(loaded),
        parts=joined([s for _, s in loaded]),
        decisions=decisions,
        lines=unclaimed,
        ours=own,
        waiting=len(later),
        unreadable=unreadable,
        shared=_shared(seen, len(channels), limits["voice"]),
    )


def _shared(seen: Sequence[tuple[SweepRecord, "_Seen"]], after: int, tolerated_dbm: float) -> tuple[Decision, ...]:
    """The worst that sweeps say of each channel of shared bands."""
    heard: dict[str, list[tuple[ChannelReading, SweepRecord]]] = {}
    for record, held in seen:
        for reading in held.for_use(tolerated_dbm)[after:]:
            key = f"{reading.channel.low_hz}"
            heard.setdefault(key, []).append((reading, record))
    out = []
    for found in heard.values():
        decisive = worst(r for r, _ in found)
        out.append(Decision(decisive, next(record for r, record in found if r is decisive)))
    return tuple(sorted(out, key=lambda d: d.reading.channel.low_hz))


def _decide(
    i: int, channel: Channel, heard: Sequence[tuple[SweepRecord, list[ChannelReading]]], lost: Sequence[SweepRecord]
) -> Decision:
    """The worst of what was heard; where a damaged sweep may have heard more it is unknown."""
    damaged = next((r for r in lost if r.low_hz < channel.high_hz and channel.low_hz < r.high_hz), None)
    if not heard:
        return Decision(ChannelReading(channel=channel, occupancy="unknown"), damaged)
    decisive = worst(readings[i] for _, readings in heard)
    if decisive.occupancy != "taken" and damaged is not None:
        return Decision(ChannelReading(channel=channel, occupancy="unknown"), damaged)
    record = next(r for r, readings in heard if readings[i] is decisive)
    return Decision(decisive, None if decisive.occupancy == "unknown" else record)


def slack_hz(rbw_hz: float) -> int:
    """How far apart [Hz] a line and a known frequency may lie and still be the same."""
    return round(max(2 * rbw_hz, 60_000))


def _claimed(
    store: Store, scope: Scope, seen: Sequence[tuple[SweepRecord, "_Seen"]]
) -> tuple[tuple[Line, ...], tuple[tuple[str, Line], ...]]:
    """Lines of all sweeps that nobody owns, and those that are ours, with the link's name, where our transmitters were
    on."""
    known = [n.freq_hz for n in ground.neighbours(store, scope)]
    names = {x.id: x.name for x in kit.links(store, scope)}
    ours = [(a.freq_hz, a.link_id) for a in _ours(store, scope)]
    found: list[Line] = []
    owned: dict[int, Line] = {}
    for record, held in seen:
        slack, accounted_for = slack_hz(held.sweep.rbw_hz), (*known, *record.made_inside)
        mine = _of_ours(held.lines, ours, slack) if record.own_on else {}
        again = [(s.sweep, s.lines) for r, s in seen if r is not record and r.place == record.place]
        gone = impulses(held.sweep, held.lines, held.survey.impulse_share, again)
        for line in (x for x in held.lines if x not in gone and not bands.of(x.freq_hz).shared):
            if any(abs(line.freq_hz - f) <= slack for f in accounted_for):
                continue
            owner = mine.get(line)
            if owner is not None:
                owned.setdefault(owner, line)
            else:
                same = next((i for i, x in enumerate(found) if abs(line.freq_hz - x.freq_hz) <= slack), None)
                if same is None:
                    found.append(line)
                elif line.level_dbm > found[same].level_dbm:
                    found[same] = line
    said = tuple((names.get(link, "ours"), line) for link, line in owned.items())
    return tuple(sorted(found, key=lambda x: -x.level_dbm)), said


def _of_ours(lines: Sequence[Line], ours: Sequence[tuple[int, int]], slack: int) -> dict[Line, int]:
    """Emissions that belong to our carriers (frequency [Hz], link): at their frequency, or beside it and far weaker,
    as their modulation and the instrument's filter make them."""
    out: dict[Line, int] = {}
    for freq, link in ours:
        own = [x for x in lines if abs(x.freq_hz - freq) <= slack]
        strongest = max((x.level_dbm for x in own), default=None)
        if strongest is not None:
            weak = strongest - _SKIRT_DB
            beside = [x for x in lines if abs(x.freq_hz - freq) <= OWN_SKIRT_HZ and x.level_dbm <= weak]
            out |= dict.fromkeys(beside, link)
    for line in lines:
        near, link = min(((abs(line.freq_hz - f), n) for f, n in ours), default=(slack + 1, 0))
        if near <= slack:
            out[line] = link
    return out


def claim(store: Store, scope: Scope, line: Line, kind: str, name: str = "") -> Edit:
    """Say whose emission a line is: ours, a neighbour's, or one to be avoided; the nearest 25 kHz is written down."""
    freq = round(line.freq_hz / 25_000) * 25_000
    names = {"ours": "Ours", "neighbour": "Neighbour", "avoid": "Avoid"}
    taken = [n.name for n in ground.neighbours(store, scope)]
    name = name.strip() or ground.unused(f"{names[kind]} at {freq / 1e6:.3f}", taken)
    return ground.add_neighbour(store, scope, name, freq, kind=kind, note=f"{line.level_dbm:.0f} dBm in a sweep")


def open_points(store: Store, scope: Scope, now: datetime) -> tuple[int, int]:
    """Stale sweeps and uses that no sweep serves."""
    records = [r for r in sweeps(store, scope) if r.used]
    stale = sum(is_stale(r, now) for r in records)
    wanted = uses_wanted(store, scope)
    records = [r for r in records if not of_shared_band(r)]
    unserved = sum(not any(r.hears in HEARD_BY[use] for r in records) for use in wanted)
    return stale, unserved
