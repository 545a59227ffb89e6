"""What many takes of a show foretell: dropout seconds with their spread, worst moments, and incidents over all runs."""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from azven.rf.diagnose.record import Incident
from azven.rf.diagnose.weigh import diagnose
from azven.rf.levels import Floats
from azven.rf.rehearse.production import Act, Production
from azven.rf.rehearse.take import STEP_S, Take
from azven.rf.rehearse.truth import NAMES, Loss, losses

SAME_S, _LEAST_S, _WORST = 10.0, 1.0, 5
_NEAR_HZ = 100_000


@dataclass(frozen=True)
class Outcome:
    """A take, as far as it is needed: seconds without sound of each link (m,) and of all
    together in each minute, when batteries ended [s of the act,
    NaN: not in it], incidents and losses, and of how many of the longer losses diagnosis named the cause."""

    act: str
    seed: int
    dropout_s: Floats
    minutes_s: Floats
    battery_end_s: Floats
    incidents: tuple[Incident, ...]
    losses: tuple[Loss, ...]
    named: int
    asked: int


@dataclass(frozen=True)
class Spread:
    """A figure over many runs."""

    p10: float
    p50: float
    p90: float

    @classmethod
    def of(cls, values: Sequence[float] | Floats) -> "Spread":
        return cls(*(round(float(x), 2) for x in np.percentile(values, (10, 50, 90))))


@dataclass(frozen=True)
class Worst:
    """A long loss of a link in a run: at a moment of the act [s], for so many seconds, with its cause as diagnosis
    names it."""

    at_s: float
    seconds: float
    cause: str
    detail: str
    seed: int


@dataclass(frozen=True)
class Foretold:
    """A link in an act."""

    link: str
    dropout_s: Spread
    worst: tuple[Worst, ...]
    battery_end_s: Spread | None
    battery_share: float
    id: str = ""


@dataclass(frozen=True)
class Trouble:
    """An incident over the runs, with the share of them in which it came, and the seconds without sound that its links
    had by it in the mean of all runs; times [s of the act]."""

    act: str
    incident: Incident
    share: float
    seeds: tuple[int, ...]
    lost_s: float = 0.0


def outcome(take: Take) -> Outcome:
    """Judge a take as Watch would, and mark the judgement."""
    found = tuple(diagnose(take.record))
    lost = tuple(losses(take))
    long = [x for x in lost if x.seconds >= _LEAST_S]
    names = [x.name for x in take.record.head.links]
    named = sum(any(_tells(it, x, names[x.link]) and it.cause in NAMES[x.why] for it in found) for x in long)
    begun = take.act.from_s
    moved = tuple(replace(x, from_s=x.from_s - begun, to_s=x.to_s - begun) for x in found)
    return Outcome(take.act.id, take.seed, take.lost.sum(axis=1) * STEP_S, _minutes(take), take.ended_s - begun, moved,
                   tuple(replace(x, at_s=x.at_s - begun) for x in lost), named, len(long))  # fmt: skip


def unjudged(take: Take) -> Outcome:
    """What was lost in a take, and nothing more."""
    lost_s, ended_s = take.lost.sum(axis=1) * STEP_S, take.ended_s - take.act.from_s
    return Outcome(take.act.id, take.seed, lost_s, _minutes(take), ended_s, (), (), 0, 0)


def _minutes(take: Take) -> Floats:
    each = round(60 / STEP_S)
    lost = take.lost.sum(axis=0) * STEP_S
    return np.add.reduceat(lost, np.arange(0, len(lost), each)) if len(lost) else np.zeros(0)


def _tells(it: Incident, loss: Loss, name: str) -> bool:
    return name in it.links and it.from_s <= loss.at_s + loss.seconds + 3.0 and it.to_s >= loss.at_s - 3.0


