"""Others on shared bands: their channels as people write them, typed one by one or pasted as rows."""

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass, replace

from azven.book.edits import Edit, add
from azven.book.formats.rows import rows_of
from azven.book.records import Occupant
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf import band24, bands, dect, dfs
from azven.work import ground
from azven.work.plan.shared import occupants
from azven.work.scope import Scope
from azven.work.wording import listed

_RLAN_HZ = {"20": 16_600_000, "40": 36_000_000, "80": 76_000_000}
_JOINED = {"20": 1, "40": 2, "80": 4}
_DECT_HZ = 1_728_000
_NUMBER = r"(\d+[.,]?\d*|[.,]\d+)\s*(?:mhz)?"
_MHZ = re.compile(rf"^{_NUMBER}(?:\s*[/x]\s*{_NUMBER})?$", re.IGNORECASE)
_MOST = 2_000
_HEADINGS = {"name", "ssid", "network", "who", "access point"}


def read_channel(text: str) -> tuple[int, int]:
    """Centre and occupied width [Hz] of what people write: `6`, `6 40+`, `44`, `44 80`, `c5`, `2474`, `2474 / 6` (MHz
    and width). Refusal for anything else."""
    said = text.strip().casefold().removeprefix("channel").removeprefix("ch").strip()
    if match := re.fullmatch(r"c(\d)", said):
        return dect.carriers_hz("europe")[::-1][int(match[1])], _DECT_HZ
    number, _, mode = said.partition(" ")
    if number.isdigit() and int(number) < 200:
        return _wifi(int(number), mode.strip(), text)
    if match := _MHZ.match(said):
        centre, width = (float((p or "0").replace(",", ".")) for p in match.groups())
        if 300 <= centre <= 100_000 and 0 <= width <= 500:
            return round(centre * 1e6), round(width * 1e6) or 16_600_000
    raise Refusal(f"“{text.strip()[:40]}” is no channel: write 6, 6 40+, 44, or a centre in MHz such as 2474 / 6.")


def _wifi(number: int, mode: str, text: str) -> tuple[int, int]:
    try:
        if number <= 13:
            span = band24.wifi(number, mode or "20")
            return round(span.centre_hz), round(span.width_hz)
    except ValueError as error:
        raise Refusal(f"“{text.strip()[:40]}”: {error}.") from None
    found = _block(number, _JOINED.get(mode or "20", 0))
    if found is not None:
        return round(found), _RLAN_HZ[mode or "20"]
    raise Refusal(f"There is no channel {text.strip()[:40]}: 1 to 13 at 2.4 GHz, 36 to 165 at 5 GHz.")


def _block(number: int, count: int) -> float | None:
    """Centre [Hz] of so many neighbouring channels at 5 GHz that hold a channel, or are called by the number in their
    middle; None where there is no such block."""
    for first, last in ((36, 64), (100, 144), (149, 165)):
        run = [n for n in bands.RLAN_CHANNELS if first <= n <= last]
        for i in range(0, len(run) - count + 1, count) if count else ():
            block = run[i : i + count]
            middle: float = sum(block) / count
            if number in block or number == middle:
                return float(dfs.centre_hz(0) + 5_000_000 * middle)
    return None


def channel_text(stranger: Occupant) -> str:
    """The channel as people write it."""
    centre, width = stranger.centre_hz, stranger.width_hz
    band = bands.of(centre).name
    if band == bands.ISM:
        for n in range(1, 14):
            if (centre, width) == read_channel(str(n)):
                return str(n)
            if n <= 9 and (centre, width) == read_channel(f"{n} 40+"):
                return f"{n} 40+"
    elif band == bands.RLAN and (centre - 5_000_000_000) % 5_000_000 == 0:
        mode = next((m for m, w in _RLAN_HZ.items() if w == width), "")
        if mode:
            return f"{(centre - 5_000_000_000) // 5_000_000}{'' if mode == '20' else f' {mode}'}"
    elif band == bands.DECT and centre in dect.carriers_hz("europe"):
        return f"c{dect.carriers_hz('europe')[::-1].index(centre)}"
    return f"{centre / 1e6:g} / {width / 1e6:g}"


