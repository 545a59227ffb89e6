"""Calculations on wideband carriers, licence-free bands and intercom."""

from collections.abc import Mapping, Sequence
from typing import Any

from azven.rf import band24, dect, dfs, intercom, packing, wideband
from azven.rf.links import Medium, path_db
from azven.rf.sweep import Channel
from azven.rf.walls import WallLine
from azven.work.calc.given import Input, Kind, listed, number, whole

_MOST = 5_000


def _many(given: Input, name: str) -> Sequence[Any]:
    found = listed(given, name)
    if len(found) > _MOST:
        raise ValueError(f"{name}: {len(found)}, at most {_MOST}")
    return found


# -- wideband --------------------------------------------------------------------------------------------


def _modes(given: Input) -> dict[str, wideband.Mode]:
    out = {}
    for name, mode in given["modes"].items():
        stereo = whole(mode, "stereo_slots") if mode.get("stereo_slots") is not None else None
        out[str(name)] = wideband.Mode(whole(mode, "slots"), stereo)
        if out[str(name)].slots < 0 or (stereo or 0) < 0:
            raise ValueError("a mode takes slots, not fewer than none")
    return out


def _mode(modes: Mapping[str, wideband.Mode], name: Any) -> wideband.Mode:
    if name not in modes:
        raise ValueError(f"there is no mode {str(name)[:40]!r}")
    return modes[name]


def _carriers(given: Input) -> list[wideband.Carrier]:
    out = []
    for c in _many(given, "carriers"):
        rooms = frozenset(map(str, c["rooms"])) if c.get("rooms") is not None else None
        out.append(wideband.Carrier(id=str(c["id"]), capacity=whole(c, "capacity", wideband.CAPACITY), rooms=rooms))
        if out[-1].capacity < 1:
            raise ValueError("a carrier has slots")
    if len({c.id for c in out}) < len(out):
        raise ValueError("two carriers have one id")
    return out


def _packs(given: Input) -> list[wideband.Pack]:
    modes, mixes = _modes(given), given.get("mixes", {})
    out = []
    for p in _many(given, "packs"):
        up, down = p.get("uplink"), p.get("downlink")
        heard, slots = None, 0
        if down is not None:
            heard = str(down["mix"]), str(down["mode"])
            stereo = mixes.get(heard[0], {}).get("stereo", False) is True
            slots = _mode(modes, down["mode"]).of_mix(stereo)
        out.append(
            wideband.Pack(
                id=str(p["id"]), uplink=_mode(modes, up["mode"]).slots if up is not None else 0, downlink=heard,
                downlink_slots=slots, rooms=frozenset(map(str, p.get("rooms", ()))),
                carrier=p.get("carrier", p.get("now")), busy=p.get("busy", False) is True,
            )
        )  # fmt: skip
    return out


def _wideband_load(given: Input) -> dict[str, Any]:
    carriers, packs = _carriers(given), _packs(given)
    known = {c.id: c for c in carriers}
    if unknown := [p.id for p in packs if p.carrier is not None and p.carrier not in known]:
        raise ValueError(f"{unknown[0]} is on a carrier that is not there")
    found = {}
    for c in carriers:
        slots = wideband.load([p for p in packs if p.carrier == c.id])
        found[c.id] = {"slots": slots, "percent": wideband.percent(slots, c.capacity), "ok": slots <= c.capacity}
    out = [p.id for p in packs if p.carrier is not None and not known[p.carrier].covers(p.rooms)]
    capacity = whole(given, "capacity", wideband.CAPACITY)
    shares = {name: wideband.percent(m.slots, capacity) for name, m in _modes(given).items()}
    return {"modes": shares, "carriers": found, "uncovered": sorted(out)}


def _wideband_pack(given: Input) -> dict[str, Any]:
    found = packing.pack(_packs(given), _carriers(given))
    share = found.fullest
    return {
        "carriers": len(found.used), "fullest_percent": wideband.percent(share.numerator, share.denominator),
        "on": found.on, "exact": found.exact,
    }  # fmt: skip


def _raster(given: Input) -> list[Channel]:
    return [Channel(str(c["name"]), whole(c, "low_hz"), whole(c, "high_hz")) for c in _many(given, "raster")]


