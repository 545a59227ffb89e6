"""What a watch tells by Open Sound Control: alarms as they come, links and cases as they change. `docs/osc.md` has the
addresses."""

from collections.abc import Callable, Iterator, Sequence

from azven.gear.osc import Value
from azven.work.watch import said
from azven.work.watch.cases import Alarm
from azven.work.watch.night import Seen

Send = Callable[..., None]
_UNKNOWN = -1000.0
"""Stands for a figure that is not known: OSC has no word for that."""


class Telling:
    """Sends what has changed since it was last told; all of it every so many looks, for whoever came late."""

    def __init__(self, send: Send, all_every: int = 30) -> None:
        self._send, self._every = send, all_every
        self._told: dict[str, tuple[Value, ...]] = {}
        self._looks = 0

    def alarms(self, found: Sequence[Alarm]) -> None:
        for alarm in found:
            case = alarm.case
            self._send("/azven/alarm", case.number, alarm.why, case.incident.cause, case.mark, len(case.links),
                       said.who(case), said.what(case))  # fmt: skip

    def look(self, seen: Seen) -> None:
        """Tell how it stands."""
        self._looks += 1
        if self._looks % self._every == 0:
            self._told.clear()
        for address, values in messages(seen):
            if self._told.get(address) != values:
                self._told[address] = values
                self._send(address, *values)


def messages(seen: Seen) -> Iterator[tuple[str, tuple[Value, ...]]]:
    """Every address with its values as they are now."""
    broken = sum(c.mark == "broken" for c in seen.open)
    yield "/azven/cases", (len(seen.open), broken, len(seen.in_hand))
    for i, head in enumerate(seen.watched.head.links):
        told, case, charge = seen.told(i), seen.case_of.get(head.name), seen.charge_of.get(i)
        left = charge.left.minutes if charge is not None and charge.left.minutes is not None else _UNKNOWN
        figures = (_whole(told.get(k)) for k in ("q", "a", "b"))
        yield f"/azven/link/{i + 1}", (
            head.name, case.number if case else 0, case.mark if case else "calm", *figures, round(left),
            int(bool(told.get("mute"))),
        )  # fmt: skip


def _whole(value: object) -> int:
    return round(value) if isinstance(value, int | float) else round(_UNKNOWN)
