"""What can be done from a watch: each deed says what it changes from what to what, asks once, and is read back."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from azven.book.edits import Edit
from azven.book.records import Link
from azven.book.store import Store
from azven.gear.racks.card import ChannelCard
from azven.gear.racks.values import Fields
from azven.work import ids, plan
from azven.work.scope import Scope
from azven.work.watch.cases import Case
from azven.work.watch.traces import Key
from azven.work.watch.watched import Watched
from azven.work.wording import mhz

Method = Literal["set", "sync", "locate"]
LOCATE_S, SYNC_S = 10, 60
_GAIN_STEP_DB, _CLIP_DB = 3, 6
HEARING = (
    "Loud sound in the ear harms hearing for good. Ask the wearer, go in small steps; the limit of a pack does not say "
    "what arrives at the ear."
)


@dataclass(frozen=True, kw_only=True)
class Deed:
    """One call to one channel. `values` are what it sets, `expect` what is there as far as it was read; `order` is what
    the person at the pack is told in large letters, empty where nobody need do anything; `spare` the link whose
    frequency is exchanged in the plan."""

    title: str
    effect: str
    key: Key
    link: int
    method: Method = "set"
    values: Mapping[str, Any] = field(default_factory=dict)
    expect: Mapping[str, Any] = field(default_factory=dict)
    params: Mapping[str, Any] = field(default_factory=dict)
    order: str = ""
    caution: str = ""
    spare: int = 0

    @property
    def call(self) -> dict[str, Any]:
        """Parameters of the call."""
        if self.method == "set":
            return {"values": dict(self.values), **({"expect": dict(self.expect)} if self.expect else {})}
        return dict(self.params)


@dataclass(frozen=True)
class Channel:
    """A link's channel as it was read: its card and settings, and what its pack says."""

    key: Key
    card: ChannelCard
    settings: Fields
    status: Fields

    def can(self, what: str) -> bool:
        return what in self.card.can


def offers(watched: Watched, case: Case, channels: Mapping[int, Channel], planned: Mapping[int, int]) -> list[Deed]:
    """What may be done about a case, the best first. `channels` and `planned` frequencies [Hz] by link number."""
    link = watched.called(case.links[0])
    if link is None or link.id not in channels:
        return []
    there = channels[link.id]
    cause, found = case.incident.cause, list[Deed | None]()
    spare = watched.called(case.incident.spare) if case.incident.spare else None
    if len(case.links) == 1 and spare is not None and spare.id in planned:
        found.append(_to_spare(link, there, spare, planned[spare.id]))
    if cause in ("frequency", "unsent") and link.id in planned:
        found += [_push(link, there, planned[link.id]), _sync(link, there)]
    if cause == "clip":
        found.append(gain(link, there, -_CLIP_DB))
    if cause == "muted":
        found += [_lock(link, there, True), _locate(link, there)]
    if cause in ("headphone", "quiet", "switched-off") or (cause == "battery" and not case.ahead):
        found.append(_locate(link, there))
    return [d for d in found if d is not None]


def of_link(link: Link, there: Channel, planned_hz: int | None) -> list[Deed]:
    """What may be done with a link at any time."""
    found: list[Deed | None] = [_locate(link, there)]
    if planned_hz is not None:
        found.append(_push(link, there, planned_hz))
    found += [_sync(link, there), _lock(link, there, not there.settings.get("mute_lock"))]
    found += [gain(link, there, -_GAIN_STEP_DB), gain(link, there, _GAIN_STEP_DB)]
    for setting, title, by_db in (
        ("volume_db", "Volume", -_GAIN_STEP_DB), ("volume_db", "Volume", _GAIN_STEP_DB),
        ("volume_max_db", "Loudest allowed", -_GAIN_STEP_DB),
    ):  # fmt: skip
        found.append(_ear(link, there, setting, title, by_db))
    return [d for d in found if d is not None]


def exchanged(store: Store, scope: Scope, deed: Deed) -> Edit:
    """The plan after going to a spare: the link has the spare's frequency, the spare the link's."""
    placed = plan.assignments(store, scope)
    mine, other = ids.key(Link, deed.link), ids.key(Link, deed.spare)
    swapped = {mine: placed[deed.spare].freq_hz}
    if deed.link in placed:
        swapped[other] = placed[deed.link].freq_hz
    return plan.set_frequencies(store, scope, swapped, "Go to spare")


