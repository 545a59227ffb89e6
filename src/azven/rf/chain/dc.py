"""Supply over coax: which joined stretch of a system a supply feeds, and whether that works."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise


@dataclass(frozen=True)
class Load:
    """What a device draws: current [mA], and the least voltage it needs [V]."""

    ma: float
    min_volt: float = 0.0


@dataclass(frozen=True)
class Source:
    """What a supply gives: voltage [V], and the most current [mA]."""

    volt: float
    max_ma: float


@dataclass(frozen=True)
class Device:
    """A device: `dc` pass joins all its ports, block parts its antenna side from its receiver side, short grounds both.

    A source feeds its antenna-side port, a load draws from its receiver-side port; `ohm` is the loop resistance.
    """

    name: str
    dc: str = "block"
    ohm: float = 0.0
    load: Load | None = None
    source: Source | None = None


@dataclass(frozen=True)
class Feed:
    """Errors as (device, code) in the order of the line, and the voltage [V] that reaches each load."""

    errors: tuple[tuple[str, str], ...]
    volts: dict[str, float]


WORDS = {
    "dc-missing": "gets no supply",
    "dc-short": "grounds the supply",
    "dc-conflict": "feeds a line that another supply feeds too",
    "dc-overload": "is asked for more current than it gives",
    "dc-low": "gets too little voltage",
}


Port = tuple[str, str]
"""One side of a joint: the edge (from, to); at an open end the device and nothing."""


class _Net:
    """All conductors of a system: which devices hang on each joint, and which of these are joined by devices that pass
    DC."""

    def __init__(self, devices: Mapping[str, Device], edges: Sequence[tuple[str, str]]) -> None:
        self.devices = devices
        self.into: dict[str, list[Port]] = {n: [e for e in edges if e[1] == n] or [("", n)] for n in devices}
        self.out: dict[str, list[Port]] = {n: [e for e in edges if e[0] == n] or [(n, "")] for n in devices}
        self.passing: dict[Port, list[str]] = {}
        for name, device in devices.items():
            if device.dc == "pass":
                for port in (*self.into[name], *self.out[name]):
                    self.passing.setdefault(port, []).append(name)

    def stretches(self) -> list[set[Port]]:
        """Joints that are joined, each stretch once."""
        out: list[set[Port]] = []
        left = dict.fromkeys(p for n in self.devices for p in (*self.into[n], *self.out[n]))
        while left:
            found = self._joined(next(iter(left)))
            out.append(set(found))
            left = {p: None for p in left if p not in found}
        return out

    def _joined(self, start: Port) -> dict[Port, tuple[str, Port]]:
        """Every joint that DC reaches from one, with the device and the joint it comes from."""
        found = {start: ("", start)}
        waiting = [start]
        while waiting:
            port = waiting.pop(0)
            for name in self.passing.get(port, ()):
                for onward in (*self.into[name], *self.out[name]):
                    if onward not in found:
                        found[onward] = name, port
                        waiting.append(onward)
        return found

    def through(self, source: Port, load: Port) -> list[str]:
        """Devices that the current from a source to a load flows through."""
        came = self._joined(load)
        way: list[str] = []
        port = source
        while port != load:
            name, port = came[port]
            way.append(name)
        return way


def feed(devices: Sequence[Device] | Mapping[str, Device], edges: Sequence[tuple[str, str]] | None = None) -> Feed:
    """Check the supply of a whole system, or, without edges, of devices in one line, antenna first.

    Judged per joined stretch, devices with several ports that pass DC included. A short hides nothing: current and
    voltage are told as they would be without it.
    """
    known = devices if isinstance(devices, Mapping) else {d.name: d for d in devices}
    net = _Net(known, list(pairwise(known)) if edges is None else edges)
    order = {name: i for i, name in enumerate(known)}
    errors: set[tuple[int, str]] = set()
    volts: dict[str, float] = {}
    asked: dict[str, float] = {}
    for stretch in net.stretches():
        errors |= {(order[name], code) for name, code in _judge(net, stretch, volts, asked)}
    for name, ma in asked.items():
        source = known[name].source
        if source is not None and ma > source.max_ma:
            errors.add((order[name], "dc-overload"))
    names = list(known)
    return Feed(tuple((names[i], code) for i, code in sorted(errors)), volts)


def _judge(net: _Net, stretch: set[Port], volts: dict[str, float], asked: dict[str, float]) -> list[tuple[str, str]]:
    """Errors of one stretch; the voltage of its loads into `volts`, what its supply is asked for into `asked` [mA]."""
    known = net.devices.items()
    sources = {n: p for n, d in known if d.source for p in net.into[n] if p in stretch}
    loads = {n: p for n, d in known if d.load for p in net.out[n] if p in stretch}
    shorts = [n for n, d in known if d.dc == "short" and stretch & {*net.into[n], *net.out[n]}]
    if not sources:
        return [(n, "dc-missing") for n in loads]
    errors = [(n, "dc-short") for n in shorts]
    if len(sources) > 1:
        errors += [(n, "dc-conflict") for n in sources]
    drawn = {n: load.ma for n in loads if (load := net.devices[n].load) is not None}
    gives = {n: source for n in sources if (source := net.devices[n].source) is not None}
    if len(sources) == 1:
        name, at = next(iter(sources.items()))
        asked[name] = asked.get(name, 0.0) + sum(drawn.values())
        return errors + _low(net, gives[name], at, loads, drawn, volts)
    if sum(drawn.values()) > sum(s.max_ma for s in gives.values()):
        errors += [(n, "dc-overload") for n in gives]
    return errors


def _low(
    net: _Net, source: Source, at: Port, loads: Mapping[str, Port], drawn: Mapping[str, float], volts: dict[str, float]
) -> list[tuple[str, str]]:
    """Loads that the drop over what their current flows through leaves with too little; the voltage of all into
    `volts`."""
    ways = {n: net.through(at, p) for n, p in loads.items()}
    errors = []
    for name in loads:
        shared = {c: sum(drawn[n] for n, way in ways.items() if c in way) for c in ways[name]}
        volts[name] = source.volt - sum(net.devices[c].ohm * ma / 1e3 for c, ma in shared.items())
        load = net.devices[name].load
        if load is not None and volts[name] < load.min_volt:
            errors.append((name, "dc-low"))
    return errors
