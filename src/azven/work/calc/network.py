"""Calculations on racks in a network and on their batteries."""

from collections.abc import Mapping, Sequence
from typing import Any

from azven.rf import addresses, breaks, running
from azven.work.calc.given import Input, Kind, listed, number, whole


def _port(given: Any) -> addresses.Port:
    if not isinstance(given, Mapping):
        raise ValueError("a port must be an object")
    ip, mask = given.get("ip"), given.get("mask")
    return addresses.Port(
        mode=given.get("mode"), mac=given.get("mac"), ip=None if ip is None else addresses.address_of(ip),
        mask=None if mask is None else addresses.mask_of(mask),
    )  # fmt: skip


def _device(given: Input) -> addresses.Device:
    ports = {role: _port(given[role]) for role in addresses.ROLES if given.get(role) is not None}
    console = None if given.get("console_id") is None else whole(given, "console_id")
    return addresses.Device(
        id=str(given["id"]), kind=str(given.get("kind", "")), channels=whole(given, "channels", 0),
        layout=given.get("layout"), console_id=console, ports=ports,
    )  # fmt: skip


def _console(given: Input) -> addresses.Console:
    counts = given.get("counts", "devices")
    if counts not in ("devices", "channels"):
        raise ValueError("counts must be devices or channels")
    kinds = frozenset(map(str, given.get("kinds") or ()))
    return addresses.Console(name=str(given["name"]), limit=whole(given, "limit"), counts=counts, kinds=kinds)


def _address_plan(given: Input) -> dict[str, Any]:
    subnets = {
        role: addresses.subnet_of(given["subnets"][role]) for role in addresses.ROLES if given["subnets"].get(role)
    }
    found = None if given.get("found") is None else [_device(d) for d in listed(given, "found")]
    wrong = addresses.findings(
        subnets, [_device(d) for d in listed(given, "list")], found, [_console(c) for c in given.get("consoles", ())],
        [(str(a), str(b)) for a, b in given.get("links", ())],
    )  # fmt: skip
    named = [{k: v for k, v in vars(f).items() if v is not None} for f in wrong]
    return {"findings": sorted(named, key=lambda f: (f["code"], f["devices"], f.get("role", "")))}


def _readings(given: Sequence[Any]) -> list[tuple[float, float | None]]:
    pairs = [{"minute": r[0], "level": r[1]} for r in given]
    return [(number(p, "minute"), None if p["level"] is None else number(p, "level")) for p in pairs]


def _battery_minutes(given: Input) -> dict[str, Any]:
    unit = None if given.get("left_min") is None else number(given, "left_min")
    left = running.minutes_left(_readings(listed(given, "readings")), number(given, "now_min"), unit)
    return {"minutes": left.minutes, "from": left.by}


def _change_plan(given: Input) -> dict[str, Any]:
    acts = [breaks.Slot(str(a["name"]), number(a, "from_min"), number(a, "to_min")) for a in listed(given, "acts")]
    packs = [
        breaks.Pack(
            id=str(p["id"]), left_min=number(p, "left_min"), full_min=number(p, "full_min"),
            reserve_min=number(p, "reserve_min", 0.0),
            acts=None if p.get("acts") is None else frozenset(map(str, listed(p, "acts"))),
        )
        for p in listed(given, "packs")
    ]  # fmt: skip
    found = breaks.plan(acts, packs, [(str(a), str(b)) for a, b in given.get("pairs", ())])
    return {
        "plan": found, "changes": sum(len(c) for c in found.values() if c is not None),
        "impossible": [i for i, c in found.items() if c is None],
    }  # fmt: skip


KINDS = {
    "address_plan": Kind(_address_plan, "what is wrong with the addresses of racks on a network"),
    "battery_minutes": Kind(_battery_minutes, "how long a battery still runs, from its gauge"),
    "change_plan": Kind(_change_plan, "in which breaks batteries are changed"),
}
