"""The address plan of racks on a network: what two of them would quarrel about (domain, section 8).

Addresses are IPv4 (RFC 791), subnets in CIDR notation (RFC 4632).
"""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Network
from typing import Literal

Role = Literal["control", "audio", "secondary"]
Code = Literal["same-address", "outside-subnet", "mask-differs", "mixed-modes", "control-audio-one-subnet",
               "primary-secondary-one-subnet", "same-console-id", "too-many-devices", "chain-too-long", "not-listed",
               "not-found", "same-identity"]  # fmt: skip
ROLES: tuple[Role, ...] = ("control", "audio", "secondary")
MOST_HOPS = 7
_MOST_STEPS = 200_000


@dataclass(frozen=True, kw_only=True)
class Port:
    """A network port of a device; None: not known, an automatic one may have no address yet."""

    mode: str | None = None
    ip: IPv4Address | None = None
    mask: IPv4Address | None = None
    mac: str | None = None


@dataclass(frozen=True, kw_only=True)
class Device:
    """A rack or network switch with its ports by role."""

    id: str
    kind: str = ""
    channels: int = 0
    layout: str | None = None
    console_id: int | None = None
    ports: Mapping[Role, Port]

    @property
    def mac(self) -> str | None:
        control = self.ports.get("control")
        return control.mac if control else None


@dataclass(frozen=True, kw_only=True)
class Console:
    """How many devices, or channels, of all or some kinds a console or its card shows."""

    name: str
    limit: int
    counts: Literal["devices", "channels"] = "devices"
    kinds: frozenset[str] = frozenset()


@dataclass(frozen=True, kw_only=True)
class Finding:
    """Something that is wrong with the plan, and whose it is."""

    code: Code
    devices: tuple[str, ...]
    role: Role | None = None
    address: str | None = None
    console_id: int | None = None
    console: str | None = None
    count: int | None = None
    hops: int | None = None


def address_of(text: str) -> IPv4Address:
    """An address in its usual form; ValueError for anything else."""
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no address")
    return IPv4Address(text)


def subnet_of(text: str) -> IPv4Network:
    """A subnet in CIDR notation; ValueError for anything else."""
    if not isinstance(text, str):
        raise ValueError(f"{text!r} is no subnet")
    return IPv4Network(text)


def is_nowhere(ip: IPv4Address) -> bool:
    """Whether nobody can be at an address: unspecified, of a group, for everybody."""
    return ip.is_unspecified or ip.is_multicast or ip == IPv4Address("255.255.255.255")


def mask_of(text: str) -> IPv4Address:
    """A mask: ones, then zeros; ValueError for anything else."""
    mask = address_of(text)
    if (inverted := int(mask) ^ 0xFFFFFFFF) & (inverted + 1):
        raise ValueError(f"{text} is no mask")
    return mask


def findings(
    subnets: Mapping[Role, IPv4Network], listed: Sequence[Device], found: Sequence[Device] | None = None,
    consoles: Sequence[Console] = (), cables: Sequence[tuple[str, str]] = (),
) -> list[Finding]:  # fmt: skip
    """What is wrong with the devices of a list and, where there was a search, of those found (None: there was none)."""
    present, twice = _found(found or ())
    doubled = twice | {i for i, n in _counted(listed).items() if n > 1}
    known = {d.id for d in present}
    devices = [*present, *(d for d in listed if d.id not in known)]
    wrong = [Finding(code="same-identity", devices=(i,)) for i in sorted(doubled)]
    if found is not None:
        ids = {d.id for d in listed}
        wrong += [Finding(code="not-listed", devices=(i,)) for i in sorted(known - ids)]
        wrong += [Finding(code="not-found", devices=(i,)) for i in sorted(ids - known)]
    wrong += _addresses(devices)
    for device in devices:
        wrong += _ports(device, subnets)
    return [*wrong, *_modes(devices, subnets), *_console_ids(devices), *_shown(devices, consoles),
            *_chains(devices, cables)]  # fmt: skip


def _counted(devices: Sequence[Device]) -> dict[str, int]:
    count: dict[str, int] = defaultdict(int)
    for device in devices:
        count[device.id] += 1
    return count


def _found(found: Sequence[Device]) -> tuple[list[Device], set[str]]:
    """The racks that were found, each once, and the ids that two racks have: by their hardware addresses."""
    seen: dict[tuple[str, str | None], Device] = {}
    for device in found:
        known = [key for key in seen if key[0] == device.id and None in (key[1], device.mac)]
        for key in known:
            del seen[key]
        seen[device.id, device.mac] = device
    ids = [key[0] for key in seen]
    return list(seen.values()), {i for i in ids if ids.count(i) > 1}


def _addresses(devices: Sequence[Device]) -> Iterator[Finding]:
    at: dict[IPv4Address, list[str]] = defaultdict(list)
    for device in devices:
        for port in device.ports.values():
            if port.ip is not None:
                at[port.ip].append(device.id)
    for ip, ids in at.items():
        if len(ids) > 1:
            yield Finding(code="same-address", devices=tuple(sorted(set(ids))), address=str(ip))