def _permitted(given: Input) -> list[wideband.Permitted]:
    return [
        wideband.Permitted(
            whole(r, "low_hz"), whole(r, "high_hz"), number(r, "cap_dbm") if r.get("cap_dbm") is not None else None
        )
        for r in _many(given, "permitted")
    ]


def _wideband_centre(given: Input) -> dict[str, Any]:
    raster, centre = _raster(given), whole(given, "centre_hz")
    why = wideband.refused(centre, whole(given, "width_hz"), number(given, "power_dbm"), raster, _permitted(given))
    channel = wideband.channel_at(centre, raster)
    return {"refused": why, **({"channel": channel.name} if not why and channel else {})}


def _links_hz(given: Input) -> dict[str, int]:
    return {str(x["id"]): whole(x, "freq_hz") for x in (_many(given, "links") if "links" in given else ())}


def _wideband_guard(given: Input) -> dict[str, Any]:
    guard = whole(given, "guard_hz", wideband.GUARD_HZ)
    return {"lost": wideband.lost(whole(given, "centre_hz"), whole(given, "width_hz"), _links_hz(given), guard)}


def _wideband_rank(given: Input) -> wideband.Ranked:
    levels = {
        str(c): {str(a): None if v is None else number({"level": v}, "level") for a, v in heard.items()}
        for c, heard in given["levels_dbm"].items()
    }
    return wideband.ranked(
        _raster(given), _permitted(given), whole(given, "width_hz"), number(given, "power_dbm"),
        [str(a) for a in listed(given, "antennas")], levels, _links_hz(given),
        whole(given, "guard_hz", wideband.GUARD_HZ),
    )  # fmt: skip


def _levels(given: Input, name: str) -> list[float]:
    return [number({name: v}, name) for v in _many(given, name)]


def _wideband_level(given: Input) -> dict[str, Any]:
    wide, narrow = (
        [float(number({"level": v}, "level")) for v in _many(given, f"{n}_dbm")] for n in ("wideband", "narrow")
    )
    average, peak = wideband.composite(wide, narrow)
    return {"average_dbm": average, "peak_dbm": peak}


# -- 2.4 GHz ---------------------------------------------------------------------------------------------


def _span(given: Input) -> band24.Span:
    if "wifi" in given:
        return band24.wifi(whole(given, "wifi"), str(given.get("mode", "20")))
    span = band24.Span(number(given, "centre_hz"), number(given, "width_hz"))
    if span.width_hz <= 0:
        raise ValueError("an occupied width is above 0")
    return span


def _other(given: Input, level_dbm: float | None = None) -> band24.Other:
    level = number(given, "level_dbm") if level_dbm is None else level_dbm
    return band24.Other(_span(given), level, number(given, "duty", 1.0))


def _wifi_channel(given: Input) -> dict[str, Any]:
    span = band24.wifi(whole(given, "wifi"), str(given.get("mode", "20")))
    return {"centre_hz": round(span.centre_hz), "low_hz": round(span.low_hz), "high_hz": round(span.high_hz)}


def _band24_interference(given: Input) -> dict[str, Any]:
    others = [_other(o) for o in _many(given, "others")]
    sweep = number(given, "sweep_dbm") if given.get("sweep_dbm") is not None else None
    return {"interference_dbm": band24.interference_dbm(_span(given["link"]), others, sweep)}


def _candidates(given: Input) -> dict[str, band24.Span]:
    return {str(c["id"]): _span(c) for c in _many(given, "candidates")}


def _band24_best(given: Input) -> dict[str, Any]:
    sweep = {str(k): number({"level": v}, "level") for k, v in given.get("sweep_dbm", {}).items() if v is not None}
    found = band24.best(_candidates(given), [_other(o) for o in _many(given, "others")], sweep)
    return {"best": found.id, "interference_dbm": found.interference_dbm}


def _place(given: Input, name: str) -> list[float]:
    return [number({"at": v}, "at") for v in listed(given, name)]


