"""Gear that knows group tables: tables into a model, and which group a room is on."""

from pathlib import Path

from azven.book.edits import Edit
from azven.book.records import Model
from azven.refusal import Refusal
from azven.work.kit import persons
from azven.work.wording import mhz


def read_into(model: Model, path: Path) -> tuple[Edit, str]:
    """Groups of a CSV file (group, frequency) into a model, each frequency in the tuning band that holds it. Refusal
    where no frequency fits the model."""
    from azven.work.plan import group_tables

    table, refused = group_tables.read(path)
    return set_groups(model, table, len(refused))


def set_groups(model: Model, table: dict[str, tuple[int, ...]], refused: int = 0) -> tuple[Edit, str]:
    """Groups into a model, in words what was taken."""
    out: dict[str, dict[str, tuple[int, ...]]] = {}
    outside = 0
    for group, freqs in table.items():
        for freq in freqs:
            band = next((b[0] for b in model.bands if b[1] <= freq <= b[2]), None)
            if band is None:
                outside += 1
                continue
            out.setdefault(band, {})
            out[band][group] = (*out[band].get(group, ()), freq)
    if not out:
        first = next(f for freqs in table.values() for f in freqs)
        raise Refusal(f"{model.name} cannot be tuned to any of these frequencies, {mhz(first)} MHz for one.")
    count = sum(len(f) for groups in out.values() for f in groups.values())
    left = "".join([f"; {outside} frequencies outside of its bands" if outside else "",
                    f"; {refused} lines were not used" if refused else ""])  # fmt: skip
    return persons.change_all([model], "groups", groups=out), f"{count} frequencies in {len(table)} groups{left}."
