"""Calculations on what is worn, on hardware groups and on batteries."""

from typing import Any

from azven.rf import batteries, groups, persons
from azven.rf.imlevels import CONVERSION_LOSS_DB
from azven.rf.request import Profile
from azven.work.calc.given import Input, Kind, listed, number, whole


def _pack(given: Input) -> persons.Pack:
    return persons.Pack(whole(given, "freq_hz"), number(given, "power_dbm"), number(given, "gain_dbi", 0.0))


def _belt_products(given: Input) -> dict[str, Any]:
    a, b = _pack(given["a"]), _pack(given["b"])
    coupling = persons.coupling_db(given["side"], number(given, "body_db", persons.BODY_DB), a.gain_dbi + b.gain_dbi)
    paths = given["path_db"]
    found = persons.belt_products(
        a, b, coupling, number(paths, "a"), number(paths, "b"), number(given, "conversion_db", CONVERSION_LOSS_DB)
    )
    return {"coupling_db": coupling, "products": found}


def _belt_blocking(given: Input) -> dict[str, Any]:
    sent = given["transmitter"]
    power = persons.PHONE_DBM if sent.get("phone") is True else number(sent, "power_dbm")
    gains = number(given, "gain_dbi", 0.0)
    level = power - persons.coupling_db(given["side"], number(given, "body_db", persons.BODY_DB), gains)
    margin = number(given, "blocking_dbm") - level
    return {"level_dbm": level, "blocking_margin_db": margin, "blocked": margin < 0}


def _redundant_pair(given: Input) -> dict[str, Any]:
    first, second = listed(given, "freq_hz")
    channels = [(whole(c, "low_hz"), whole(c, "high_hz")) for c in given.get("raster", ())]
    changes = [frozenset(map(str, c)) for c in given.get("changes", ((), ()))]
    least = whole(given, "least_hz", persons.PAIR_HZ)
    return {"findings": persons.pair_findings((first, second), channels, (changes[0], changes[1]), least)}


def _table(given: Input) -> dict[str, tuple[int, ...]]:
    return {str(name): tuple(map(int, freqs)) for name, freqs in given["groups"].items()}


def _group_choice(given: Input) -> dict[str, Any]:
    rooms = listed(given, "rooms")
    scans = [{int(f): float(level) for f, level in room["scan_dbm"].items()} for room in rooms]
    links = sum(whole(room, "links") for room in rooms)
    found = groups.choose(_table(given), links, scans, number(given, "limit_dbm"))
    return {"group": found.group, "free": found.free, "channels_hz": found.freq_hz}


def _group_judge(given: Input) -> dict[str, Any]:
    guards = {str(k): whole(given["guard_hz"], k) for k in given["guard_hz"]}
    profile = Profile(whole(given, "spacing_hz"), guards)
    found = {name: groups.broken(freqs, profile) for name, freqs in _table(given).items()}
    return {"groups": {name: {"clean": not any(counts.values()), **counts} for name, counts in found.items()}}


def _battery_rotation(given: Input) -> dict[str, Any]:
    names = ("packs", "run_min", "show_min", "bays", "charge_min")
    rotation = batteries.Rotation(**{n: whole(given, n) for n in names}, reserve_min=whole(given, "reserve_min", 0))
    return {"changes": rotation.changes, "batteries": rotation.batteries()}


KINDS = {
    "belt_products": Kind(_belt_products, "third-order products of two packs on one belt, at a receiver"),
    "belt_blocking": Kind(_belt_blocking, "a pack or a phone beside a receiver worn on the same belt"),
    "redundant_pair": Kind(_redundant_pair, "what is wrong with two packs on one voice"),
    "group_choice": Kind(_group_choice, "the hardware group to take, by scans of the rooms"),
    "group_judge": Kind(_group_judge, "how often hardware groups break their own rules"),
    "battery_rotation": Kind(_battery_rotation, "how many cells a show needs with the bays there are"),
}