def links(production: Production, act: Act, outcomes: Sequence[Outcome]) -> list[Foretold]:
    """Every link that plays in an act, over the runs of it."""
    out, mine = [], [x for x in outcomes if x.act == act.id]
    for i, player in enumerate(production.players):
        if not player.plays(act.id) or not mine:
            continue
        ends = [float(x.battery_end_s[i]) for x in mine if np.isfinite(x.battery_end_s[i])]
        worst = sorted((_worst(x, loss, player.name) for x in mine for loss in x.losses if loss.link == i),
                       key=lambda w: -w.seconds)[:_WORST]  # fmt: skip
        out.append(Foretold(
            player.name, Spread.of([float(x.dropout_s[i]) for x in mine]), tuple(worst),
            Spread.of(ends) if ends else None, len(ends) / len(mine), player.id,
        ))  # fmt: skip
    return out


def _worst(run: Outcome, loss: Loss, name: str) -> Worst:
    it = max((x for x in run.incidents if _tells(x, loss, name)), key=lambda x: x.sure, default=None)
    cause, said = (it.cause, it.evidence[0]) if it is not None and it.evidence else ("unknown", "")
    return Worst(round(loss.at_s, 1), loss.seconds, cause, said, run.seed)


def troubles(outcomes: Sequence[Outcome], names: Sequence[str] = ()) -> list[Trouble]:
    """Incidents over the runs: one when cause, links and detail agree and they lie within ten seconds of the same
    moment of the act; what costs most sound, first, then what comes most often. `names`: of the links, in their
    order."""
    number = {name: i for i, name in enumerate(names)}
    by_run = {(x.act, x.seed): x for x in outcomes}
    out: list[Trouble] = []
    runs: dict[str, set[int]] = {}
    for x in outcomes:
        runs.setdefault(x.act, set()).add(x.seed)
    groups: dict[tuple[str, str, tuple[str, ...], str], list[tuple[float, int, Incident]]] = {}
    for x in outcomes:
        for it in x.incidents:
            key = (x.act, it.cause, tuple(sorted(it.links)), _agreed(it.detail))
            groups.setdefault(key, []).append((it.from_s, x.seed, it))
    for (act, *_), members in groups.items():
        for part in _near(sorted(members, key=lambda m: m[:2])):
            seeds = tuple(sorted({seed for _, seed, _ in part}))
            lost_s = sum(_lost_by(it, by_run[act, seed], number) for _, seed, it in part) / len(runs[act])
            out.append(Trouble(act, _middle([it for _, _, it in part]), len(seeds) / len(runs[act]), seeds, lost_s))
    return sorted(out, key=lambda t: (-round(t.lost_s, 1), -t.share, t.act, t.incident.from_s))


def _lost_by(it: Incident, run: Outcome, number: Mapping[str, int]) -> float:
    """Seconds without sound of an incident's links in it."""
    mine = {number[name]: name for name in it.links if name in number}
    return sum(x.seconds for x in run.losses if x.link in mine and _tells(it, x, mine[x.link]))


def _agreed(detail: Mapping[str, object]) -> str:
    """What has to agree of a detail: what is named, and frequencies within 100 kHz; measured figures differ from run to
    run."""
    told = {k: v for k, v in detail.items() if not isinstance(v, float)}
    return json.dumps({k: round(v / _NEAR_HZ) if k.endswith("_hz") and isinstance(v, int) else v
                       for k, v in told.items()}, sort_keys=True)  # fmt: skip


def _near(members: list[tuple[float, int, Incident]]) -> list[list[tuple[float, int, Incident]]]:
    parts: list[list[tuple[float, int, Incident]]] = []
    for member in members:
        if parts and member[0] - parts[-1][0][0] <= SAME_S:
            parts[-1].append(member)
        else:
            parts.append([member])
    return parts


def _middle(found: Sequence[Incident]) -> Incident:
    """Incidents of several runs as one, with the figures of the one in the middle."""
    begin, end, sure = (float(np.mean([getattr(x, k) for x in found])) for k in ("from_s", "to_s", "sure"))
    return replace(found[len(found) // 2], from_s=begin, to_s=end, sure=sure)
