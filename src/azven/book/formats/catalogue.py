"""The open format `azven-catalogue` 1: models of equipment as a data file."""

import json
from dataclasses import fields
from typing import Annotated, Any

from pydantic import Field, StringConstraints

from azven.book import soundness
from azven.book.columns import frozen
from azven.book.formats.errors import FormatError, short
from azven.book.formats.plan_request import Hertz
from azven.book.formats.reading import Document, parse
from azven.book.records import Audio, Choosing, Form, Model, PowerKind, Service

NAME, VERSION = "azven-catalogue", 1
_MOST_MODELS, _MOST_BANDS, _MOST_GROUPS, _MOST_CHANNELS = 2_000, 64, 200, 400
_NOT_IN_FILES = ("id", "version", "builtin")
Name = Annotated[str, StringConstraints(min_length=1, max_length=200)]
Milliwatts = Annotated[float, Field(ge=1e-9, le=1e9)]
Minutes = Annotated[float, Field(gt=0, le=100_000)]
Frequencies = Annotated[tuple[Hertz, ...], Field(max_length=_MOST_CHANNELS)]
Groups = Annotated[dict[Name, Frequencies], Field(max_length=_MOST_GROUPS)]
Bays = Annotated[int, Field(ge=1, le=1_000)]
Slots = Annotated[int, Field(ge=1, le=100_000)]
Delay = Annotated[float, Field(ge=0, le=10_000)]
Decibel = Annotated[float, Field(ge=-300, le=300)]


class ModelDocument(Document):
    """A model; the fields are those of the record, lists standing for its tuples."""

    name: Name
    service: Service
    bands: Annotated[tuple[tuple[Name, Hertz, Hertz], ...], Field(min_length=1, max_length=_MOST_BANDS)]
    step_hz: Annotated[int, Field(ge=1, le=10**10)] = 25_000
    bandwidth_hz: Annotated[int, Field(ge=1, le=10**10)] = 200_000
    power_mw: Milliwatts = 30.0
    modulation: Annotated[str, StringConstraints(max_length=200)] = ""
    spacing_hz: Hertz = 350_000
    guard_hz: dict[Name, Hertz] = {}
    needed_db: Decibel = 20.0
    nf_db: Annotated[float, Field(ge=0, le=200)] = 8.0
    iip3_dbm: Decibel = 5.0
    body_db: Decibel = 10.0
    gain_dbi: Decibel = 0.0
    origin_hz: Hertz = 0
    rasters: dict[Name, tuple[Annotated[int, Field(ge=1, le=10**10)], Hertz]] = {}
    form: Form = "pack"
    audio: Audio = "mono"
    receivers: Annotated[int, Field(ge=1, le=1_000)] = 1
    diversity: bool = True
    powers: Annotated[tuple[tuple[Milliwatts, PowerKind], ...], Field(max_length=32)] = ()
    latency_ms: Delay | None = None
    blocking_dbm: Decibel | None = None
    batteries: Annotated[tuple[tuple[Name, Milliwatts, Minutes], ...], Field(max_length=64)] = ()
    chargers: Annotated[tuple[tuple[Name, Bays, Minutes], ...], Field(max_length=32)] = ()
    addresses: Annotated[int, Field(ge=0, le=1_000)] = 0
    dc_w: Annotated[float, Field(ge=0, le=100_000)] = 0.0
    only_groups: bool = False
    groups: Annotated[dict[Name, Groups], Field(max_length=_MOST_BANDS)] = {}
    capacity: Annotated[int, Field(ge=0, le=100_000)] = 0
    modes: Annotated[tuple[tuple[Name, Slots, Slots, Delay], ...], Field(max_length=32)] = ()
    choosing: Choosing = "is set"
    duty: Annotated[float, Field(ge=0, le=1)] = 1.0
    second_radio: bool = False
    rejoin_s: Annotated[float, Field(ge=0, le=10_000)] = 5.0


class CatalogueDocument(Document):
    """A catalogue file."""

    format: str
    version: int
    models: Annotated[tuple[ModelDocument, ...], Field(min_length=1, max_length=_MOST_MODELS)]


def read(data: Any) -> list[Model]:
    """The models of a parsed file, without ids. FormatError in one line where it is none: nothing of a file that is
    wrong in one place is used."""
    document = parse(CatalogueDocument, frozen(data), NAME, VERSION)
    return [_model(entry, f"models[{i}]") for i, entry in enumerate(document.models)]


def _model(entry: ModelDocument, path: str) -> Model:
    values = entry.model_dump()
    model = Model(**{k: frozen(v) for k, v in values.items()})
    names = [b[0] for b in model.bands]
    if len(set(names)) < len(names):
        raise FormatError(f"{path}.bands: two tuning bands have one name")
    if any(low >= high for _, low, high in model.bands):
        raise FormatError(f"{path}.bands: a tuning band ends below its start")
    for field, known in (("rasters", model.rasters), ("groups", model.groups)):
        if unknown := [n for n in known if n not in names]:
            raise FormatError(f"{path}.{field}: no tuning band is called '{short(unknown[0])}'")
    if model.only_groups and not any(f for groups in model.groups.values() for f in groups.values()):
        raise FormatError(f"{path}.groups: gear that only knows groups needs some")
    if fault := soundness.fault(model):
        raise FormatError(f"{path}: {fault}")
    return model


def write(models: list[Model]) -> str:
    """Models as the text of a file."""
    names = [f.name for f in fields(Model) if f.name not in _NOT_IN_FILES]
    listed = [{n: getattr(m, n) for n in names} for m in models]
    return json.dumps({"format": NAME, "version": VERSION, "models": listed}, ensure_ascii=False, indent=1) + "\n"
