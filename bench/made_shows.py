"""Made evenings with a known truth, for judging diagnosis: rooms, gear and troubles by a seed.

People walk in rooms of the venue (`rf.venue.ways`), their levels fade by place (`rf.fading`), quality follows the ratio
to what is heard beside them. Then troubles of the table are laid over it, and written down.
"""

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from azven.rf.diagnose.record import CarrierHead, Head, LinkHead, Record, Sent, SystemHead
from azven.rf.fading import between_db, slow_db
from azven.rf.levels import dbm, milliwatts
from azven.rf.venue.cells import Cell, Chemistry
from azven.rf.venue.ways import way

_SCRIPT = ("shadow", "shadow", "out-of-reach", "multipath", "branch", "system", "battery", "switched-off", "muted",
           "product", "own", "foreign", "noise", "overload", "overload", "frequency", "headphone", "clip", "quiet",
           "rack", "crowd", "unknown")  # fmt: skip

_CHEMISTRIES: tuple[Chemistry, ...] = ("alkaline", "nickel", "lithium")


@dataclass
class Show:
    """Arrays (m, n) while a show is made; `noise` is what is heard beside the own carrier."""

    rng: np.random.Generator
    links: list[LinkHead]
    systems: list[SystemHead]
    at_s: np.ndarray
    level: np.ndarray  # (2, m, n) at the receivers [dBm], no noise in it
    noise: np.ndarray  # (m, n) [mW]
    on: np.ndarray
    fields: dict[str, np.ndarray] = field(default_factory=dict)
    truth: list[dict[str, Any]] = field(default_factory=list)
    busy: dict[int, list[tuple[float, float]]] = field(default_factory=dict)
    carriers: list[CarrierHead] = field(default_factory=list)
    sent: list[Sent] = field(default_factory=list)
    silent: list[tuple[str, float, float]] = field(default_factory=list)
    lost: np.ndarray | None = None

    def tell(self, cause: str, from_s: float, to_s: float, links: list[int], detail: dict[str, Any] | None = None,
             early: float | None = None, may: list[int] | None = None) -> None:  # fmt: skip
        self.truth.append({
            "id": f"{cause}-{len(self.truth)}", "cause": cause, "from_s": from_s, "to_s": to_s,
            "links": [self.links[i].name for i in links], "detail": detail or {},
            "early_from_s": from_s if early is None else early,
            "may_links": [self.links[i].name for i in may or []], "accept": {}, "hard": False, "natural": False,
            "story": "",
        })  # fmt: skip
        for i in links:
            self.busy.setdefault(i, []).append((from_s - 25.0, to_s + 25.0))

    def free(self, from_s: float, to_s: float, among: list[int]) -> list[int]:
        """Links to which nothing happens in a stretch."""
        return [i for i in among if not any(a < to_s and from_s < b for a, b in self.busy.get(i, []))]

    def during(self, from_s: float, to_s: float) -> np.ndarray:
        return (self.at_s >= from_s) & (self.at_s < to_s)


def made(seed: int) -> tuple[Record, dict[str, Any]]:
    """The record of an evening and its truth."""
    rng = np.random.default_rng([seed, 77])
    hz = float(rng.choice([2.0, 2.0, 5.0]))
    seconds = float(rng.integers(15, 36)) * 60
    show = _empty(rng, hz, seconds, seed)
    script = list(rng.permutation(_SCRIPT)[: int(rng.integers(7, 15))]) if seed % 7 else []
    for cause in script:
        _CAUSES[str(cause)](show)
    _coughs(show)
    return _finished(show, seconds)


