"""Sending what the plan and the wanted settings say: what differs is shown before, each unit is read back after."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from azven.book.records import Link
from azven.gear.racks.calls import Call
from azven.gear.racks.card import ChannelCard
from azven.gear.racks.values import Fields
from azven.gear.standins.things import LONGEST_NAME
from azven.work.watch.traces import Key


@dataclass(frozen=True)
class Difference:
    """A setting that is not as it should be: what the unit has, None where it has not told, and what is wanted."""

    link: Link
    key: Key
    setting: str
    there: Any
    wanted: Any


def wanted_of(link: Link, freq_hz: int | None, more: Mapping[str, Any], card: ChannelCard | None) -> Fields:
    """How a link's unit should be set, as far as the unit can be. Its band only where the frequency lies outside of
    the one that it has: units name their bands as they like."""
    if card is None:
        return {}
    found: Fields = {"name": link.name[:LONGEST_NAME], **more}
    if freq_hz is not None:
        found["freq_hz"] = freq_hz
        if not (card.low_hz or 0) <= freq_hz <= (card.high_hz or freq_hz) and link.band in card.limits.get("band", ()):
            found["band"] = link.band
    return {k: v for k, v in found.items() if k in card.can}


def differences(link: Link, key: Key, wanted: Mapping[str, Any], there: Mapping[str, Any]) -> list[Difference]:
    """What differs between a unit and what it should be."""
    return [Difference(link, key, k, there.get(k), v) for k, v in wanted.items() if there.get(k) != v]


def call_for(rows: Sequence[Difference], by: str) -> Call:
    """One call that sets what differs at one channel, if the unit is still as it was seen."""
    values = {d.setting: d.wanted for d in rows}
    expect = {d.setting: d.there for d in rows if d.there is not None}
    return Call("set", {"channel": rows[0].key[1], "values": values, "expect": expect}, by)


def by_channel(rows: Sequence[Difference]) -> dict[Key, list[Difference]]:
    """Differences by channel."""
    found: dict[Key, list[Difference]] = {}
    for row in rows:
        found.setdefault(row.key, []).append(row)
    return found


def as_signed(
    links: Iterable[Link], keys: Mapping[int, Key], signed: Mapping[str, Mapping[str, Any]],
    there: Callable[[Key], Fields],
) -> list[Difference]:  # fmt: skip
    """What would put units back to how they were when the show was signed off: only what a unit still tells and that is
    other now."""
    found: list[Difference] = []
    for link in links:
        key, wanted = keys.get(link.id), signed.get(str(link.id), {})
        has = there(key) if key else {}
        if key and has:
            found += differences(link, key, {k: v for k, v in wanted.items() if k in has}, has)
    return found
