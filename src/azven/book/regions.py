"""A territory's rules in memory: raster, permitted and reserved ranges."""

import json
from collections.abc import Mapping
from dataclasses import dataclass
from importlib.resources import files
from typing import Any

from azven.rf import dfs

ADVICE = "Planning aid, not legal advice: your licence and the local regulator decide."


@dataclass(frozen=True)
class RasterChannel:
    """A television channel: name and edges [Hz]."""

    name: str
    low_hz: int
    high_hz: int


@dataclass(frozen=True, kw_only=True)
class Rule:
    """A permitted or reserved range [Hz] with its power cap [mW], the higher one for transmitters on the body where
    there is one, condition and source."""

    low_hz: int
    high_hz: int
    kind: str
    title: str
    power_mw: float | None = None
    power_kind: str = "e.r.p."
    condition: str = ""
    licence: bool = False
    source: str = ""
    body_power_mw: float | None = None

    def cap_text(self) -> str:
        """The cap in words, empty where there is none."""
        if self.power_mw is None:
            return ""
        on_body = f", {self.body_power_mw:g} on the body" if self.body_power_mw else ""
        return f"{self.power_mw:g} mW {self.power_kind}{on_body}"


@dataclass(frozen=True, kw_only=True)
class Territory:
    """The rules of one region file."""

    key: str
    title: str
    dated: str
    note: str
    channels: tuple[RasterChannel, ...]
    rules: tuple[Rule, ...]
    stations: tuple[str, ...] = ()
    """Raster channels on which a television transmitter is listed."""
    five_ghz: dfs.Region | None = None
    """What holds for the channels at 5 GHz; None where the file does not say."""
    dect: str = ""
    """Whose carriers are used at 1.9 GHz, empty where the file does not say."""


def territory(document: Mapping[str, Any]) -> Territory:
    """The rules in a region document that has been checked when it was read (`formats.region`)."""
    channels = [RasterChannel(c["name"], c["low_hz"], c["high_hz"]) for c in document.get("channels", ())]
    for r in document.get("rasters", ()):
        for i in range(r["last"] - r["first"] + 1):
            low = r["start_hz"] + i * r["width_hz"]
            channels.append(RasterChannel(str(r["first"] + i), low, low + r["width_hz"]))
    return Territory(
        key=document["key"],
        title=document["title"],
        dated=document["dated"],
        note=document.get("note", ""),
        channels=tuple(sorted(channels, key=lambda c: c.low_hz)),
        rules=tuple(Rule(**{k: v for k, v in rule.items() if k in _RULE_KEYS}) for rule in document["rules"]),
        stations=tuple(document.get("stations", ())),
        five_ghz=_five_ghz(document.get("five_ghz")),
        dect=document.get("dect") or "",
    )


def _five_ghz(said: Mapping[str, Any] | None) -> dfs.Region | None:
    if said is None:
        return None
    return dfs.Region(
        frozenset(said.get("closed", ())), float(said.get("weather_s", 600.0)), said.get("upper") == "free"
    )


_RULE_KEYS = frozenset(Rule.__dataclass_fields__)


def shipped() -> list[dict[str, Any]]:
    """The region files that come with Azven, by title, as parsed JSON."""
    folder = files("azven") / "data" / "regions"
    found = [json.loads(f.read_text("utf-8")) for f in folder.iterdir() if f.name.endswith(".json")]
    return sorted(found, key=lambda r: str(r["title"]))
