"""The racks that this desk is connected to: what they are, what they show, what they are asked."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from azven.book.records import ListedRack, Neighbour, Occupant, ProofStep, Wanted, Zone
from azven.book.store import Store
from azven.gear.racks import tokens
from azven.gear.racks.adapters import schemes
from azven.gear.racks.address import address
from azven.gear.racks.calls import Call
from azven.gear.racks.card import ChannelCard
from azven.gear.racks.hub import Hub
from azven.gear.racks.link import RackLink
from azven.gear.racks.trust import Trust
from azven.gear.racks.values import Fields
from azven.work import ground, plan
from azven.work.kit import patch
from azven.work.prove import channels, judging, sending, suspects
from azven.work.prove.channels import Known
from azven.work.prove.needs import Needs, needs
from azven.work.prove.proofs import Lane, lanes
from azven.work.prove.reckoned import Reckoning
from azven.work.prove.steps import HOLD_S, Judged, Seen
from azven.work.scope import Scope
from azven.work.watch.ears import Ears
from azven.work.watch.live import LiveBoard
from azven.work.watch.traces import Key, Traces

_LOOKED_BACK_S = 20.0


@dataclass(frozen=True)
class ShowNow:
    """What proving needs of the book, read once: lanes, channels, frequencies, what units should be set to."""

    lanes: tuple[Lane, ...]
    keys: Mapping[int, Key]
    freq_hz: Mapping[int, int]
    wanted: Mapping[int, Mapping[str, object]]
    zones: Mapping[int, Zone]
    needs: Needs
    neighbours: tuple[Neighbour, ...] = ()
    occupants: tuple[Occupant, ...] = ()
    inputs: Mapping[int, str] = field(default_factory=dict)
    """Where the audio of each link goes at the console, for in-ears where it comes from."""
    reckoning: Reckoning | None = None

    def lane(self, link_id: int) -> Lane | None:
        return next((x for x in self.lanes if x.link.id == link_id), None)


def show_now(store: Store, scope: Scope) -> ShowNow:
    """Read all of it."""
    placed = plan.assignments(store, scope)
    return ShowNow(
        tuple(lanes(store, scope)), channels.mapped(store, scope), {k: a.freq_hz for k, a in placed.items()},
        {w.link_id: w.settings for w in store.all(Wanted, show_id=scope.show)},
        {z.id: z for z in ground.zones(store, scope)}, needs(store, scope),
        tuple(store.all(Neighbour, site_id=scope.site)), tuple(store.all(Occupant, site_id=scope.site)),
        patch.inputs(store, scope), Reckoning(store, scope),
    )  # fmt: skip


class RacksHere:
    """A hub with what its racks show. `synced` is what the last sync of a channel said."""

    def __init__(self, who: str, trust: Path | None = None) -> None:
        self.live = LiveBoard()
        self.ears = Ears(self.live)
        self.hub = Hub(self.ears, Trust(trust), client=f"Azven, {who}")
        self.who = who
        self.synced: dict[Key, Fields] = {}
        self._tuned: dict[Key, tuple[object, float]] = {}

    def dial(self, listed: Sequence[ListedRack]) -> None:
        """Keep links to the racks of a list, and to no others."""
        wanted = {str(address(r.address, schemes())) for r in listed if r.address}
        for link in self.hub.links:
            if link.address not in wanted:
                self.hub.remove(address(link.address, schemes()))
        for text in sorted(wanted):
            self.hub.add(address(text, schemes()), tokens.stored(text))

    def give_token(self, where: str, token: str) -> str:
        """A token for the rack at an address: it is dialled anew with it. Returns where the token is kept, in words."""
        kept = tokens.store(where, token)
        there = address(where, schemes())
        self.hub.remove(there)
        self.hub.add(there, token)
        return (
            "The token is in the keyring of this system."
            if kept
            else "There is no keyring: it is kept until you leave."
        )

    def trust_again(self, where: str, rack: str) -> None:
        """Whatever certificate a rack shows next is the right one."""
        self.hub.trust.forget(where, rack or None)
        self.hub.ask_again(where)

    def stop(self) -> None:
        self.hub.stop()

    def known(self) -> list[Known]:
        """Racks whose card was taken, live or not."""
        return [Known(x.card, x.settings) for x in self.hub.links if x.card is not None]

    def firmware(self) -> dict[str, str]:
        """What the racks run, by their ids, as far as they say it."""
        return {k.card.id: k.card.firmware for k in self.known() if k.card.firmware}

    def link_at(self, where: str) -> RackLink | None:
        return next((x for x in self.hub.links if x.address == where), None)

    def heard(self, rack: str) -> bool:
        """Whether a rack sends frames now."""
        link = self.hub.link(rack)
        return link is not None and link.ready and link.state == "live"

    def settings(self, key: Key) -> Fields:
        """What a channel is set to, as far as it was read."""
        link = self.hub.link(key[0])
        return dict(link.settings.get(key[1], {})) if link else {}

    def card(self, key: Key) -> ChannelCard | None:
        """What a channel is."""
        link = self.hub.link(key[0])
        return link.card.channel(key[1]) if link and link.card else None

    def ask(self, key: Key, method: str, ended: Callable[[Call], None], **params: object) -> None:
        """Ask for something on a channel; `ended` is called on the hub's thread."""
        self.hub.call(key[0], Call(method, {"channel": key[1], **params}, self.who, ended=ended))

    # judging

    def wanted(self, now: ShowNow, lane: Lane) -> Fields:
        """How a link's unit is to be set, as far as it can be."""
        key = now.keys.get(lane.link.id)
        card = self.card(key) if key else None
        more, freq_hz = now.wanted.get(lane.link.id, {}), now.freq_hz.get(lane.link.id)
        return sending.wanted_of(lane.link, freq_hz, more, card)

    def seen(self, now: ShowNow, lane: Lane, school: str = "low") -> Seen:
        """All that a step of a link is judged by, now."""
        link, key = lane.link, now.keys.get(lane.link.id)
        card = self.card(key) if key else None
        return Seen(
            name=link.name, freq_hz=now.freq_hz.get(link.id), model=lane.model, card=card,
            settings=self.settings(key) if key else {}, status=self.live.now(key) if key else {},
            traces=self._traces(key) if key else None,
            need=now.needs.of(lane.model, now.zones[link.zone_id]), wanted=self.wanted(now, lane),
            synced=self.synced.get(key, {}) if key else {}, heard=bool(key) and self.heard(key[0]) if key else False,
            on_channel=card is not None, gain_school=school, at_console=now.inputs.get(link.id, ""),
            reckoned_db=self._reckoned(now, lane),
        )  # fmt: skip

    def _reckoned(self, now: ShowNow, lane: Lane) -> float | None:
        if now.reckoning is None:
            return None
        return now.reckoning.on_stage(now.zones[lane.link.zone_id], lane.model, now.freq_hz.get(lane.link.id))

    def _traces(self, key: Key) -> Traces:
        """The last seconds of a channel, and nothing of what it heard before it was on the frequency that it is on."""
        now_s, freq = self.hub.now(), self.settings(key).get("freq_hz")
        if key not in self._tuned or self._tuned[key][0] != freq:
            self._tuned[key] = freq, now_s
        return self.live.traces(key, min(_LOOKED_BACK_S, now_s - self._tuned[key][1]), now_s)

    def judged(self, now: ShowNow, lane: Lane, step: ProofStep, school: str = "low") -> Judged:
        """How a step stands."""
        return self.judged_of(now, lane, step, self.seen(now, lane, school))

    def judged_of(self, now: ShowNow, lane: Lane, step: ProofStep, seen: Seen) -> Judged:
        """How a step stands by what is seen; where something is heard that should not be, with who it could be."""
        found = judging.judge(step, seen)
        if not found.disturbed or seen.freq_hz is None:
            return found
        others = [x for x in self._on_air(now) if x.link.id != lane.link.id]
        named = suspects.suspects(seen.freq_hz, others, now.neighbours, now.occupants)
        stranger = (
            "Nothing of ours that is heard and no known neighbour fits: a stranger, or a pack of ours that strayed."
        )
        who = f"It could be {'; or '.join(named)}." if named else stranger
        return replace(found, said=f"{found.said} {who}")

    def _on_air(self, now: ShowNow) -> list[suspects.OnAir]:
        """Our links whose transmitters are heard now, where they are."""
        on = [x.link for x in now.lanes if (k := now.keys.get(x.link.id)) and self.live.now(k).get("tx") == "on"]
        return [suspects.OnAir(x, now.freq_hz[x.id]) for x in on if x.id in now.freq_hz]

    def differences(self, now: ShowNow, only: set[int] | None = None) -> list[sending.Difference]:
        """What differs between the units and what they should be set to, of links that are on a channel."""
        found: list[sending.Difference] = []
        for lane in now.lanes:
            key = now.keys.get(lane.link.id)
            there = self.settings(key) if key else {}
            if key and there and (only is None or lane.link.id in only):
                found += sending.differences(lane.link, key, self.wanted(now, lane), there)
        return found


def goes_on(judged: Judged) -> bool:
    """Whether a step may go on by itself: it is measured, and has held long enough."""
    return judged.state == "holds" and judged.held_s >= HOLD_S