def _empty(rng: np.random.Generator, hz: float, seconds: float, seed: int) -> Show:
    at = np.arange(0.0, seconds, 1 / hz)
    links: list[LinkHead] = []
    systems, levels = [], []
    raster = 470_000_000 + 25_000 * rng.permutation(np.arange(0, 8_000, 16))
    for k in range(int(rng.integers(1, 4))):
        zone, count = f"Room {k + 1}", int(rng.integers(3, 15))
        wide, deep = float(rng.uniform(12, 30)), float(rng.uniform(12, 45))
        name, gain = f"Pair {k + 1}", float(rng.choice([3, 6, 9, 12]))
        loss = gain - float(rng.uniform(-1, 3))
        sides = {s: ((f"{name} mast {s.upper()}", "amp", gain), (f"{name} cable {s.upper()}", "cable", -loss))
                 for s in ("a", "b")}  # fmt: skip
        systems.append(SystemHead(name=name, zone=zone, sides=sides, headroom_db=float(rng.uniform(2, 8))))
        masts = [(wide / 2 - float(rng.uniform(0.4, 3)), -1.0, 3.0), (wide / 2 + float(rng.uniform(0.4, 3)), -1.0, 3.0)]
        racks = [f"r-{100 * k + j:04d}" for j in range(int(rng.integers(1, 3)))]
        for _ in range(count):
            n = len(links)
            spare, ear = bool(rng.random() < 0.1), bool(rng.random() < 0.15)
            freq, needed = int(raster[n]), float(rng.choice([12.0, 20.0]))
            links.append(LinkHead(
                name=f"Link {n + 1}", freq_hz=freq, service="in-ear" if ear else "voice", zone=zone,
                system=None if ear else name, rack=str(rng.choice(racks)), needed_db=needed,
                threshold_dbm=-112.0 + needed + (gain - loss), group=f"group {k}", battery_min=480.0, spare=spare,
            ))  # fmt: skip
            levels.append(_levels(rng, at, (wide, deep), masts, freq, seed * 1_000 + n, ear, gain - loss))
    m = len(links)
    level = np.stack(levels, axis=1)
    floor = np.array([-112.0 + next((sum(b[2] for b in s.sides["a"]) for s in systems if s.name == x.system), 0.0)
                      for x in links])  # fmt: skip
    noise = np.repeat(milliwatts(floor)[:, None], len(at), axis=1)
    on = np.array([[not x.spare] * len(at) for x in links])
    show = Show(rng, links, systems, at, level, noise, on)
    show.fields["mute"] = np.zeros((m, len(at)))
    show.fields["hp"] = np.array([[1.0 if x.service == "in-ear" else np.nan] * len(at) for x in links])
    show.fields["gain"] = np.zeros((m, len(at)))
    show.fields["talks"] = np.ones((m, len(at)))
    show.fields["squash"] = np.zeros((m, len(at)))
    show.fields["txf"] = np.full((m, len(at)), np.nan)
    show.fields["differs"] = np.zeros((m, len(at)))
    cells = [_cell(rng, 300, 600, [1.0, 5.0, 20.0]) for _ in links]
    used = rng.uniform(0, 0.6, m) * np.array([c.full_min for c in cells])
    show.fields["bat"] = np.array([_gauge(c, u, at) for c, u in zip(cells, used, strict=True)])
    show.lost = np.zeros((m, len(at)), bool)
    return show


def _levels(
    rng: np.random.Generator, at: np.ndarray, room: tuple[float, float], masts: list[tuple[float, float, float]],
    freq: int, seed: int, ear: bool, gain: float,
) -> np.ndarray:  # fmt: skip
    """Levels of both sides (2, n) [dBm]: distance, a body that turns, slow and fast fading by place."""
    loop = way([(0.0, 0.0), (room[0], 0.0), room, (0.0, room[1])], (), seed)
    where = loop.over(np.asarray(at))
    place, facing = where[:, :2], where[:, 2]
    still = float(rng.random())
    if still < 0.3:  # somebody who stands at a place, and sways
        place = place[0] + 0.25 * np.column_stack([np.sin(0.4 * at), np.cos(0.31 * at)])
    out = []
    for side, mast in enumerate(masts):
        away = np.hypot(place[:, 0] - mast[0], place[:, 1] - mast[1]) + 1.0
        loss = 28.0 + 22.0 * np.log10(away) + 6.0
        body = 6.0 + 4.0 * np.cos(np.arctan2(place[:, 0] - mast[0], place[:, 1] - mast[1]) - facing)
        fast = between_db(np.column_stack([place, np.ones(len(place))]), np.array(mast), float(freq), seed)
        out.append(12.0 + gain - loss - body + 0.7 * fast + slow_db(place, seed + side, 1.5))
    if ear:
        return np.stack([out[0], np.full(len(at), np.nan)])
    return np.stack(out)


