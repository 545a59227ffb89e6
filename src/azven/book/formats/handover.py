"""The open format `azven-handover` 1: what the next engineer gets, as a zip without any code.

It is a site bundle (`site.json`, `sweeps/`) with more beside: `handover.json` says what it is, `show.json` has the show
with its links and frequencies as records of the book, `register.json` the units, `plan.json` and `request.json` the
plan, `systems/NN.json` the antenna systems, `notes.txt` what somebody wrote, `sheet.pdf` the frequency sheet. Reading
never unpacks to disk and bounds what it takes.
"""

import json
import zipfile
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any, Literal

from pydantic import Field

from azven.book.columns import KINDS, columns, from_json, table_name
from azven.book.formats import register, site_bundle
from azven.book.formats.errors import FormatError, short
from azven.book.formats.reading import Document, parse
from azven.book.formats.register import Id, Key, RegisterDocument, Text
from azven.book.formats.site_bundle import UNREADABLE, Bundle, member
from azven.book.formats.whole import written_whole
from azven.book.records import Record
from azven.book.soundness import fault

NAME, VERSION = "azven-handover", 1
_LARGEST, _LARGEST_NOTES = 300_000_000, 200_000
_MOST_RECORDS = 200_000


class HandoverDocument(Document):
    """What `handover.json` says: the book it comes from, the ids of the site and of the show there, who made it."""

    format: Literal["azven-handover"]
    version: int
    book: Key
    site: Id
    show: Id
    site_name: Text
    show_name: Text
    made: Text = ""
    by: Text = ""


class RecordDocument(Document):
    """A record of the book: its kind, number and fields."""

    kind: Text
    id: int
    fields: dict[str, Any]


class ShowDocument(Document):
    """What `show.json` says."""

    format: Literal["azven-show"]
    version: int
    records: Annotated[list[RecordDocument], Field(max_length=_MOST_RECORDS)] = []


@dataclass(frozen=True)
class Package:
    """A package in memory, and a line for everything that was not usable."""

    about: HandoverDocument
    bundle: Bundle
    records: tuple[Record, ...]
    register: RegisterDocument
    notes: str
    refused: tuple[str, ...]


def write(path: Path, about: Mapping[str, Any], site: site_bundle.Parts, files: Mapping[str, bytes | Any]) -> None:
    """Write a package; `files` by name, bytes as they are, anything else as JSON."""
    with written_whole(path) as fresh, zipfile.ZipFile(fresh, "w", zipfile.ZIP_DEFLATED) as package:
        package.writestr("handover.json", _json({"format": NAME, "version": VERSION, **about}))
        site_bundle.write_into(package, *site)
        for name, content in files.items():
            package.writestr(name, content if isinstance(content, bytes) else _json(content))


def _json(content: Any) -> str:
    return json.dumps(content, ensure_ascii=False, indent=1)


def read(path: Path) -> Package:
    """A checked package; FormatError in one line when nothing of it can be used."""
    bundle = site_bundle.read(path)
    try:
        with zipfile.ZipFile(path) as package:
            about = parse(HandoverDocument, _content(package, "handover.json"), NAME, VERSION)
            show = parse(ShowDocument, _content(package, "show.json"), "azven-show", 1)
            told = register.read(_content(package, "register.json"))
            notes = _notes(package)
    except FormatError:
        raise
    except (*UNREADABLE, OSError, ValueError, RecursionError) as error:
        raise FormatError(f"{path.name} is not a hand-over package ({error})") from error
    refused = list(bundle.refused)
    records = tuple(r for d in show.records if (r := _record(d, refused)) is not None)
    return Package(about, bundle, records, told, notes, tuple(refused))


def _content(package: zipfile.ZipFile, name: str) -> Any:
    try:
        return json.loads(member(package, name, _LARGEST))
    except KeyError:
        raise FormatError(f"{name}: is missing") from None


def _notes(package: zipfile.ZipFile) -> str:
    if "notes.txt" not in package.namelist():
        return ""
    return member(package, "notes.txt", _LARGEST_NOTES).decode("utf-8", "replace")


def _record(document: RecordDocument, refused: list[str]) -> Record | None:
    """A record as it was written; None, with a line, for one that this Azven cannot have."""
    kind = next((k for k in KINDS if table_name(k) == document.kind), None)
    said = f"{short(document.kind)} {document.id}"
    if kind is None:
        refused.append(f"{said}: this kind is not known")
        return None
    known = {c.name for c in columns(kind)} - {"id", "version"}
    try:
        made = kind(id=document.id, **from_json(kind, {k: v for k, v in document.fields.items() if k in known}))
    except (LookupError, ValueError, TypeError, OverflowError) as error:
        refused.append(f"{said}: {short(str(error))}")
        return None
    if why := fault(made):
        refused.append(f"{said}: {why}")
        return None
    return made
