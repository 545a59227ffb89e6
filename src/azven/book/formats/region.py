"""The open format `azven-region` 1: a territory's raster, permitted and reserved ranges."""

from typing import Annotated, Any, Literal

from pydantic import Field

from azven.book.formats.errors import FormatError
from azven.book.formats.plan_request import Hertz
from azven.book.formats.reading import Document, parse

NAME, VERSION = "azven-region", 1
_MOST_CHANNELS, _MOST_RULES = 1_000, 2_000
_HIGHEST_HZ = 10**12


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


class FiveGigahertzDocument(Document):
    """Channels of 20 MHz at 5 GHz: those that are closed, seconds of listening on those of weather radars, and whether
    those from 149 on are free."""

    closed: Annotated[list[int], Field(max_length=100)] = []
    weather_s: Annotated[float, Field(ge=60, le=86_400)] = 600.0
    upper: Literal["free", "closed"] = "closed"


class RegionDocument(Document):
    """A region file. `stations`: names of the raster channels on which a television transmitter is listed."""

    format: Literal["azven-region"]
    version: int
    key: str
    title: str
    dated: str
    note: str = ""
    rasters: Annotated[list[RasterDocument], Field(max_length=_MOST_CHANNELS)] = []
    channels: Annotated[list[ChannelDocument], Field(max_length=_MOST_CHANNELS)] = []
    rules: Annotated[list[RuleDocument], Field(max_length=_MOST_RULES)]
    stations: Annotated[list[str], Field(max_length=_MOST_CHANNELS)] = []
    five_ghz: FiveGigahertzDocument | None = None
    dect: Literal["", "europe", "north-america"] = ""


def read(data: Any) -> RegionDocument:
    """A checked region; FormatError in one line, with the path, when it cannot be used."""
    region = parse(RegionDocument, data, NAME, VERSION)
    channels = len(region.channels)
    for i, raster in enumerate(region.rasters):
        count = raster.last - raster.first + 1
        channels += max(count, 0)
        if count < 1:
            raise FormatError(f"rasters[{i}]: first {raster.first} is above last {raster.last}")
        if channels > _MOST_CHANNELS:
            raise FormatError(f"rasters[{i}]: {channels} channels in all; at most {_MOST_CHANNELS} are read")
        if raster.start_hz + count * raster.width_hz > _HIGHEST_HZ:
            raise FormatError(f"rasters[{i}]: reaches beyond 1 THz")
    for i, channel in enumerate(region.channels):
        if channel.low_hz >= channel.high_hz:
            raise FormatError(f"channels[{i}]: low_hz {channel.low_hz} is not below high_hz {channel.high_hz}")
    for i, rule in enumerate(region.rules):
        if rule.low_hz >= rule.high_hz:
            raise FormatError(f"rules[{i}]: low_hz {rule.low_hz} is not below high_hz {rule.high_hz}")
    return region