def _cell(rng: np.random.Generator, least_min: float, most_min: float, steps: list[float]) -> Cell:
    chemistry: Chemistry = _CHEMISTRIES[int(rng.integers(3))]
    return Cell(
        chemistry=chemistry, full_min=float(rng.uniform(least_min, most_min)), step_percent=float(rng.choice(steps))
    )


def _gauge(cell: Cell, used_min: float, at: np.ndarray) -> np.ndarray:
    moments = np.arange(0.0, at[-1] + 30, 30.0)
    return np.interp(at, moments, [cell.gauge(used_min + t / 60) for t in moments]).round()


def _when(show: Show, low: float, high: float) -> tuple[float, float]:
    length = float(show.rng.uniform(low, high))
    end = show.at_s[-1]
    begin = float(show.rng.uniform(60, max(end - length - 30, 61)))
    return begin, min(begin + length, end - 5)


def _one(show: Show, begin: float, end: float, ears: bool = False) -> int | None:
    among = [i for i, x in enumerate(show.links) if not x.spare and (x.service == "in-ear") == ears]
    free = show.free(begin, end, among)
    return int(show.rng.choice(free)) if free else None


def _lower(show: Show, i: int, begin: float, end: float, under_db: float, ramp_s: float) -> None:
    """Sink both sides of a link so far under its threshold, in a ramp."""
    low = float(show.links[i].threshold_dbm or -92.0)
    inside = show.during(begin - ramp_s, end + ramp_s)
    shape = np.clip(np.minimum(show.at_s - begin + ramp_s, end + ramp_s - show.at_s) / ramp_s, 0, 1)
    strongest = np.nanmax(show.level[:, i, show.during(begin, end)], initial=-80.0)
    depth = max(strongest - low, 0.0) + under_db
    show.level[:, i, inside] -= depth * shape[inside]


def _shadow(show: Show) -> None:
    begin, end = _when(show, 0.8, 4.0)
    if (i := _one(show, begin, end)) is not None:
        _lower(show, i, begin, end, float(show.rng.uniform(2, 10)), float(show.rng.uniform(0.8, 1.6)))
        show.tell("shadow", begin, end, [i])


def _out_of_reach(show: Show) -> None:
    begin, end = _when(show, 15, 80)
    if (i := _one(show, begin, end)) is not None:
        _lower(show, i, begin, end, float(show.rng.uniform(1, 5)), float(show.rng.uniform(6, 20)))
        show.tell("out-of-reach", begin, end, [i], early=begin - 20)


def _multipath(show: Show) -> None:
    begin, end = _when(show, 60, 110)
    i = _one(show, begin, end)
    if i is None:
        return
    side, low = int(show.rng.integers(2)), float(show.links[i].threshold_dbm or -92)
    t = begin
    first = last = None
    while t < end:
        inside = show.during(t, t + float(show.rng.uniform(0.5, 0.9)))
        show.level[side, i, inside] = low + 2.0 - show.rng.uniform(0, 6)
        show.level[1 - side, i, inside] = np.maximum(show.level[1 - side, i, inside], low + 20.0)
        first, last = t if first is None else first, t
        t += float(show.rng.uniform(3.0, 9.0))
    show.tell("multipath", float(first or begin), float(last or end) + 1, [i], {"side": "ab"[side]})


def _branch(show: Show) -> None:
    system = show.systems[int(show.rng.integers(len(show.systems)))]
    mine = [i for i, x in enumerate(show.links) if x.system == system.name and not x.spare]
    begin, end = _when(show, 120, 500)
    if len(mine) < 3 or any(t["cause"] in ("branch", "system") and system.name in t["story"] for t in show.truth):
        return
    side, drop = int(show.rng.integers(2)), float(show.rng.uniform(8, 17))
    ramp = float(show.rng.choice([0.3, 0.3, 240.0]))
    if ramp > 1:
        end = show.at_s[-1]
        begin = min(begin, end - 500)
    begin = max(begin, 180.0)
    shape = np.clip((show.at_s - begin) / ramp, 0, 1) * (show.at_s < end)
    for i in mine:
        show.level[side, i] -= drop * shape
    blocks = system.sides["ab"[side]]
    show.tell(
        "branch",
        begin + 0.7 * ramp,
        end,
        mine,
        {"side": "ab"[side], "drop_db": round(drop, 1), "block": blocks[0][0]},
        begin,
    )
    show.truth[-1]["accept"] = {"block": [*(b[0] for b in blocks), None]}
    show.truth[-1]["story"] = system.name
    for i in mine:
        show.busy[i].pop()


