"""What is wrong with racks, each with the one thing that mends it where there is one: a call, or taking over what a
rack says."""

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Address, IPv4Network
from typing import Any

from azven.book.reading import Reading
from azven.gear.racks.card import Card
from azven.rf import addresses
from azven.rf.addresses import Device, Finding, Role
from azven.work.prove import network
from azven.work.prove.here import RacksHere, ShowNow
from azven.work.prove.sending import Difference, call_for
from azven.work.scope import Scope
from azven.work.wording import listed, mhz


@dataclass(frozen=True)
class Ask:
    """A call to a rack."""

    rack: str
    method: str
    params: Mapping[str, Any]


@dataclass(frozen=True)
class Trouble:
    """A sentence, the title of the button that mends it (empty: nothing does by itself), and what the button does:
    calls, or for racks `take_over`, which lets the list follow them."""

    said: str
    title: str = ""
    asks: tuple[Ask, ...] = ()
    take_over: tuple[str, ...] = ()


def of_channels(here: RacksHere, now: ShowNow) -> list[Trouble]:
    """Channels in another band than their links, and channels that go by other names, rack by rack."""
    bands: dict[str, list[tuple[str, tuple[Ask, ...]]]] = defaultdict(list)
    names: dict[str, list[tuple[str, Ask]]] = defaultdict(list)
    differ: dict[tuple[str, str], list[Difference]] = defaultdict(list)
    for d in here.differences(now):
        differ[d.key].append(d)
    for lane in now.lanes:
        key = now.keys.get(lane.link.id)
        card = here.card(key) if key else None
        if key is None or card is None:
            continue
        freq = now.freq_hz.get(lane.link.id)
        low, high = card.low_hz, card.high_hz
        if freq is not None and low is not None and high is not None and not low <= freq <= high:
            there = f"{lane.link.name} wants {mhz(freq)}, channel {key[1]} goes from {mhz(low)} to {mhz(high)}"
            bands[key[0]].append((there, tuple(_set(here, d) for d in differ[key] if d.setting == "band")))
        names[key[0]] += [(str(d.there), _set(here, d)) for d in differ[key] if d.setting == "name"]
    return [_wrong_band(here, rack, found) for rack, found in bands.items()] + [
        _other_names(here, rack, found) for rack, found in names.items() if found
    ]


def _set(here: RacksHere, difference: Difference) -> Ask:
    return Ask(difference.key[0], "set", call_for([difference], here.who).params)


def _name(here: RacksHere, rack: str) -> str:
    link = here.hub.link(rack)
    return link.card.name if link is not None and link.card is not None else rack


def _wrong_band(here: RacksHere, rack: str, found: Sequence[tuple[str, tuple[Ask, ...]]]) -> Trouble:
    asks = tuple(a for _, more in found for a in more)
    said = f"{_name(here, rack)} is in a wrong band: {found[0][0]}"
    said += f", and {len(found) - 1} more." if len(found) > 1 else "."
    if not asks:
        return Trouble(f"{said} It cannot be set to another: take another unit, or give the links other frequencies.")
    return Trouble(said, "Set its band", asks)


def _other_names(here: RacksHere, rack: str, found: Sequence[tuple[str, Ask]]) -> Trouble:
    there = listed([f"“{name}”" for name, _ in found], 3)
    said = f"{_name(here, rack)}: channels go by other names than their links: {there}."
    return Trouble(said, "Send names", tuple(ask for _, ask in found))


def of_network(store: Reading, scope: Scope, found: Mapping[str, Card] | None) -> list[Trouble]:
    """The findings of the address plan. ValueError where the list holds an address that is none."""
    cards = {c.id: c for c in (found or {}).values()}
    names = {r.rack: r.name for r in network.racks(store, scope) if r.rack} | {i: c.name for i, c in cards.items()}
    plan = _Plan(network.subnets(store, scope), {i: network.of_card(c) for i, c in cards.items()})
    return [
        Trouble(network.sentence(f, names), *plan.mend(f)) for f in network.findings(store, scope, found)
    ]  # fmt: skip