def _set(link: Link, there: Channel, title: str, effect: str, values: Mapping[str, Any], **more: Any) -> Deed:
    expect = {k: there.settings[k] for k in values if k in there.settings}
    return Deed(title=title, effect=effect, key=there.key, link=link.id, values=values, expect=expect, **more)


def _to_spare(link: Link, there: Channel, spare: Link, freq_hz: int) -> Deed | None:
    low, high = there.card.low_hz, there.card.high_hz
    if not there.can("freq_hz") or low is None or high is None or not low <= freq_hz <= high:
        return None
    before = there.settings.get("freq_hz")
    came = f"from {mhz(before)} " if before else ""
    effect = f"its rack goes {came}to {mhz(freq_hz)} MHz"
    order = f"{link.name}: set the pack to {mhz(freq_hz)} MHz, or hold it to the window of its rack"
    return _set(link, there, f"Go to spare {mhz(freq_hz)}", effect, {"freq_hz": freq_hz}, order=order, spare=spare.id)


def _push(link: Link, there: Channel, freq_hz: int) -> Deed | None:
    before = there.settings.get("freq_hz")
    if not there.can("freq_hz") or before == freq_hz:
        return None
    effect = f"receiver {mhz(before)} → {mhz(freq_hz)} MHz" if before else f"receiver to {mhz(freq_hz)} MHz"
    order = f"{link.name}: hold the pack to the window of its rack, it goes to {mhz(freq_hz)} MHz"
    return _set(link, there, f"Send {mhz(freq_hz)}", effect, {"freq_hz": freq_hz}, order=order)


def _sync(link: Link, there: Channel) -> Deed | None:
    if not there.can("sync"):
        return None
    freq = there.settings.get("freq_hz")
    order = f"{link.name}: hold the pack to the window of its rack" + (f", {mhz(freq)} MHz" if freq else "")
    effect = f"waits {SYNC_S} s for the pack at the window of its rack"
    return Deed(title="Sync its pack", effect=effect, key=there.key, link=link.id, method="sync",
                params={"seconds": SYNC_S}, order=order)  # fmt: skip


def _locate(link: Link, there: Channel) -> Deed | None:
    if not there.can("locate"):
        return None
    return Deed(title="Blink its lamp", effect=f"for {LOCATE_S} s; nothing is changed", key=there.key, link=link.id,
                method="locate", params={"seconds": LOCATE_S})  # fmt: skip


def _lock(link: Link, there: Channel, locked: bool) -> Deed | None:
    if not there.can("mute_lock") or there.settings.get("mute_lock") == locked:
        return None
    words = "Lock its switch" if locked else "Unlock its switch"
    effect = f"the mute switch {'does nothing' if locked else 'works'} from now on"
    return _set(link, there, words, effect, {"mute_lock": locked})


def gain(link: Link, there: Channel, by_db: int) -> Deed | None:
    """Gain at the receiver, inside its limits; None where it cannot be set or is at its end."""
    return _step(link, there, "gain_db", "Gain", by_db)


def _ear(link: Link, there: Channel, setting: str, title: str, by_db: int) -> Deed | None:
    return _step(link, there, setting, title, by_db, HEARING if by_db > 0 else "")


def _step(link: Link, there: Channel, setting: str, title: str, by_db: int, caution: str = "") -> Deed | None:
    before = there.settings.get(setting)
    if not there.can(setting) or not isinstance(before, int | float):
        return None
    limits: Sequence[Any] = there.card.limits.get(setting, ())
    low, high = (limits[0], limits[1]) if len(limits) >= 2 else (-200, 200)
    if setting == "volume_db":
        low, high = (there.settings.get(k, x) for k, x in (("volume_min_db", low), ("volume_max_db", high)))
    after = min(max(before + by_db, low), high)
    if after == before:
        return None
    effect, moved = f"{_signed(before)} → {_signed(after)} dB", _signed(after - before, plus=True)
    return _set(link, there, f"{title} {moved} dB", effect, {setting: after}, caution=caution)


def _signed(value: float, plus: bool = False) -> str:
    return f"{value:{'+' if plus else ''}g}".replace("-", "−")