def _system(show: Show) -> None:
    system = show.systems[int(show.rng.integers(len(show.systems)))]
    mine = [i for i, x in enumerate(show.links) if x.system == system.name and not x.spare]
    begin, end = _when(show, 6, 40)
    if len(mine) < 2 or len(show.free(begin, end, mine)) < len(mine):
        return
    drop = float(show.rng.uniform(30, 45))
    show.level[:, mine] -= drop * show.during(begin, end)
    show.tell("system", begin, end, mine, {"system": system.name, "drop_db": round(drop, 1)})


def _off(show: Show, i: int, begin: float, end: float) -> None:
    show.on[i] &= ~show.during(begin, end)


def _battery(show: Show) -> None:
    begin = float(show.rng.uniform(0.5, 0.85)) * show.at_s[-1]
    i = _one(show, begin, show.at_s[-1])
    if i is None:
        return
    cell = _cell(show.rng, 120, 400, [1.0])
    show.fields["bat"][i] = _gauge(cell, cell.full_min - begin / 60, show.at_s)
    _off(show, i, begin, show.at_s[-1] + 1)
    show.tell("battery", begin, float(show.at_s[-1]), [i], {"ran_min": round(begin / 60, 1)}, 0.0)


def _switched(show: Show) -> None:
    begin, end = _when(show, 15, 60)
    i = _one(show, begin, end)
    if i is not None and show.fields["bat"][i, show.during(begin - 900, begin)].min(initial=100) > 40:
        _off(show, i, begin, end)
        show.tell("switched-off", begin, end, [i])


def _muted(show: Show) -> None:
    begin, end = _when(show, 12, 90)
    if (i := _one(show, begin, end)) is not None:
        show.fields["mute"][i, show.during(begin, end)] = 1
        show.tell("muted", begin, end, [i])


def _disturb(show: Show, i: int, inside: np.ndarray, over_needed_db: float) -> None:
    """Something in the channel, so strong that the link's best side has too little left."""
    best = np.nanmax(show.level[:, i], axis=0)
    needed = float(show.links[i].needed_db or 20)
    beside = np.where(inside, milliwatts(best - needed + over_needed_db + show.rng.normal(0, 2.0, len(inside))), 0.0)
    show.noise[i] += beside


def _product(show: Show) -> None:
    begin, end = _when(show, 20, 90)
    i = _one(show, begin, end)
    zone = show.links[i].zone if i is not None else None
    others = [j for j, x in enumerate(show.links) if j != i and x.zone == zone and not x.spare]
    quiet = [j for j, x in enumerate(show.links) if j != i and x.zone == zone and x.spare and not show.on[j].any()]
    if i is None or len(others) < 2 or not quiet:
        return
    key, b = quiet[0], int(show.rng.choice(others))
    freq = (int(show.links[i].freq_hz or 0) + int(show.links[b].freq_hz or 0)) / 2
    new = round(freq / 25_000) * 25_000
    if any(abs(new - int(x.freq_hz or 0)) < 400_000 for j, x in enumerate(show.links) if j != key):
        return
    show.links[key] = _with(show.links[key], freq_hz=new)
    show.on[key] = show.during(begin, end)
    _disturb(show, i, show.during(begin, end), 6.0)
    names = [show.links[key].name, show.links[b].name]
    show.tell("product", begin, end, [i], {"product": "2a-b", "sources": names, "victim": show.links[i].name}, 0.0)


def _with(link: LinkHead, **more: Any) -> LinkHead:
    return LinkHead(**{**vars(link), **more})