def _ports(device: Device, subnets: Mapping[Role, IPv4Network]) -> Iterator[Finding]:
    for role, port in device.ports.items():
        subnet = subnets.get(role)
        if port.ip is None or subnet is None:
            continue
        if not _inside(port.ip, subnet):
            yield Finding(code="outside-subnet", devices=(device.id,), role=role)
        if port.mask is not None and port.mask != subnet.netmask:
            yield Finding(code="mask-differs", devices=(device.id,), role=role)
    if device.layout == "split" and _one_subnet(device, "control", "audio", subnets):
        yield Finding(code="control-audio-one-subnet", devices=(device.id,))
    if _one_subnet(device, "audio", "secondary", subnets):
        yield Finding(code="primary-secondary-one-subnet", devices=(device.id,))


def _inside(ip: IPv4Address, subnet: IPv4Network) -> bool:
    ends = (subnet.network_address, subnet.broadcast_address) if subnet.prefixlen < 31 else ()
    return ip in subnet and ip not in ends


def _one_subnet(device: Device, one: Role, other: Role, subnets: Mapping[Role, IPv4Network]) -> bool:
    """Whether two ports agree under the masks of both."""
    a, b = device.ports.get(one), device.ports.get(other)
    if a is None or b is None or a.ip is None or b.ip is None:
        return False
    masks = [p.mask or (subnets[r].netmask if r in subnets else None) for p, r in ((a, one), (b, other))]
    return all(m is not None and int(a.ip) & int(m) == int(b.ip) & int(m) for m in masks)


def _modes(devices: Sequence[Device], subnets: Mapping[Role, IPv4Network]) -> Iterator[Finding]:
    """Fixed and automatic ports of one subnet: the fewer are named, if equal the automatic ones."""
    for subnet in dict.fromkeys(subnets.values()):
        of: dict[str, list[str]] = {"fixed": [], "auto": []}
        for device in devices:
            for role, port in device.ports.items():
                if subnets.get(role) == subnet and port.mode in of:
                    of[port.mode].append(device.id)
        if of["fixed"] and of["auto"]:
            few = "fixed" if len(of["fixed"]) < len(of["auto"]) else "auto"
            yield Finding(code="mixed-modes", devices=tuple(sorted(set(of[few]))))


def _console_ids(devices: Sequence[Device]) -> Iterator[Finding]:
    by: dict[tuple[str, int], set[str]] = defaultdict(set)
    for device in devices:
        if device.console_id is not None:
            by[device.kind, device.console_id].add(device.id)
    for (_, number), ids in by.items():
        if len(ids) > 1:
            yield Finding(code="same-console-id", devices=tuple(sorted(ids)), console_id=number)


def _shown(devices: Sequence[Device], consoles: Sequence[Console]) -> Iterator[Finding]:
    for console in consoles:
        counted = [d for d in devices if not console.kinds or d.kind in console.kinds]
        count = sum(d.channels for d in counted) if console.counts == "channels" else len(counted)
        if count > console.limit:
            ids = tuple(sorted({d.id for d in counted}))
            yield Finding(code="too-many-devices", devices=ids, console=console.name, count=count)


def _chains(devices: Sequence[Device], cables: Sequence[tuple[str, str]]) -> Iterator[Finding]:
    """The longest chain of each group of devices that pass on what they get."""
    beside: dict[str, set[str]] = defaultdict(set)
    for a, b in cables:
        beside[a].add(b)
        beside[b].add(a)
    switches = {d.id for d in devices if d.kind == "switch"}
    passing = {d.id for d in devices if d.layout == "switched"} - switches
    left = set(passing)
    while left:
        group = _joined(min(left), beside, passing)
        left -= group
        longest = _longest(group, beside, passing)
        if len(longest) - 1 > MOST_HOPS:
            ids = tuple(sorted(set(longest) - switches))
            yield Finding(code="chain-too-long", devices=ids, hops=len(longest) - 1)


def _joined(first: str, beside: Mapping[str, set[str]], passing: set[str]) -> set[str]:
    group, look = {first}, [first]
    while look:
        for n in beside.get(look.pop(), set()) & passing - group:
            group.add(n)
            look.append(n)
    return group


def _longest(group: set[str], beside: Mapping[str, set[str]], passing: set[str]) -> list[str]:
    """The longest way through a group and the devices that end it; every way is tried, so many steps at most."""
    ends = {n for g in group for n in beside.get(g, set())} - passing
    best: list[str] = []
    steps = 0
    for start in sorted(group | ends):
        look = [[start]]
        while look and steps < _MOST_STEPS:
            way = look.pop()
            steps += 1
            best = max(best, way, key=len)
            if len(way) == 1 or way[-1] in passing:
                look += [[*way, n] for n in sorted(beside.get(way[-1], set())) if n not in way and n in group | ends]
    return best