def read_level(text: str) -> float:
    """A level [dBm]; Refusal where it cannot be meant."""
    try:
        level = float(text.strip().casefold().removesuffix("dbm").replace("−", "-").replace(",", "."))
    except ValueError:
        raise Refusal(f"“{text.strip()[:40]}” is no level in dBm.") from None
    if not -150 <= level <= 30:
        raise Refusal(f"{text.strip()[:40]} dBm is no level that arrives at an antenna: between −150 and 30.")
    return level


def read_duty(text: str) -> float:
    """A share of time from per cent; Refusal where it is none."""
    try:
        share = float(text.strip().removesuffix("%").replace(",", ".")) / 100
    except ValueError:
        raise Refusal(f"“{text.strip()[:40]}” is no share of time in per cent.") from None
    if not (math.isfinite(share) and 0 <= share <= 1):
        raise Refusal(f"{text.strip()[:40]} % is no share of time: from 0 to 100.")
    return share


def read_place(text: str) -> tuple[float, ...]:
    """A place (x, y, z) [m], two metres up where no height is said; nothing for nothing. Refusal for anything else."""
    parts = [p for p in re.split(r"[;\s]+", text.replace("−", "-").strip()) if p]
    try:
        place = tuple(float(p.strip(",").replace(",", ".")) for p in parts)
    except ValueError:
        place = (0.0,)
    if not place:
        return ()
    if len(place) not in (2, 3) or not all(map(math.isfinite, place)):
        raise Refusal(f"“{text.strip()[:40]}” is no place: metres as x y, or x y z.")
    return place if len(place) == 3 else (*place, 2.0)


def add_other(store: Store, scope: Scope, name: str, channel: str, level: str, duty: str = "100") -> Edit:
    """Somebody else on a shared band. Refusal where channel, level or share of time cannot be meant."""
    if not name.strip():
        raise Refusal("It needs a name, as the network calls itself.")
    stranger = _stranger(scope, name, channel, level, duty)
    return _adding(store, scope, [stranger])


def _stranger(scope: Scope, name: str, channel: str, level: str, duty: str) -> Occupant:
    centre, width = read_channel(channel)
    if not bands.of(centre).shared:
        raise Refusal(f"{centre / 1e6:g} MHz lies in no band that is shared; a neighbour there belongs into Ground.")
    return Occupant(site_id=scope.site, name=name.strip(), centre_hz=centre, width_hz=width,
                    level_dbm=read_level(level), duty=read_duty(duty or "100"))  # fmt: skip


def _adding(store: Store, scope: Scope, found: Sequence[Occupant]) -> Edit:
    known = occupants(store, scope)
    first, taken = store.reserve(len(found)), [o.name for o in known]
    new = []
    for i, stranger in enumerate(found):
        name = ground.unused(stranger.name, taken)
        taken.append(name)
        new.append(replace(stranger, id=first + i, name=name, position=len(known) + i))
    title = f"Add {new[0].name}" if len(new) == 1 else f"Add {len(new)} others on shared bands"
    return Edit(title, add(*new), tuple(o.id for o in new))


@dataclass(frozen=True)
class PastedOthers:
    """What pasting rows would do: the edit, how many, and what was left out, with the reason."""

    edit: Edit
    used: int
    refused: tuple[str, ...]

    def sentence(self) -> str:
        left = f" Left out: {listed(list(self.refused), 3)}" if self.refused else ""
        return f"{self.used} others pasted.{left}"


def paste(store: Store, scope: Scope, text: str) -> PastedOthers:
    """Rows with a name, a channel, a level and perhaps a share of time in per cent, split by tabs, semicolons or
    commas; a row of headings is passed over. What cannot be read is left out and said."""
    found, refused = list[Occupant](), list[str]()
    separator = next((s for s in "\t;," if s in text), "\t")
    for i, row in enumerate(rows_of(text, separator)[:_MOST], start=1):
        cells = [c.strip() for c in row]
        if not any(cells) or cells[0].casefold() in _HEADINGS:
            continue
        try:
            if len(cells) < 3:
                raise Refusal("a name, a channel and a level are needed.")
            found.append(_stranger(scope, cells[0] or f"row {i}", cells[1], cells[2], cells[3] if cells[3:] else ""))
        except Refusal as why:
            refused.append(f"row {i}, {why}")
    edit = _adding(store, scope, found) if found else Edit("Nothing", ())
    return PastedOthers(edit, len(found), tuple(refused))