def _own(show: Show) -> None:
    begin, end = _when(show, 25, 80)
    i = _one(show, begin, end)
    quiet = [j for j, x in enumerate(show.links) if x.spare and not show.on[j].any()]
    if i is None or not quiet:
        return
    key = quiet[-1]
    show.links[key] = _with(
        show.links[key], freq_hz=int(show.links[i].freq_hz or 0) + int(show.rng.choice([0, 125_000, 175_000]))
    )
    show.on[key] = show.during(begin, end)
    _disturb(show, i, show.during(begin, end), 6.0)
    show.tell("own", begin, end, [i], {"by": show.links[key].name}, may=[key])


def _foreign(show: Show) -> None:
    begin, end = _when(show, 20, 120)
    i = _one(show, begin, end)
    if i is None:
        return
    freq = int(show.links[i].freq_hz or 0) + int(show.rng.integers(-40_000, 40_000))
    if show.rng.random() < 0.5:
        show.carriers.append(CarrierHead(name="Neighbour", freq_hz=freq))
    _disturb(show, i, show.during(begin, end), 6.0)
    show.tell("foreign", begin, end, [i], {"freq_hz": freq})


def _noise(show: Show) -> None:
    begin, end = _when(show, 60, 180)
    zone = str(show.rng.choice(sorted({x.zone for x in show.links if x.zone})))
    mine = sorted((i for i, x in enumerate(show.links) if x.zone == zone and x.service != "in-ear"),
                  key=lambda i: show.links[i].freq_hz or 0)  # fmt: skip
    if len(mine) < 6:
        return
    k = int(show.rng.integers(0, len(mine) - 3))
    inside, gate = mine[k : k + 3], show.during(begin, end)
    whose = [i for i in inside if not show.links[i].spare]
    if len(whose) < 2 or len(show.free(begin, end, whose)) < len(whose):
        return
    for i in inside:
        worst = (
            float(np.nanmedian(np.nanmax(show.level[:, i], axis=0)[gate])) - float(show.links[i].needed_db or 20) + 4
        )
        show.noise[i] += np.where(gate, milliwatts(worst + show.rng.normal(0, 3.0, len(gate))), 0.0)
    show.tell("noise", begin, end, whose)


def _overload(show: Show) -> None:
    system = show.systems[int(show.rng.integers(len(show.systems)))]
    mine = [i for i, x in enumerate(show.links) if x.system == system.name and not x.spare]
    begin, end = _when(show, 30, 80)
    if len(mine) < 4 or len(show.free(begin, end, mine)) < len(mine):
        return
    kind = str(show.rng.choice(["radio", "in-ear antenna", "link"]))
    gate = np.zeros(len(show.at_s), bool)
    if kind == "radio":
        t = begin
        while t < end:
            length = float(show.rng.uniform(2, 7))
            gate |= show.during(t, min(t + length, end))
            last, t = min(t + length, end), t + length + float(show.rng.uniform(4, 12))
        end = last
    else:
        gate = show.during(begin, end)
    by = kind
    if kind == "link":
        i = int(show.rng.choice(mine))
        show.level[:, i, gate] = show.rng.uniform(-24, -14)
        by, mine = show.links[i].name, [j for j in mine if j != i]
    for i in mine:
        _disturb(show, i, gate, 7.0)
        show.fields["squash"][i, gate] = 4.0
    show.tell("overload", begin, end, mine, {"by": by}, may=[i] if kind == "link" else [])


def _frequency(show: Show) -> None:
    begin, end = _when(show, 20, 120)
    i = _one(show, begin, end)
    if i is None:
        return
    gate = show.during(begin, end)
    if show.rng.random() < 0.5:
        show.fields["differs"][i, gate] = 1
        _disturb(show, i, gate, 20.0)
        show.tell("frequency", begin, end, [i])
    else:
        there, mine = int(show.links[i].freq_hz or 0), int(show.links[i].freq_hz or 0) + 400_000
        _off(show, i, begin, end)
        show.sent.append(Sent(begin, show.links[i].name, {"freq_hz": mine}))
        show.sent.append(Sent(end, show.links[i].name, {"freq_hz": there}))
        show.tell("frequency", begin, end, [i], {"receiver_hz": mine, "transmitter_hz": there})


