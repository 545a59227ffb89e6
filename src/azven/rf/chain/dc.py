"""Supply over coax: which stretch of the line a supply feeds, and whether that works."""

from collections.abc import Sequence
from dataclasses import dataclass, field


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
    """A device in line: `dc` pass joins its two ports, block parts them, short grounds both.

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


@dataclass
class _Stretch:
    """Joined conductors: places of what hangs on them, in line order; resistances between."""

    loads: list[int] = field(default_factory=list)
    sources: list[int] = field(default_factory=list)
    shorts: list[int] = field(default_factory=list)
    cables: list[int] = field(default_factory=list)


def feed(line: Sequence[Device]) -> Feed:
    """Check a line of devices, antenna first."""
    errors: list[tuple[int, str]] = []
    volts: dict[str, float] = {}
    for stretch in _stretches(line):
        errors += _judge(line, stretch, volts)
    ordered = sorted(set(errors))
    return Feed(tuple((line[i].name, code) for i, code in ordered), volts)


def _stretches(line: Sequence[Device]) -> list[_Stretch]:
    """The line cut where a device blocks; a blocking or shorting device hangs on both stretches with one port."""
    out, here = [], _Stretch()
    for i, device in enumerate(line):
        if device.source is not None:
            here.sources.append(i)
        if device.dc == "short":
            here.shorts.append(i)
        if device.dc == "pass":
            here.cables.append(i)
        else:
            out.append(here)
            here = _Stretch()
            if device.dc == "short":
                here.shorts.append(i)
        if device.load is not None:
            here.loads.append(i)
    return [*out, here]


def _judge(line: Sequence[Device], stretch: _Stretch, volts: dict[str, float]) -> list[tuple[int, str]]:
    if not stretch.sources:
        return [(i, "dc-missing") for i in stretch.loads]
    if stretch.shorts:
        return [(i, "dc-short") for i in stretch.shorts]
    if len(stretch.sources) > 1:
        return [(i, "dc-conflict") for i in stretch.sources]
    return _supplied(line, stretch, stretch.sources[0], volts)


def _supplied(line: Sequence[Device], stretch: _Stretch, at: int, volts: dict[str, float]) -> list[tuple[int, str]]:
    """One supply on the stretch: current, and the drop over the cables each load's current flows through."""
    source = line[at].source
    assert source is not None
    errors: list[tuple[int, str]] = []
    drawn = {i: load.ma for i in stretch.loads if (load := line[i].load) is not None}
    if sum(drawn.values()) > source.max_ma:
        errors.append((at, "dc-overload"))
    for i in stretch.loads:
        between = [c for c in stretch.cables if min(i, at) < c < max(i, at)]
        drop = sum(
            line[c].ohm * sum(ma for k, ma in drawn.items() if min(k, at) < c < max(k, at)) / 1e3 for c in between
        )
        volts[line[i].name] = source.volt - drop
        load = line[i].load
        if load is not None and volts[line[i].name] < load.min_volt:
            errors.append((i, "dc-low"))
    return errors
