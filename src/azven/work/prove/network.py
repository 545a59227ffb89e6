"""The racks of a site on their network: what the list says, what was found, and what is wrong with it."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from ipaddress import IPv4Address, IPv4Network
from typing import Any

from azven.book.edits import Edit, add, remove, replace_record
from azven.book.formats.rows import as_csv as rows_as_csv
from azven.book.reading import Reading
from azven.book.records import ListedRack, RackNetwork
from azven.book.store import Store
from azven.gear.racks.card import Card, PortCard
from azven.refusal import Refusal
from azven.rf import addresses
from azven.rf.addresses import Device, Finding, Port, Role
from azven.work.scope import Scope
from azven.work.wording import listed as in_words

_SAYS: Mapping[str, str] = {
    "same-address": "{who} have the address {address} together: give one of them another.",
    "outside-subnet": "The {role} address of {who} lies outside its subnet: give it one inside.",
    "mask-differs": "The {role} mask of {who} is not that of its subnet: set the same one.",
    "mixed-modes": "{who}: automatic and fixed addresses are mixed in one subnet. Set all alike.",
    "control-audio-one-subnet": "{who}: control and audio are in one subnet though its ports are split. Part them.",
    "primary-secondary-one-subnet": "{who}: primary and secondary audio are in one subnet. Part them.",
    "same-console-id": "{who} have the number {console_id} at the console together: give one another number.",
    "too-many-devices": "{console} shows fewer than the {count} it would have to: leave some out, or part them.",
    "chain-too-long": "{who} hang in one chain of {hops} cables, {most} at most: begin a second one at the switch.",
    "not-listed": "{who} was found and is not in the list: take it in, or find out whose it is.",
    "not-found": "{who} is in the list and was not found: power, cable, address?",
    "same-identity": "Two racks call themselves {who}: one of them is another one, or is listed twice.",
}  # fmt: skip


def racks(store: Reading, scope: Scope) -> list[ListedRack]:
    """The list of a site, in its order."""
    return sorted(store.all(ListedRack, site_id=scope.site), key=lambda r: (r.position, r.id))


def settings(store: Reading, scope: Scope) -> RackNetwork:
    """What the racks hang on; an empty one where nothing was said."""
    return next(iter(store.all(RackNetwork, site_id=scope.site)), RackNetwork(site_id=scope.site))


def subnets(store: Reading, scope: Scope) -> dict[Role, IPv4Network]:
    """The subnets that were told, by role. ValueError for one that is none."""
    told = settings(store, scope).subnets
    return {role: addresses.subnet_of(told[role]) for role in addresses.ROLES if told.get(role)}


def findings(store: Reading, scope: Scope, found: Mapping[str, Card] | None) -> list[Finding]:
    """What is wrong with the list and, where racks answered, with those, by address; None: nothing was looked for. A
    line of which only the address is known is the rack that answers there. ValueError for an address that is none."""
    told = settings(store, scope)
    consoles = [
        addresses.Console(name=name, limit=limit, counts="channels" if counts == "channels" else "devices",
                          kinds=frozenset(kinds))
        for name, limit, counts, kinds in told.consoles
    ]  # fmt: skip
    there = found or {}
    listed = [of_card(there[r.address]) if not r.rack and r.address in there else _of_list(r)
              for r in racks(store, scope)]  # fmt: skip
    cards = None if found is None else [of_card(c) for c in found.values()]
    return addresses.findings(subnets(store, scope), listed, cards, consoles, told.cables)


def _of_list(rack: ListedRack) -> Device:
    ports = {role: _port(rack.network[role]) for role in addresses.ROLES if rack.network.get(role)}
    return Device(id=rack.rack or f"list-{rack.id}", kind=rack.kind, channels=rack.channels, layout=rack.layout,
                  console_id=rack.console, ports=ports)  # fmt: skip


def _port(told: Mapping[str, Any]) -> Port:
    ip, mask = told.get("ip"), told.get("mask")
    return Port(mode=told.get("mode"), mac=told.get("mac"), ip=addresses.address_of(ip) if ip else None,
                mask=addresses.mask_of(mask) if mask else None)  # fmt: skip


def of_card(card: Card) -> Device:
    """A rack as its card says it is; an address that is none is not known."""
    found: dict[Role, PortCard | None] = {
        "control": card.network.control, "audio": card.network.audio, "secondary": card.network.secondary,
    }  # fmt: skip
    ports = {role: Port(mode=p.mode, mac=p.mac, ip=_known(p.ip), mask=_known(p.mask)) for role, p in found.items() if p}
    return Device(id=card.id, kind=card.kind, channels=len(card.channels), layout=card.network.layout,
                  console_id=card.network.console_id, ports=ports)  # fmt: skip


def _known(text: str | None) -> IPv4Address | None:
    try:
        return addresses.address_of(text) if text else None
    except ValueError:
        return None


def sentence(finding: Finding, names: Mapping[str, str]) -> str:
    """A finding with its remedy, racks by their names."""
    who = in_words([names.get(d, d) for d in finding.devices], 4)
    values = {**vars(finding), "who": who, "most": addresses.MOST_HOPS}
    return _SAYS[finding.code].format(**values)


# -- deeds -------------------------------------------------------------------------------------------------------


def _row(card: Card, address: str) -> dict[str, Any]:
    ports = {"control": card.network.control, "audio": card.network.audio, "secondary": card.network.secondary}
    network = {role: {k: v for k, v in vars(p).items() if v is not None} for role, p in ports.items() if p}
    return {"name": card.name, "address": address, "rack": card.id, "kind": card.kind, "channels": len(card.channels),
            "layout": card.network.layout or "switched", "console": card.network.console_id,
            "network": network}  # fmt: skip


def list_address(store: Store, scope: Scope, address: str, name: str = "") -> Edit:
    """A rack of which only the address is known."""
    if any(r.address == address for r in racks(store, scope)):
        raise Refusal(f"{address} is in the list already.")
    rack = ListedRack(id=store.reserve(), site_id=scope.site, name=name or address, address=address,
                      position=len(racks(store, scope)))  # fmt: skip
    return Edit(f"Rack at {address}", add(rack))


def set_network(store: Store, scope: Scope, **values: Any) -> Edit:
    """Subnets by role, what consoles show, cables. Refusal for a subnet that is none, a limit under 1, a cable of one
    end."""
    for role, text in values.get("subnets", {}).items():
        try:
            addresses.subnet_of(text)
        except ValueError:
            raise Refusal(f"“{text}” is no subnet ({role}). It is written like 10.20.1.0/24.") from None
    for name, limit, _, _ in values.get("consoles", ()):
        if not name.strip() or limit < 1:
            raise Refusal("A console needs a name, and shows at least one device.")
    for a, b in values.get("cables", ()):
        if a == b:
            raise Refusal("A cable joins two devices.")
    told = settings(store, scope)
    if told.id:
        return Edit("Network of the racks", replace_record(told, replace(told, **values)))
    return Edit("Network of the racks", add(replace(told, id=store.reserve(), **values)))


def move(rack: ListedRack, address: str) -> Edit:
    """A rack answers at another address."""
    return Edit(f"{rack.name} at {address}", replace_record(rack, replace(rack, address=address)))


def take_out(chosen: Sequence[ListedRack]) -> Edit:
    """Take racks out of the list; they are no longer dialled."""
    return Edit(f"{in_words([r.name for r in chosen], 3)} out of the list", remove(list(chosen)))


def told(listed: ListedRack, card: Card | None) -> ListedRack:
    """A rack of the list as it says itself that it is, where it has answered."""
    return listed if card is None else replace(listed, **_row(card, listed.address))


def as_csv(listed: Sequence[ListedRack]) -> str:
    """The address sheet."""
    rows = []
    for r in listed:
        ports = [r.network.get(role) or {} for role in ("control", "audio")]
        addressed = [p.get(k, "") for p in ports for k in ("ip", "mask")]
        console = "" if r.console is None else r.console
        rows.append((r.name, r.rack, r.kind, r.channels, r.layout, console, r.address, *addressed))
    heading = ("name", "id", "kind", "channels", "layout", "console id", "address", "control ip", "control mask",
               "audio ip", "audio mask")  # fmt: skip
    return rows_as_csv(heading, rows)


def follow(listed: Mapping[str, ListedRack], cards: Sequence[tuple[Card, str]]) -> Edit:
    """The list follows the racks that answer at its addresses: name, id, channels, network."""
    changes: tuple[Any, ...] = ()
    for card, address in cards:
        if address in listed:
            changes += replace_record(listed[address], told(listed[address], card))
    return Edit("The list follows the racks", changes)
