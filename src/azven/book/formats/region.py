"""The open format `azven-region` 1: a territory's raster, permitted and reserved ranges."""

from typing import Annotated, Any, Literal

from pydantic import Field

from azven.book.formats.errors import FormatError
from azven.book.formats.plan_request import Hertz
from azven.book.formats.reading import Document, parse

NAME, VERSION = "azven-region", 1


class ChannelDocument(Document):
    name: str
    low_hz: Hertz
    high_hz: Hertz


class RasterDocument(Document):
    """Evenly spaced channels: `first`…`last` with `first` starting at `start_hz`."""

    first: int
    last: int
    start_hz: Hertz
    width_hz: Annotated[int, Field(gt=0)]


class RuleDocument(Document):
    """A permitted or reserved range with its cap, condition and source."""

    low_hz: Hertz
    high_hz: Hertz
    kind: Literal["permitted", "reserved"]
    title: str
    power_mw: float | None = None
    power_kind: Literal["e.r.p.", "EIRP", "conducted"] = "e.r.p."
    condition: str = ""
    licence: bool = False
    source: str = ""
    body_power_mw: float | None = None


class RegionDocument(Document):
    """A region file. `stations`: names of the raster channels on which a television transmitter is listed."""

    format: Literal["azven-region"]
    version: int
    key: str
    title: str
    dated: str
    note: str = ""
    rasters: list[RasterDocument] = []
    channels: list[ChannelDocument] = []
    rules: list[RuleDocument]
    stations: list[str] = []


def read(data: Any) -> RegionDocument:
    """A checked region; FormatError in one line, with the path, when it cannot be used."""
    region = parse(RegionDocument, data, NAME, VERSION)
    for i, rule in enumerate(region.rules):
        if rule.low_hz >= rule.high_hz:
            raise FormatError(f"rules[{i}]: low_hz {rule.low_hz} is not below high_hz {rule.high_hz}")
    return region
