"""The open format `azven-site-bundle` 1: what is known of a site, as a zip of JSON and CSV without any code.

`site.json` holds the site, rooms, relations, neighbours and thresholds; `sweeps/NN.csv` the sweeps in the sweep
format. Reading never unpacks to disk, bounds what it takes, and keeps what it can use.
"""

import json
import zipfile
import zlib
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Any

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from azven.book.formats import sweep_csv
from azven.book.formats.errors import FormatError, short
from azven.book.formats.plan_request import Hertz
from azven.book.formats.reading import Document, parse
from azven.book.formats.sweep_csv import SweepFile
from azven.book.formats.whole import written_whole

NAME, VERSION = "azven-site-bundle", 1
_LARGEST_SITE = 5_000_000
_MOST_SWEEPS, _MOST_IN_ALL = 2_000, 300_000_000
"""Sweeps, and bytes of their text, that are taken in at most."""
_MOST_ROOMS, _MOST_NEIGHBOURS = 1_000, 10_000
UNREADABLE = (zipfile.BadZipFile, zlib.error, RuntimeError, EOFError)
"""What a member that is damaged, locked or packed in another way raises."""
Text = Annotated[str, Field(max_length=2_000)]


class RoomDocument(Document):
    """A room; where it has an `id`, relations and neighbours name it by that, else by its name."""

    name: Text
    id: Text = ""
    note: Text = ""
    near_m: float = 5.0
    far_m: float = 30.0
    between_m: float = 2.0
    exponent: float = 20.0
    height_m: float = 6.0
    shape: list[list[float]] = []


class RelationDocument(Document):
    rooms: list[Text]
    relation: Text
    wall_loss_db: float | None = None


class NeighbourDocument(Document):
    name: Text
    freq_hz: Hertz
    room: Text = ""
    kind: Text = "neighbour"
    spacing_hz: Hertz = 300_000
    mixes: bool = False
    contact: Text = ""
    note: Text = ""
    hours: Text = ""


class SiteDocument(Document):
    """What `site.json` says."""

    format: str
    version: int
    name: Text
    note: Text = ""
    made: Text = ""
    time_zone: Text = "UTC"
    thresholds: dict[str, float] = {}
    rooms: Annotated[list[RoomDocument], Field(max_length=_MOST_ROOMS)] = []
    relations: Annotated[list[RelationDocument], Field(max_length=_MOST_NEIGHBOURS)] = []
    neighbours: Annotated[list[NeighbourDocument], Field(max_length=_MOST_NEIGHBOURS)] = []


class Bundle:
    """A bundle in memory: the site, sweeps with their file names, and a line for everything that was not usable."""

    def __init__(self, site: SiteDocument, sweeps: list[tuple[str, SweepFile]], refused: list[str]) -> None:
        self.site, self.sweeps, self.refused = site, sweeps, refused


SweepPart = tuple[NDArray[np.int64], NDArray[np.float64], dict[str, str]]
"""A sweep: frequencies [Hz], levels [dBm], metadata."""
Parts = tuple[dict[str, Any], Sequence[SweepPart]]
"""What a bundle is made of: the site, and sweeps."""


def write(path: Path, site: dict[str, Any], sweeps: Sequence[SweepPart]) -> None:
    """Write a bundle."""
    with written_whole(path) as fresh, zipfile.ZipFile(fresh, "w", zipfile.ZIP_DEFLATED) as bundle:
        write_into(bundle, site, sweeps)


def write_into(bundle: zipfile.ZipFile, site: dict[str, Any], sweeps: Sequence[SweepPart]) -> None:
    """Write what makes a bundle into a zip."""
    document = {"format": NAME, "version": VERSION, **site}
    bundle.writestr("site.json", json.dumps(document, ensure_ascii=False, indent=1))
    for number, (freq, level, metadata) in enumerate(sweeps, start=1):
        bundle.writestr(f"sweeps/{number:04d}.csv", sweep_csv.text(freq, level, metadata))


def read(path: Path) -> Bundle:
    """A checked bundle; FormatError in one line when nothing of it can be used."""
    try:
        with zipfile.ZipFile(path) as bundle:
            site = _site(bundle)
            names = sorted(n for n in bundle.namelist() if n.startswith("sweeps/") and n.endswith(".csv"))
            sweeps, refused = _sweeps(bundle, names)
    except FormatError:
        raise
    except (*UNREADABLE, OSError, ValueError) as error:
        raise FormatError(f"{path.name} is not a site bundle ({error})") from error
    return Bundle(site, sweeps, refused)


def _site(bundle: zipfile.ZipFile) -> SiteDocument:
    try:
        data = member(bundle, "site.json", _LARGEST_SITE)
        return parse(SiteDocument, json.loads(data), NAME, VERSION)
    except KeyError:
        raise FormatError("site.json: is missing") from None
    except FormatError:
        raise
    except (ValueError, RecursionError) as error:
        raise FormatError(f"site.json: {error}") from error


def _sweeps(bundle: zipfile.ZipFile, names: Sequence[str]) -> tuple[list[tuple[str, SweepFile]], list[str]]:
    out: list[tuple[str, SweepFile]] = []
    beyond = len(names) - _MOST_SWEEPS
    refused = [f"{beyond} sweeps beyond the first {_MOST_SWEEPS}"] if beyond > 0 else []
    left = _MOST_IN_ALL
    for name in names[:_MOST_SWEEPS]:
        try:
            data = member(bundle, name, min(sweep_csv.LARGEST, left))
            left -= len(data)
            out.append((name, sweep_csv.parse(data.decode("utf-8", "replace"))))
        except (FormatError, *UNREADABLE) as error:
            refused.append(f"{short(name)}: {error}")
    return out, refused


def member(bundle: zipfile.ZipFile, name: str, most: int) -> bytes:
    """A member's content; FormatError when it claims or turns out to be larger than `most` bytes."""
    if bundle.getinfo(name).file_size > most:
        raise FormatError(f"{name}: larger than {most // 1_000_000} MB")
    with bundle.open(name) as file:
        data = file.read(most + 1)
    if len(data) > most:
        raise FormatError(f"{name}: larger than {most // 1_000_000} MB")
    return data