@dataclass
class _Plan:
    """Gives out addresses and numbers that nobody has."""

    subnets: Mapping[Role, IPv4Network]
    devices: Mapping[str, Device]

    def mend(self, finding: Finding) -> tuple[str, tuple[Ask, ...], tuple[str, ...]]:
        """Title, calls, and racks that the list is to follow."""
        known = [i for i in finding.devices if i in self.devices]
        if finding.code == "not-listed" and known:
            return "Take it in", (), tuple(known)
        makers = {
            "mask-differs": self._mask, "outside-subnet": self._inside, "same-address": self._another_address,
            "mixed-modes": self._automatic, "same-console-id": self._another_number,
        }  # fmt: skip
        maker = makers.get(finding.code)
        title, asks = maker(finding, known) if maker is not None and known else ("", ())
        return (title, asks, ()) if asks else ("", (), ())

    def _mask(self, finding: Finding, known: Sequence[str]) -> tuple[str, tuple[Ask, ...]]:
        role = finding.role
        if role is None:
            return "", ()
        mask = str(self.subnets[role].netmask)
        return f"Set mask {mask}", tuple(Ask(i, "network", {role: {"mask": mask}}) for i in known)

    def _inside(self, finding: Finding, known: Sequence[str]) -> tuple[str, tuple[Ask, ...]]:
        role = finding.role
        if role is None or role not in self.subnets:
            return "", ()
        return self._give(known[0], role, self.subnets[role])

    def _another_address(self, finding: Finding, known: Sequence[str]) -> tuple[str, tuple[Ask, ...]]:
        """The last of those that share an address gets another one."""
        last = known[-1]
        role = next((r for r, p in self.devices[last].ports.items() if str(p.ip) == finding.address), None)
        port = self.devices[last].ports[role] if role is not None else None
        if role is None or port is None or port.ip is None:
            return "", ()
        inside = self.subnets.get(role)
        if inside is None and port.mask is not None:
            inside = IPv4Network(f"{port.ip}/{port.mask}", strict=False)
        return self._give(last, role, inside) if inside is not None else ("", ())

    def _give(self, rack: str, role: Role, inside: IPv4Network) -> tuple[str, tuple[Ask, ...]]:
        taken = {p.ip for d in self.devices.values() for p in d.ports.values()}
        free = next((ip for ip in inside.hosts() if ip not in taken), None)
        if free is None:
            return "", ()
        port = {"mode": "fixed", "ip": str(free), "mask": str(inside.netmask)}
        return f"Give it {free}", (Ask(rack, "network", {role: port}),)

    def _automatic(self, finding: Finding, known: Sequence[str]) -> tuple[str, tuple[Ask, ...]]:
        """The fewer go to automatic; a fixed address is not guessed."""
        asks = tuple(
            Ask(i, "network", {role: {"mode": "auto"}})
            for i in known for role, port in self.devices[i].ports.items() if port.mode == "fixed"
        )  # fmt: skip
        return "Set to automatic", asks

    def _another_number(self, finding: Finding, known: Sequence[str]) -> tuple[str, tuple[Ask, ...]]:
        kind = self.devices[known[0]].kind
        taken = {d.console_id for d in self.devices.values() if d.kind == kind}
        free = (n for n in range(1, 1_000) if n not in taken)
        asks = tuple(Ask(i, "network", {"console_id": next(free)}) for i in known[1:])
        return "Give another number" if len(asks) == 1 else "Give other numbers", asks


def new_address(asked_at: str, before: str | None, result: Mapping[str, Any]) -> str | None:
    """Where a rack answers from now on by its own answer to `network`: the address that it was asked at, with another
    host. None where that stays."""
    control = result.get("control")
    ip = control.get("ip") if isinstance(control, dict) else None
    try:
        host = IPv4Address(ip) if isinstance(ip, str) else None
    except ValueError:
        return None
    if host is None or str(host) == before or addresses.is_nowhere(host):
        return None
    scheme, _, rest = asked_at.partition("://")
    port = rest.rpartition(":")[2]
    return f"{scheme}://{host}:{port}"
