"""Hardware groups for the kit at hand: tables computed for a model, tables read from CSV, judged here."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from azven.book.formats.reading import read_bytes
from azven.book.formats.rows import LARGEST, as_csv, rows_of
from azven.book.records import Model
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf import groups
from azven.rf.coordinate import lane
from azven.rf.coordinate.plan import carriers_of
from azven.rf.density import at_density
from azven.rf.groups import GroupVerdict
from azven.rf.request import Profile, Range, Request
from azven.work import ground, ids
from azven.work.plan.board import Board, Progress
from azven.work.scope import Scope

Table = dict[str, tuple[int, ...]]


def profile_of(store: Store, scope: Scope, model: Model) -> Profile:
    """Spacing and guards of a model at the show's density."""
    return at_density(Profile(model.spacing_hz, model.guard_hz), ground.here(store, scope).show.density)


def compute(
    board: Board, model: Model, band: str, room: str, profile: Profile, count: int, size: int, progress: Progress
) -> Table:
    """Groups for a tuning band of a model, of steps that are free in the room with the id `room`; of all steps where
    none is."""
    low, high = next((b[1], b[2]) for b in model.bands if b[0] == band)
    allowed = _runs(_free_steps(board, model, band, room), model.step_hz) or None
    return groups.compute(low, high, model.step_hz, profile, count, size, progress=progress, allowed=allowed)


def _runs(steps: set[int], step_hz: int) -> tuple[Range, ...]:
    """Ranges of steps [Hz] that follow one another."""
    begins = sorted(f for f in steps if f - step_hz not in steps)
    ends = sorted(f for f in steps if f + step_hz not in steps)
    return tuple(map(Range, begins, ends))


def read(path: Path) -> tuple[Table, list[str]]:
    """A table from CSV with the columns group and frequency (a channel column is allowed), and refused lines.

    Frequencies in MHz or Hz. Refusal when no line could be used or the file cannot be read.
    """
    text = read_bytes(path, LARGEST).decode("utf-8-sig", errors="replace")
    separator = max(",;\t", key=text[:2_000].count)
    rows = rows_of(text, separator)
    out: dict[str, list[int]] = {}
    refused: list[str] = []
    for number, cells in enumerate(rows, start=1):
        cells = [c.strip() for c in cells if c.strip()]
        freq = _hertz(cells[-1]) if len(cells) >= 2 else None
        if freq is None:
            if number > 1 and cells:
                refused.append(f"line {number}: no group with a frequency")
            continue
        out.setdefault(cells[0], []).append(freq)
    if not out:
        raise Refusal(f"{path.name} holds no line with a group and a frequency; nothing was read.")
    return {name: tuple(sorted(set(freqs))) for name, freqs in out.items()}, refused


def _hertz(text: str) -> int | None:
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        return None
    if not math.isfinite(value):
        return None
    hertz = value * 1e6 if value < 1e5 else value
    return round(hertz) if 1e6 <= hertz <= 1e11 else None


def write(table: Mapping[str, tuple[int, ...]]) -> str:
    """The table as CSV: group, channel, MHz."""
    return as_csv(("group", "channel", "frequency_mhz"), (
        (name, channel, f"{freq / 1e6:.4f}")
        for name, freqs in table.items() for channel, freq in enumerate(freqs, start=1)
    ))  # fmt: skip


@dataclass(frozen=True)
class Judged:
    """A table judged in a room: groups best first, and a warning where links of the room use several groups."""

    groups: tuple[GroupVerdict, ...]
    warning: str
    advice: str


def judge(table: Table, profile: Profile, board: Board, model: Model, band: str, room: str) -> Judged:
    """Which groups are free in the room with the id `room`, beside everything but the links of that model there, and
    what mixing costs."""
    free = _free_steps(board, model, band, room)
    found = tuple(groups.judge(table, profile, free.__contains__))
    mates = [n for n, x in board.input.links.items() if x.model_id == model.id and board.input.wish(n).zone == room]
    used = groups.mixed(table, [board.frequencies[n] for n in mates if n in board.frequencies])
    warning = ""
    if len(used) > 1:
        names = ", ".join(f"{n} from group {g}" for g, n in used.items())
        where = board.input.name(room)
        warning = f"Links in {where} use {len(used)} groups ({names}): groups are only clean within themselves."
    advice = "No group has a free channel here."
    if found and found[0].free_hz:
        best = found[0]
        advice = f"Take group {best.name}: {len(best.free_hz)} of its {len(best.freq_hz)} channels are free here."
    return Judged(found, warning, advice)


def _free_steps(board: Board, model: Model, band: str, room: str) -> set[int]:
    """Steps of the band that are free in the room when the model's own links there are out of the way."""
    request = board.input.request
    like = next(
        (board.input.wish(n) for n, x in board.input.links.items()
         if x.model_id == model.id and x.band == band and board.input.wish(n).zone == room),
        None,
    )  # fmt: skip
    if like is None:
        low, high = next((b[1], b[2]) for b in model.bands if b[0] == band)
        like = Request(id="group", profile=ids.of(model), zone=room, ranges=(Range(low, high),), step_hz=model.step_hz)
    mates = {n for n, x in board.input.links.items() if x.model_id == model.id and board.input.wish(n).zone == room}
    others = [c for c in carriers_of(request, dict(board.frequencies)) if c.id not in mates]
    return set(lane(request, like, others).free.tolist())