def _headphone(show: Show) -> None:
    begin, end = _when(show, 10, 100)
    if (i := _one(show, begin, end, ears=True)) is not None:
        show.fields["hp"][i, show.during(begin, end)] = 0
        show.tell("headphone", begin, end, [i])


def _clip(show: Show) -> None:
    begin, end = _when(show, 50, 110)
    if (i := _one(show, begin, end)) is not None:
        show.fields["gain"][i, show.during(begin, end)] = 26.0
        show.tell("clip", begin, end, [i])


def _quiet(show: Show) -> None:
    begin, end = _when(show, 90, 200)
    if (i := _one(show, begin, end)) is not None:
        show.fields["talks"][i, show.during(begin, end)] = 0
        show.tell("quiet", begin, end, [i])


def _rack(show: Show) -> None:
    rack = str(show.rng.choice(sorted({x.rack for x in show.links if x.rack})))
    mine = [i for i, x in enumerate(show.links) if x.rack == rack and not x.spare]
    begin, end = _when(show, 20, 80)
    if (
        not mine
        or len(mine) == len([x for x in show.links if not x.spare])
        or len(show.free(begin, end, mine)) < len(mine)
    ):
        return
    show.silent.append((rack, begin, end))
    show.tell("rack", begin, end, mine)


def _crowd(show: Show) -> None:
    zone = str(show.rng.choice(sorted({x.zone for x in show.links if x.zone})))
    mine = [i for i, x in enumerate(show.links) if x.zone == zone and not x.spare and x.service != "in-ear"]
    if len(mine) < 5 or show.at_s[-1] < 1_300:
        return
    begin, ramp = float(show.rng.uniform(240, 400)), float(show.rng.uniform(420, 700))
    drop = float(show.rng.uniform(5, 10))
    shape = np.clip((show.at_s - begin) / ramp, 0, 1)
    show.level[:, mine] -= drop * shape
    show.tell("crowd", begin + 0.4 * ramp, float(show.at_s[-1]), mine, {"zone": zone, "drop_db": round(drop, 1)}, begin)
    for i in mine:
        show.busy[i].pop()


def _rack_fault(show: Show) -> None:
    rack = str(show.rng.choice(sorted({x.rack for x in show.links if x.rack})))
    mine = [i for i, x in enumerate(show.links) if x.rack == rack and not x.spare and x.service != "in-ear"]
    begin, end = _when(show, 2, 5)
    others = {x.rack for x in show.links if x.system in {show.links[i].system for i in mine}}
    if len(mine) < 2 or len(others) < 2 or len(show.free(begin, end, mine)) < len(mine):
        return
    assert show.lost is not None
    show.lost[np.ix_(mine, np.flatnonzero(show.during(begin, end)))] = True
    show.tell("unknown", begin, end, mine)


_CAUSES = {
    "shadow": _shadow, "out-of-reach": _out_of_reach, "multipath": _multipath, "branch": _branch, "system": _system,
    "battery": _battery, "switched-off": _switched, "muted": _muted, "product": _product, "own": _own,
    "foreign": _foreign, "noise": _noise, "overload": _overload, "frequency": _frequency, "headphone": _headphone,
    "clip": _clip, "quiet": _quiet, "rack": _rack, "crowd": _crowd, "unknown": _rack_fault,
}  # fmt: skip


def _coughs(show: Show) -> None:
    for i in range(len(show.links)):
        for _ in range(int(show.rng.poisson(0.4))):
            t = float(show.rng.uniform(0, show.at_s[-1]))
            show.fields["mute"][i, show.during(t, t + float(show.rng.uniform(0.6, 2.0)))] = 1


