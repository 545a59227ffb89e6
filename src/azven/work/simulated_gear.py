"""Gear as it comes out of the truck, simulated: channels and packs of models, a charger, a network switch."""

import random
from collections.abc import Callable
from typing import Any

from azven.book.records import Link, Model
from azven.gear.standins.rack import StandInRack
from azven.gear.standins.things import Channel, Fields, Pack
from azven.rf.venue.cells import Cell, Chemistry

_CHEMISTRIES: tuple[Chemistry, ...] = ("alkaline", "nickel", "lithium")
_RUNS_MIN = 420.0
_VOICE_CAN = ("freq_hz", "name", "gain_db", "squelch_db", "tone_key", "mute", "mute_lock", "level", "low_cut_hz",
              "sync", "scan", "locate")  # fmt: skip
_EAR_CAN = ("freq_hz", "name", "power_mw", "stereo", "volume_db", "volume_min_db", "volume_max_db", "sync", "tone",
            "scan", "locate")  # fmt: skip
_FIXED_CAN = ("name", "gain_db", "mute_lock", "pair", "locate")
_LIMITS: dict[str, list[Any]] = {
    "gain_db": [-18, 42, 3], "level": ["mic", "line"], "low_cut_hz": [0, 80, 120], "squelch_db": [0, 20, 1],
    "power_mw": [0, 10, 30, 50], "volume_db": [-40, 6, 1],
}  # fmt: skip


def channel(number: str, model: Model, link: Link | None) -> Channel:
    """A channel of a model at its factory settings, in the band of its link."""
    band = link.band if link else model.bands[0][0]
    bands = {name: _on_raster(model, name, lo, hi) for name, lo, hi in model.bands}
    low, high = bands.get(band, next(iter(bands.values())))
    step = model.rasters.get(band, (model.step_hz, model.origin_hz))[0]
    out, fixed = model.service == "in-ear", model.choosing != "is set"
    can = _FIXED_CAN if fixed else _EAR_CAN if out else _VOICE_CAN
    factory: Fields = {"name": f"CH {number}"} if fixed else {"freq_hz": low, "name": f"CH {number}"}
    if fixed:
        factory |= {"gain_db": 0, "mute_lock": False}
    elif out:
        factory |= {"power_mw": 0, "stereo": False, "volume_db": -20, "volume_min_db": -40, "volume_max_db": 0}
    else:
        factory |= {"gain_db": 0, "squelch_db": 6, "tone_key": True, "mute": False, "mute_lock": False}
        factory |= {"level": "mic", "low_cut_hz": 0}
    sides = ("a", "b") if model.diversity and not out else ("a",)
    direction = "out" if out else "both" if model.service == "intercom" else "in"
    if len(bands) > 1 and not fixed:
        can, factory = (*can, "band"), {**factory, "band": band}
    limits = {key: _LIMITS[key] for key in _LIMITS if key in factory} | ({"band": list(bands)} if "band" in can else {})
    made = Channel(
        id=number, service=model.service, direction=direction, low_hz=low, high_hz=high, step_hz=step, sides=sides,
        can=can, settings=dict(factory), limits=limits, factory=factory, fixed_hz=low,
        bands=bands if "band" in can else {},
    )  # fmt: skip
    if link is not None:
        made.pack = _pack(link.id, model, low)
    return made


def _on_raster(model: Model, band: str, low: int, high: int) -> tuple[int, int]:
    step, origin = model.rasters.get(band, (model.step_hz, model.origin_hz))
    low += (origin - low) % step
    return low, high - (high - low) % step


def wide_channel(number: str, model: Model, name: str, number_of_pack: int, carrier: str, centre_hz: int) -> Channel:
    """A pack on a wideband carrier, as its base shows it."""
    factory: Fields = {"name": name, "carrier": carrier, "mode": model.modes[0][0], "mute": False}
    made = Channel(
        id=number, service="wideband", direction="both", low_hz=centre_hz, high_hz=centre_hz, step_hz=1, sides=("a",),
        can=("name", "mode", "mute", "locate"), settings=dict(factory), factory=factory, fixed_hz=centre_hz,
        limits={"mode": [m[0] for m in model.modes]},
    )  # fmt: skip
    made.pack = _pack(number_of_pack, model, centre_hz)
    made.pack.name, made.pack.enc = name, "ok"
    return made


def _pack(number: int, model: Model, low_hz: int) -> Pack:
    chance = random.Random(number)
    runs = model.batteries[0][2] if model.batteries else _RUNS_MIN
    cell = Cell(chemistry=_CHEMISTRIES[number % 3], full_min=runs, step_percent=chance.choice([1.0, 5.0]))
    return Pack(
        id=f"p-{number}", name=f"Pack {number}", freq_hz=low_hz, power_mw=model.power_mw, cell=cell,
        used_min=chance.uniform(0, 20), tells_minutes=number % 2 == 0,
    )  # fmt: skip


def charger(clock: Callable[[], float]) -> StandInRack:
    bays = [
        Channel(
            id=str(k + 1), service="charger", direction="in", low_hz=0, high_hz=0, step_hz=1, sides=(),
            can=("locate",), settings={}, show=_bay(k, clock),
        )
        for k in range(8)
    ]  # fmt: skip
    about = {"id": "r-0490", "name": "Charging station", "kind": "charger", "model": "Eight bays", "serial": "0490",
             "firmware": "1.1"}  # fmt: skip
    return StandInRack(about, bays, network(90), clock, rate_hz_max=2.0)


def _bay(k: int, clock: Callable[[], float]) -> Callable[[], Fields]:
    def shown() -> Fields:
        level = min(20.0 + 11 * k + clock() / 36, 100.0)
        return {"bat": float(round(level)), "left_min": round((100 - level) * 1.8), "txn": f"Cell {k + 1}"}

    return shown


def switch(clock: Callable[[], float]) -> StandInRack:
    about = {"id": "r-0499", "name": "Rack switch", "kind": "switch", "model": "Network switch", "serial": "0499",
             "firmware": "2.0"}  # fmt: skip
    return StandInRack(about, [], {**network(99), "audio": None, "layout": None}, clock, rate_hz_max=1.0)


def network(number: int) -> Fields:
    def port(subnet: int) -> Fields:
        return {"mode": "auto", "ip": f"169.254.{subnet}.{number}", "mask": "255.255.0.0", "gateway": None,
                "mac": f"02:00:00:00:{subnet:02x}:{number:02x}"}  # fmt: skip

    return {"layout": "switched", "console_id": number, "control": port(10), "audio": port(20)}
