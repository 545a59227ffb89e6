"""What sweeps are still needed, how two of them differ, and what shapes stand in the raster."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from azven.book.edits import BookError
from azven.book.records import Model
from azven.book.records import Sweep as SweepRecord
from azven.book.store import Store
from azven.rf import bands, detect
from azven.rf.detect import Block, Difference
from azven.rf.levels import whip_length_mm
from azven.rf.sweep import Sweep, narrowest_seen_hz, sweep_time_s
from azven.work import ground, kit, listen
from azven.work.kit.bands import SHARED_VIEW_HZ, of_model
from azven.work.listen.in_bands import of_shared_band, uses_wanted
from azven.work.listen.merged import HEARD_BY, Picture
from azven.work.scope import Scope

_RBW_HZ = (10_000, 30_000, 50_000, 100_000)
_MOST_POINTS = 20_001
_LONGEST_S = 30.0
_NARROWEST_CARRIER_HZ = 100_000
_AIR_HZ = 1_000_000
_NO_CARRIER_HZ = 5_000
_ONE_SIDED_DB = 6.0
_NAMED = 3
_HALF_A_DAY = timedelta(hours=12)
_DEGREES = re.compile(r"(\d{1,3}(?:\.\d)?)\s*°")


@dataclass(frozen=True, kw_only=True)
class Proposal:
    """A sweep worth taking: range [Hz], RBW [Hz], points, time [s] and what could hide from it [Hz]."""

    id: int
    low_hz: int
    high_hz: int
    rbw_hz: int
    points: int
    seconds: float
    hidden_hz: float
    whip_mm: float

    def sentence(self) -> str:
        hides = (
            "no carrier can hide"
            if self.hidden_hz < _NO_CARRIER_HZ
            else f"hides carriers under {self.hidden_hz / 1e3:.0f} kHz"
        )
        return (
            f"{self.low_hz / 1e6:g}–{self.high_hz / 1e6:g} MHz, RBW {self.rbw_hz / 1e3:g} kHz, {self.points} bins: "
            f"about {self.seconds:.1f} s, {hides}; whip {self.whip_mm:.0f} mm"
        )


def proposals(store: Store, scope: Scope) -> list[Proposal]:
    """Ranges that cover what the kit can be tuned to, each with the finest RBW that takes no more than 30 s."""
    models = {m.id: m for m in store.all(Model)}
    edges = sorted(
        _to_sweep(models[x.model_id], x.band)
        for x in kit.links(store, scope) if not x.set_aside
    )  # fmt: skip
    joined: list[list[int]] = []
    for low, high in edges:
        if joined and low <= joined[-1][1]:
            joined[-1][1] = max(joined[-1][1], high)
        else:
            joined.append([low, high])
    return [_proposal(i, low, high) for i, (low, high) in enumerate(joined, start=1)]


def _to_sweep(model: Model, band: str) -> tuple[int, int]:
    """A tuning band with a little air, or all of a shared band: everybody in it counts."""
    found = of_model(model, band)
    if found.shared:
        low_hz, high_hz = SHARED_VIEW_HZ[found.name]
        return round(low_hz), round(high_hz)
    _, low, high = next((b for b in model.bands if b[0] == band), model.bands[0])
    return low - _AIR_HZ, high + _AIR_HZ


def _proposal(number: int, low: int, high: int) -> Proposal:
    span = high - low
    rbw = next((r for r in _RBW_HZ if sweep_time_s(span, r) <= _LONGEST_S), _RBW_HZ[-1])
    points = min(_MOST_POINTS, span // (rbw * 3 // 4) + 1)
    hidden = narrowest_seen_hz(span, rbw, points)
    return Proposal(
        id=number,
        low_hz=low,
        high_hz=high,
        rbw_hz=rbw,
        points=points,
        seconds=sweep_time_s(span, rbw),
        hidden_hz=hidden,
        whip_mm=whip_length_mm((low + high) / 2),
    )


def warnings(store: Store, scope: Scope, now: datetime) -> list[str]:
    """What is missing, old, taken with our own transmitters on, or too coarse for the gear at hand."""
    records = _newest(r for r in listen.sweeps(store, scope) if r.used)
    out = []
    wanted = uses_wanted(store, scope)
    narrow = [r for r in records if not of_shared_band(r)]
    where = {"in-ear": "an omni at performer height", "voice": "the antennas the receivers will use"}
    for use in sorted(wanted):
        if not any(r.hears in HEARD_BY[use] for r in narrow):
            out.append(f"No sweep serves {use} links: take one through {where[use]}.")
    if len({r.hears for r in narrow}) == 1 and len(wanted) > 1:
        out.append(
            "All sweeps were taken with one antenna: an omni at performer height and the receive antennas differ."
        )
    for r in records:
        try:
            sweep = listen.load(store, r)
        except BookError:
            out.append(f"{r.place}: damaged, so no channel it covers counts as quiet; sweep there again.")
            continue
        if share := listen.impulse_share(store, scope, r):
            out.append(f"{r.place}: {share:.1%} of the bins are impulse noise, each kept clear; sweep there again.")
        if listen.is_stale(r, now):
            out.append(f"{r.place}: {listen.age(r, now)}, too old to be trusted.")
        if r.own_on:
            out.append(f"{r.place}: taken with our own transmitters on.")
        if not of_shared_band(r) and (sweep.misses_lines or max(r.rbw_hz, sweep.spacing_hz) > _NARROWEST_CARRIER_HZ):
            out.append(f"{r.place}: too coarse to see a carrier 100 kHz wide.")
    return out


def newest(picture: Picture) -> list[tuple[SweepRecord, Sweep]]:
    """The newest sweep in use of every place and antenna: places are compared, not the many sweeps of a timetable."""
    ids = {r.id for r in _newest(r for r, _ in picture.sweeps if not of_shared_band(r))}
    return [(record, sweep) for record, sweep in picture.sweeps if record.id in ids]


def _newest(newest_first: Iterable[SweepRecord]) -> list[SweepRecord]:
    by_place: dict[tuple[str, str, str], SweepRecord] = {}
    for record in newest_first:
        band = bands.of_range(record.low_hz, record.high_hz).name
        by_place.setdefault((record.place, record.antenna, band), record)
    return list(by_place.values())


def shapes(store: Store, scope: Scope, picture: Picture) -> list[tuple[SweepRecord, Block]]:
    """Broad emissions by sweep, the newest of every place and antenna, matched to the raster."""
    channels = ground.here(store, scope).channels()
    return [(record, block) for record, sweep in newest(picture) for block in detect.blocks(sweep, channels)]


def listed_but_silent(store: Store, scope: Scope, picture: Picture) -> list[str]:
    """Channels where only one of the sweeps sees a multiplex: an antenna hides what is behind it."""
    seen: dict[str, list[str]] = {}
    for record, block in shapes(store, scope, picture):
        if block.kind == "multiplex":
            seen.setdefault(block.channel.name, []).append(record.place)
    everyone = [r.place for r, _ in newest(picture)]
    out = []
    for name, places in seen.items():
        places = list(dict.fromkeys(places))
        missing = list(dict.fromkeys(p for p in everyone if p not in places))
        if missing and len(everyone) > 1:
            out.append(f"channel {name}: a multiplex at {_some(places)}, not at {_some(missing)}")
    return out


def _some(names: Sequence[str]) -> str:
    """The first few of many names."""
    more = len(names) - _NAMED
    return ", ".join(names[:_NAMED]) + (f" and {more} more places" if more > 0 else "")


def against_list(store: Store, scope: Scope, picture: Picture) -> list[str]:
    """Where the sweeps and the list of television transmitters for this place disagree, one line each."""
    place = ground.here(store, scope)
    listed = place.stations()
    if not listed or not picture.sweeps:
        return []
    heard: dict[str, list[str]] = {}
    for record, block in shapes(store, scope, picture):
        if block.kind == "multiplex":
            heard.setdefault(block.channel.name, []).append(record.place)
    reached = {
        d.reading.channel.name for decisions in picture.decisions.values() for d in decisions if d.sweep is not None
    }
    names = [c.name for c in place.channels()]
    out = []
    for name in names:
        if name in heard and name not in listed:
            out.append(f"channel {name}: a multiplex is heard ({heard[name][0]}) that the list does not have: treat it "
                       "as taken, and tell whoever keeps the list")  # fmt: skip
        elif name in listed and name not in heard and name in reached:
            out.append(f"channel {name}: listed, yet no sweep hears it: off the air, too far, or behind these "
                       "antennas. It may come back without notice")  # fmt: skip
    unknown = [name for name in listed if name not in names]
    if unknown:
        out.append(f"{', '.join(unknown)}: in the list, but no channel of this raster")
    return out


def compare(store: Store, old: SweepRecord, new: SweepRecord) -> list[Difference]:
    """Where two stored sweeps differ, the strongest change first."""
    return detect.compare(listen.load(store, old), listen.load(store, new))


def since_yesterday(store: Store, scope: Scope) -> tuple[SweepRecord, SweepRecord] | None:
    """The newest sweep and what to hold it against: of those taken half a day or more before it, one at the same place
    through the same antenna if there is one, nearest to a day before; None where all are of today."""
    records = listen.sweeps(store, scope)
    if not records:
        return None
    new = records[0]
    band = bands.of_range(new.low_hz, new.high_hz)
    alike = [r for r in records if bands.of_range(r.low_hz, r.high_hz) is band]
    before = [r for r in alike if new.taken_at - r.taken_at >= _HALF_A_DAY]

    def rank(r: SweepRecord) -> tuple[bool, bool, timedelta]:
        return r.place != new.place, r.antenna != new.antenna, abs(new.taken_at - r.taken_at - 2 * _HALF_A_DAY)

    return (min(before, key=rank), new) if before else None


def compared_in_words(found: Sequence[Difference]) -> str:
    """How many of each kind matter, and how many changes are no more than noise."""
    kinds = ("appeared", "gone", "louder", "quieter")
    counts = {kind: sum(d.kind == kind for d in found if d.matters) for kind in kinds}
    said = [f"{n} {kind}" for kind, n in counts.items() if n]
    noise = sum(not d.matters for d in found)
    small = f" {noise} small change{'' if noise == 1 else 's'} of noise." if noise else ""
    return ("Nothing differs by more than 6 dB." if not said else ", ".join(said) + " (by more than 6 dB).") + small


def one_sided(store: Store, scope: Scope, picture: Picture) -> list[str]:
    """Lines that one sweep hears clearly louder than every other one: their sender is on that antenna's side."""
    known = {n.freq_hz: n.name for n in ground.neighbours(store, scope)}
    out = []
    latest = newest(picture)
    for record, sweep in latest:
        others = [(r, s) for r, s in latest if r.id != record.id and r.place != record.place]
        if not others:
            continue
        loud = listen.lines_of(store, scope, record)
        for _, there in others:
            loud = [line for line, _ in detect.one_sided(sweep, there, loud, _ONE_SIDED_DB)]
        for line in loud:
            name = next((n for f, n in known.items() if abs(f - line.freq_hz) < 60_000), "a line")
            out.append(
                f"{name} at {line.freq_hz / 1e6:.3f} MHz: loud at {record.place}, 6 dB or more weaker elsewhere"
                f"{_bearing(record, [r for r, _ in others])}"
            )
    return out


def _bearing(loud: SweepRecord, others: Sequence[SweepRecord]) -> str:
    """Where the sender likely is, from what is said of where the antennas are aimed, such as “aimed 120°”."""
    aimed = aimed_deg(loud.antenna)
    if aimed is not None:
        return f"; likely from around {aimed:.0f}°, where that antenna is aimed"
    away = sorted({f"{a:.0f}°" for r in others if (a := aimed_deg(r.antenna)) is not None})
    return f"; likely not from around {', '.join(away)}, where the others are aimed" if away else ""


def aimed_deg(antenna: str) -> float | None:
    """The bearing [°] in the words for an antenna, None where there is none."""
    found = _DEGREES.search(antenna)
    return float(found[1]) % 360 if found else None