def _band24_sequence(given: Input) -> dict[str, Any]:
    links = {str(x["id"]): x for x in _many(given, "links")}
    medium = Medium(model=given["model"], n=number(given, "n", 20.0)) if "model" in given else Medium()
    obstacles = number(given, "obstacles_db", 0.0)

    def others(link: str) -> list[band24.Other]:
        out = []
        for o in _many(given, "others"):
            level = o["level_dbm"]
            out.append(_other(o, number(level, link) if isinstance(level, Mapping) else None))
        return out

    def heard(sender: str, link: str, span: band24.Span) -> band24.Other:
        tx, rx = links[sender], links[link]
        away = sum((a - b) ** 2 for a, b in zip(_place(tx, "tx_m"), _place(rx, "rx_m"), strict=True)) ** 0.5
        level = number(tx, "power_dbm") + number(tx, "gain_dbi", 0.0) - number(tx, "body_db", 0.0)
        level += number(rx, "rx_gain_dbi", 0.0) - float(path_db(span.centre_hz, away, medium)) - obstacles
        return band24.Other(span, level, number(tx, "duty", 1.0))

    found = band24.in_sequence(list(links), _candidates(given), others, heard)
    return {
        "channels": {k: channel for k, (channel, _) in found.items()},
        "interference_dbm": {k: level for k, (_, level) in found.items()},
    }


def _access_points(given: Input) -> dict[str, Any]:
    points = [[number({"at": v}, "at") for v in p] for p in _many(given, "access_points_m")]
    receivers = {str(r["id"]): _place(r, "pos_m") for r in _many(given, "receivers")}
    return {"too_near": band24.too_near(receivers, points, number(given, "least_m", band24.ACCESS_POINT_M))}


# -- 5 GHz and 1.9 GHz -----------------------------------------------------------------------------------


def _region(given: Input) -> dfs.Region:
    said = given["region"]
    upper = said.get("upper", "closed")
    if upper not in ("free", "closed"):
        raise ValueError(f"the upper channels are free or closed, not {str(upper)[:40]!r}")
    closed = frozenset(int(c) for c in said.get("closed", ()))
    return dfs.Region(closed, number(said, "weather_s", 600.0), upper == "free")


def _dfs_channel(given: Input) -> dict[str, Any]:
    region, channel = _region(given), whole(given, "channel")
    allowed = region.allows(channel)
    return {
        "centre_hz": dfs.centre_hz(channel), "allowed": allowed,
        "listen_s": region.listen_s(channel) if allowed else None,
    }  # fmt: skip


def _radar_event(given: Input) -> dict[str, Any]:
    events = [(whole(e, "channel"), number(e, "at_s")) for e in _many(given, "events")]
    silent = dfs.silence_s(
        _region(given), whole(given, "to"), events, number(given, "at_s"), number(given, "listened_s", 0.0),
        number(given, "rejoin_s", dfs.REJOIN_S),
    )  # fmt: skip
    return {"silent_s": silent}


def _dfs_assign(given: Input) -> dict[str, Any]:
    common = tuple(int(c) for c in given.get("channels", ()))
    transceivers = [
        dfs.Transceiver(
            id=str(t["id"]), channels=tuple(int(c) for c in t.get("channels", common)),
            rejoin_s=number(t, "rejoin_s", dfs.REJOIN_S), second_radio=t.get("second_radio", False) is True,
        )
        for t in _many(given, "transceivers")
    ]  # fmt: skip
    hears = [(str(a), str(b), number({"level": level}, "level")) for a, b, level in _many(given, "hears")]
    foreign = [
        (str(f["id"]), whole(f, "channel"), number(f, "level_dbm"))
        for f in (_many(given, "foreign") if "foreign" in given else ())
    ]
    found = dfs.assign(_region(given), transceivers, hears, foreign)
    return {
        "channels": found.channels, "interference_dbm": found.interference_dbm, "on_duty": found.on_duty,
        "event_cost_s": found.event_cost_s, "fallbacks": found.fallbacks,
    }  # fmt: skip


def _dect_carriers(given: Input) -> dict[str, Any]:
    return {"carriers_hz": dect.carriers_hz(str(given["region"]))}


def _dect_capacity(given: Input) -> dict[str, Any]:
    groups = whole(given, "groups")
    each = dect.slots_each(whole(given, "carriers"), groups, number(given, "factor", dect.FACTOR))
    return {"slots_each": each, "slots": each * groups}


def _dect_fit(given: Input) -> dict[str, Any]:
    groups = {
        str(g["id"]): [
            dect.Transceiver(
                str(t["id"]), {str(k): whole(t["packs"], k) for k in t.get("packs", {})},
                whole(t, "limit") if t.get("limit") is not None else None,
            )
            for t in _many(g, "transceivers")
        ]
        for g in _many(given, "groups")
    }  # fmt: skip
    found = dect.fit(whole(given, "carriers"), groups, number(given, "factor", dect.FACTOR))
    taken = {name: {"slots": slots, "ok": ok} for name, (slots, ok) in found.groups.items()}
    return {"slots_each": found.slots_each, "groups": taken, "over": found.over}


