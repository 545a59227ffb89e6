"""Calculations on radio links: paths, patterns, budgets, products by level, power in a band, numbered channels."""

from typing import Any

import numpy as np

from azven.rf import imlevels, levels, links
from azven.rf.links import End, Medium
from azven.rf.raster import numbered
from azven.rf.sweep import Sweep, band_power_dbm, quantile
from azven.work.calc.given import Input, Kind, listed, number, whole


def _medium(given: Input) -> Medium:
    if given.get("model", "free") not in ("free", "indoor"):
        raise ValueError("the model must be free or indoor")
    return Medium(given.get("model", "free"), number(given, "n", 20.0), tuple(given.get("obstacles_db", ())))


def _end(given: Input) -> End:
    kind = given.get("kind") or ("beam" if "beamwidth_deg" in given else "fixed")
    points = {k: tuple(given[k]) for k in ("pos_m", "aim_m") if k in given}
    return End(**{**given, **points, "kind": kind})


def _path(given: Input) -> dict[str, Any]:
    freq, distance = number(given, "freq_hz"), number(given, "distance_m")
    return {"path_db": links.path_db(freq, distance, _medium(given), given.get("touching", False))}


def _pattern(given: Input) -> dict[str, Any]:
    gain, angle = number(given, "gain_dbi"), number(given, "angle_deg")
    if given.get("kind") == "omni":
        return {"gain_dbi": levels.omni_gain_dbi(gain, angle)}
    width, back = number(given, "beamwidth_deg"), number(given, "front_back_db", 15.0)
    return {"gain_dbi": levels.beam_gain_dbi(gain, angle, width, back)}


def _link(given: Input) -> dict[str, Any]:
    found = links.budget(
        number(given, "freq_hz"), _end(given["tx"]), _end(given["rx"]), given.get("distance_m"), _medium(given)
    )
    names = ("distance_m", "angle_deg", "path_db", "polarisation_db", "rx_gain_dbi", "level_dbm")
    out: dict[str, Any] = {n: getattr(found, n) for n in names}
    if "threshold_dbm" in given:
        margin = found.level_dbm - number(given, "threshold_dbm")
        out |= {"margin_db": margin, "outage_1": links.outage([margin]), "outage_2": links.outage([margin, margin])}
        out["ok"] = margin >= number(given, "needed_margin_db", 0.0)
    return out


def _judged(given: Input, product_dbm: float, victim_dbm: float | None) -> dict[str, Any]:
    """The ratio to the victim, and whether it is enough."""
    if victim_dbm is None:
        return {}
    ratio = victim_dbm - product_dbm
    return {"c_i_db": ratio, "ok": ratio >= number(given, "needed_db", 0.0)}


def _im_transmitter(given: Input) -> dict[str, Any]:
    loss = number(given, "conversion_loss_db", imlevels.CONVERSION_LOSS_DB)
    incoming = tuple(listed(given, "incoming_dbm"))
    found = imlevels.in_transmitter_dbm(given["kind"], number(given, "p_host"), incoming, loss)
    there = found - number(given, "path_host_db", 0.0)
    return {"product_dbm": found, "at_receiver_dbm": there, **_judged(given, there, given.get("victim_dbm"))}


def _im_link(given: Input) -> dict[str, Any]:
    freq, gain = number(given, "freq_hz"), number(given, "chain_gain_db", 0.0)

    def level(entry: Input) -> float:
        return links.budget(freq, _end(entry["tx"]), _end(entry["rx"]), entry.get("distance_m")).level_dbm + gain

    heard = [level(source) for source in listed(given, "sources")]
    product = imlevels.in_receiver_dbm(number(given, "iip3_dbm"), *heard)
    return {"levels_dbm": heard, "product_dbm": product, **_judged(given, product, level(given["victim"]))}


def _band_power(given: Input) -> dict[str, Any]:
    freq, level = np.array(listed(given, "bins"), np.float64).T
    low, high = whole(given, "low_hz"), whole(given, "high_hz")
    width = given.get("noise_bandwidth_hz")
    sweep = Sweep(freq.astype(np.int64), level, whole(given, "spacing_hz"), noise_bandwidth_hz=width)
    inside = sweep.level_dbm[sweep.between(low, high)]
    floor = quantile(inside, 0.2) if len(inside) else None
    return {"power_dbm": band_power_dbm(sweep, low, high), "floor_dbm": floor, "bins": len(inside)}


KINDS = {
    "path": Kind(_path, "median path loss"),
    "polarisation": Kind(lambda g: {"loss_db": links.polarisation_db(**g)}, "what turned antennas lose"),
    "pattern": Kind(_pattern, "gain of an antenna in a direction"),
    "outage": Kind(lambda g: {"outage": links.outage(listed(g, "margins_db"))}, "share of time below a threshold"),
    "field": Kind(lambda g: {"power_dbm": links.field_to_dbm(**g)}, "power that a field puts into an antenna"),
    "link": Kind(_link, "the budget of a link"),
    "coupling": Kind(lambda g: {"coupling_db": links.coupling_db(**g)}, "loss between two transmitters"),
    "im_transmitter": Kind(_im_transmitter, "a product made in a transmitter, against the victim"),
    "im_link": Kind(_im_link, "a product made in a receiver by whole links"),
    "channel": Kind(lambda g: numbered(g["system"], whole(g, "number")), "edges and centre of a numbered channel"),
    "whip": Kind(lambda g: {"length_mm": levels.whip_length_mm(number(g, "freq_hz"))}, "length of a quarter-wave whip"),
    "band_power": Kind(_band_power, "power, floor and bins of a sweep between two frequencies"),
}