def _finished(show: Show, seconds: float) -> tuple[Record, dict[str, Any]]:
    m, n = show.on.shape
    own = np.where(show.on, show.level, -300.0)
    heard = dbm(milliwatts(own) + show.noise)
    a, b = (np.round(2 * (x - show.fields["squash"] * (x > -80))) / 2 for x in heard)
    b = np.where(np.isnan(show.level[1]), np.nan, b)
    ratio = np.nanmax(np.where(np.isnan(own), -300, own), axis=0) - dbm(show.noise)
    needed = np.array([x.needed_db or 20.0 for x in show.links])[:, None]
    q = np.round(100 / (1 + np.exp(-np.clip((ratio - needed + 3) / 1.5, -50, 50))))
    q = np.where(show.lost, show.rng.uniform(0, 40, (m, n)).round(), q)
    q = np.where(show.fields["differs"] == 1, 0, q)
    tx = np.where(show.on & (ratio > 3.0), 1.0, 0.0)
    ear = np.array([x.service == "in-ear" for x in show.links])
    tx[ear] = np.where(show.on[ear], 1.0, 0.0)
    phrase = np.sin(2 * np.pi * show.at_s[None, :] / show.rng.uniform(5, 14, (m, 1)) + show.rng.uniform(0, 6, (m, 1)))
    af = -24 + show.rng.uniform(-5, 3, (m, 1)) + 6 * phrase + show.rng.normal(0, 3, (m, n)) + show.fields["gain"]
    af = np.where(phrase < -0.6, -52 + show.rng.normal(0, 2, (m, n)), af)
    af = np.where(show.fields["talks"] == 0, -75 + show.rng.normal(0, 1, (m, n)), af)
    af = np.where((show.fields["mute"] == 1) | ~show.on | (q < 20), -96.0, np.minimum(af, 0.0))
    noise = np.where(tx == 1, np.nan, np.round(2 * dbm(show.noise)) / 2)
    named = np.repeat(show.at_s[None, :], m, axis=0)
    gone = np.zeros((m, n), bool)
    for rack, begin, end in show.silent:
        for i, x in enumerate(show.links):
            if x.rack == rack:
                gate = show.during(begin, end)
                named[i, gate], gone[i] = begin, gone[i] | gate
    head = Head(links=tuple(show.links), systems=tuple(show.systems), carriers=tuple(show.carriers))
    on = tx == 1
    given = {
        "a": a, "b": b, "q": q, "af": np.round(af), "bat": np.where(on, show.fields["bat"], np.nan), "noise": noise,
        "tx": tx, "mute": np.where(on, show.fields["mute"], np.nan), "clip": np.where(af >= -0.5, 1.0, 0.0),
        "hp": show.fields["hp"], "txf": show.fields["txf"],
    }  # fmt: skip
    record = Record(head=head, at_s=show.at_s, named_s=named, differs=show.fields["differs"] == 1, sent=show.sent,
                    **{k: _kept(v, gone) for k, v in given.items()})  # fmt: skip
    _naturals(show, record)
    live = sum(not x.spare for x in show.links)
    truth = {"format": "azven-status-truth", "version": 1, "log": "made", "duration_s": seconds, "links": live,
             "link_hours": live * seconds / 3600, "incidents": show.truth}  # fmt: skip
    return record, truth


def _kept(values: np.ndarray, gone: np.ndarray) -> np.ndarray:
    """What was last told stays while a rack is silent; a battery stays known while its pack is off."""
    known = ~gone
    last = np.where(known, np.arange(values.shape[1]), 0)
    np.maximum.accumulate(last, axis=1, out=last)
    return np.take_along_axis(values, last, axis=1)


def _naturals(show: Show, record: Record) -> None:
    """Fades that nobody scripted: short ones of a place, which are not to be told."""
    from azven.rf.diagnose.record import closed, runs

    scripted = {i: list(when) for i, when in show.busy.items()}
    for i, link in enumerate(show.links):
        if link.spare:
            continue
        low = (np.fmin(record.a[i], record.b[i]) < record.low[i, 0]) & (record.tx[i] == 1)
        for first, end in runs(closed(low, record.steps(5.0))):
            begin, over = float(record.at_s[first]), float(record.at_s[end - 1])
            if any(a < over and begin < b for a, b in scripted.get(i, [])):
                continue
            show.tell("shadow", begin, over, [i])
            show.truth[-1] |= {"id": f"natural-{len(show.truth)}", "hard": True, "natural": True}