# -- intercom --------------------------------------------------------------------------------------------


def _pair(value: Sequence[Any]) -> tuple[float, float]:
    x, y = (number({"at": v}, "at") for v in value[:2])
    return float(x), float(y)


def _where(given: Input) -> intercom.Where:
    said = given.get("where", "indoor")
    if said not in ("indoor", "outdoor"):
        raise ValueError(f"where is indoor or outdoor, not {str(said)[:40]!r}")
    return "outdoor" if said == "outdoor" else "indoor"


def _intercom_size(given: Input) -> dict[str, Any]:
    packs = [(whole(p, "count"), whole(p, "slots")) for p in _many(given, "packs")]
    by_slots = intercom.by_slots(packs, whole(given, "slots_of_one"))
    findings = []
    if given.get("base_talkers") is not None and whole(given, "talkers", 0) > whole(given, "base_talkers"):
        findings.append("talkers")
    out: dict[str, Any] = {"by_slots": by_slots, "findings": findings, "by_coverage": 0}
    if given.get("areas"):
        areas = [intercom.Area([_pair(p) for p in a["polygon_m"]], _where(a)) for a in _many(given, "areas")]
        places = [
            intercom.Place(id=str(p["id"]), at_m=_pair(p["pos_m"]), where=_where(p), cable_m=number(p, "cable_m", 0.0))
            for p in (_many(given, "places") if "places" in given else ())
        ]
        walls = [
            WallLine(_pair(w["from_m"]), _pair(w["to_m"]), number(w, "loss_db"))
            for w in (_many(given, "walls") if "walls" in given else ())
        ]
        radius: dict[intercom.Where, float] = {
            "indoor": number(given["radius_m"], "indoor"), "outdoor": number(given["radius_m"], "outdoor")
        }  # fmt: skip
        cable = number(given, "cable_limit_m", intercom.CABLE_M)
        found = intercom.coverage(areas, places, radius, walls, cable)
        out |= {
            "points": found.points,
            "covered": found.covered,
            "places": found.places,
            "by_coverage": len(found.places),
        }
    return {**out, "transceivers": max(by_slots, out["by_coverage"])}


KINDS = {
    "wideband_load": Kind(_wideband_load, "slots and shares of wideband carriers, packs that are not covered"),
    "wideband_pack": Kind(_wideband_pack, "the fewest carriers for packs, the fullest as empty as possible"),
    "wideband_centre": Kind(_wideband_centre, "whether a wideband carrier may stand at a centre"),
    "wideband_guard": Kind(_wideband_guard, "the narrowband links that a wideband carrier costs"),
    "wideband_rank": Kind(_wideband_rank, "raster channels for a wideband carrier, the best first"),
    "wideband_level": Kind(_wideband_level, "average and peak of wideband and narrow carriers together"),
    "wifi_channel": Kind(_wifi_channel, "centre and edges of a Wi-Fi channel at 2.4 GHz"),
    "band24_interference": Kind(_band24_interference, "what others leave in a link's channel at 2.4 GHz"),
    "band24_best": Kind(_band24_best, "the channel to take at 2.4 GHz"),
    "band24_sequence": Kind(_band24_sequence, "links at 2.4 GHz, one after the other"),
    "access_points": Kind(_access_points, "receivers too near to an access point"),
    "dfs_channel": Kind(_dfs_channel, "a channel at 5 GHz: allowed, and how long to listen"),
    "radar_event": Kind(_radar_event, "how long a transceiver is silent after a radar event"),
    "dfs_assign": Kind(_dfs_assign, "channels at 5 GHz for transceivers that hear one another"),
    "dect_carriers": Kind(_dect_carriers, "carriers at 1.9 GHz by region"),
    "dect_capacity": Kind(_dect_capacity, "slots that unsynchronised groups leave one another at 1.9 GHz"),
    "dect_fit": Kind(_dect_fit, "whether groups and transceivers at 1.9 GHz have room for their packs"),
    "intercom_size": Kind(_intercom_size, "transceivers that an intercom needs, by slots and by coverage"),
}
