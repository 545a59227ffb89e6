"""What may be done when a step fails: the pack that is in the way, another frequency, a spare that is proven."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from azven.book.records import ProofStep
from azven.work.prove.here import RacksHere, ShowNow
from azven.work.prove.proofs import Lane
from azven.work.prove.steps import Judged

Deed = Literal["look at", "plan", "spare", "racks", "sync"]
_MOST = 3


@dataclass(frozen=True)
class Offer:
    """A button: its title, what it does, and with which link."""

    title: str
    deed: Deed
    link_id: int = 0


def offers(here: RacksHere, now: ShowNow, lane: Lane, step: ProofStep, judged: Judged) -> list[Offer]:
    """What may be done about a step that fails, or where something is heard, the likeliest first."""
    if judged.state != "fails" and not judged.disturbed:
        return []
    found: list[Offer] = []
    if step == "off":
        found += [Offer(f"See {x.link.name}, which is on it", "look at", x.link.id) for x in _astray(here, now, lane)]
        found.append(Offer("Another frequency, in Plan", "plan", lane.link.id))
    key = now.keys.get(lane.link.id)
    if step in ("on", "tone") and key is not None and here.live.now(key).get("enc") == "differs":
        found.append(Offer("Sync again", "sync", lane.link.id))
    if step == "band":
        found.append(Offer("Set its band, in Racks", "racks", lane.link.id))
    found += [Offer(f"Take {x.link.name}, which is proven", "spare", x.link.id) for x in _spares(now.lanes, lane)]
    return found[:_MOST]


def _astray(here: RacksHere, now: ShowNow, lane: Lane) -> list[Lane]:
    """Our other links whose transmitters say that they are on this frequency."""
    freq = now.freq_hz.get(lane.link.id)
    return [
        x for x in now.lanes
        if x.link.id != lane.link.id and (key := now.keys.get(x.link.id)) and freq is not None
        and here.live.now(key).get("txf") == freq
    ]  # fmt: skip


def _spares(lanes: Sequence[Lane], lane: Lane) -> list[Lane]:
    """Spares of the same model that have been proven."""
    return [
        x for x in lanes
        if x.link.spare and x.proven and x.link.id != lane.link.id and x.link.model_id == lane.link.model_id
    ]  # fmt: skip
