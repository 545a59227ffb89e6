"""All causes together: what a common cause explains is not told a second time, what nothing explains is `unknown`."""

from collections.abc import Iterable, Mapping, Sequence

from azven.rf.diagnose import carriers, common, floor, remedies, single
from azven.rf.diagnose.record import Incident, Record, unknown_is_unknown, with_transmitters

JOINED_S: Mapping[str, float] = dict.fromkeys(
    ("multipath", "clip", "overload", "product", "own", "foreign", "noise"), 60.0
)  # fmt: skip
FADES = {"shadow", "out-of-reach", "multipath"}
LOSSES = {"product", "own", "foreign"}
EXPLAINS: Mapping[str, set[str]] = {
    "rack": FADES | LOSSES | {"switched-off", "battery", "muted", "quiet", "headphone"},
    "system": FADES | LOSSES | {"switched-off", "battery", "branch"},
    "overload": LOSSES | {"noise", "unknown", "switched-off", "system"},
    "unknown": LOSSES,
    "noise": LOSSES | {"switched-off"},
    "product": {"switched-off"},
    "own": {"switched-off"},
    "foreign": {"switched-off"},
    "frequency": FADES | LOSSES | {"switched-off", "battery", "quiet"},
    "battery": FADES | LOSSES | {"switched-off"},
    "switched-off": FADES | LOSSES,
    "out-of-reach": LOSSES | {"shadow", "switched-off"},
}
"""What each cause does to its links by itself."""
_SLACK_S = 3.0


def diagnose(record: Record, crowds: Sequence[Incident] | None = None) -> list[Incident]:
    """Every incident of a record, in the order of time. `crowds`: rooms that fill, where they were looked for in a
    longer record already."""
    with unknown_is_unknown():
        return _diagnosed(with_transmitters(record), crowds)


def filling(record: Record) -> list[Incident]:
    """Rooms that fill, which takes minutes to see."""
    with unknown_is_unknown():
        return list(common.crowds(with_transmitters(record)))


def _diagnosed(record: Record, crowds: Sequence[Incident] | None) -> list[Incident]:
    found = [
        *common.racks(record), *common.systems(record), *common.rack_faults(record), *common.branches(record),
        *(common.crowds(record) if crowds is None else crowds), *carriers.overloads(record), *floor.noises(record),
        *carriers.single(record), *single.fields(record), *single.gone(record), *single.fades(record),
    ]  # fmt: skip
    left = _unexplained(found)
    told = joined(_of_a_leaning_side(left))
    remedies.add(record, told)
    return told


def _unexplained(found: list[Incident]) -> list[Incident]:
    """Without what another incident does to the same links at the same time."""
    out = []
    for it in found:
        by = (x for x in found if x is not it and it.cause in EXPLAINS.get(x.cause, ()))
        if not any(_covers(x, it) for x in by):
            out.append(it)
    return out


def _covers(cause: Incident, it: Incident) -> bool:
    """Whether most of an incident lies within another, and all of its links do."""
    inside = min(it.to_s, cause.to_s + _SLACK_S) - max(it.from_s, cause.from_s - _SLACK_S)
    mine = set(it.links)
    return inside >= 0.5 * max(it.to_s - it.from_s, 0.2) and len(mine & set(cause.links)) >= 0.6 * len(mine)


def _of_a_leaning_side(found: list[Incident]) -> list[Incident]:
    """Without dips of the side that a whole system has lost."""
    sides = [x for x in found if x.cause == "branch"]
    return [
        x for x in found
        if not (x.cause == "multipath" and any(_covers(y, x) and y.detail["side"] == x.detail["side"] for y in sides))
    ]  # fmt: skip


def joined(found: Iterable[Incident]) -> list[Incident]:
    """Incidents of one cause that follow closely and share links are one."""
    out: list[Incident] = []
    for it in sorted(found, key=lambda x: (x.from_s, x.cause, x.links)):
        gap = JOINED_S.get(it.cause, 3.0)
        same = next((
            x for x in reversed(out)
            if x.cause == it.cause and set(x.links) & set(it.links) and it.from_s <= x.to_s + gap
            and (gap == 3.0 or x.detail == it.detail)
        ), None)  # fmt: skip
        if same is None:
            out.append(it)
        else:
            same.to_s = max(same.to_s, it.to_s)
            same.links = tuple(dict.fromkeys((*same.links, *it.links)))
            same.sure = max(same.sure, it.sure)
            same.evidence += [e for e in it.evidence if e not in same.evidence][:2]
    return out
