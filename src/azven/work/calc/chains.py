"""Calculations on the chain: cables, noise, cascades, combining, supply over coax, transmit combiners, exposure."""

from collections.abc import Sequence
from typing import Any

from azven.rf import levels
from azven.rf.chain import composite, dc, gain, transmit
from azven.rf.chain.blocks import Block, Stop, coax_db
from azven.rf.chain.graph import Signal, System, flag, path_result, receiver_result, solve
from azven.rf.imlevels import in_receiver_dbm
from azven.work.calc.given import Input, Kind, listed, number

_COMBINER = "combiner"


def _block(given: Input, name: str | None = None) -> Block:
    fields = {k: v for k, v in given.items() if k not in ("type", "name", "stop", "steps_db")}
    stop = tuple(Stop(**s) for s in given.get("stop", ()))
    steps = tuple(given.get("steps_db", ()))
    return Block(id=name or str(given["name"]), kind=given["type"], stop=stop, steps_db=steps, **fields)


class _Chain:
    """Branches from their antennas in line, put together as a case describes them."""

    def __init__(self, given: Input) -> None:
        self._given = given
        self.blocks: dict[str, Block] = {}
        self.edges: list[tuple[str, str]] = []
        self.signals: list[Signal] = []
        self.wanted: dict[str, float] = {}

    def branch(self, name: str, given: Input, prefix: str = "") -> str:
        """Add one; returns its last block. Names of blocks get a prefix where there are several branches."""
        antenna = last = f"{name}/antenna"
        self.blocks[antenna] = Block(id=antenna, kind="antenna")
        last = self.line(last, listed(given, "stages"), prefix)
        for c in given.get("carriers", ()):
            self.signals.append(
                Signal(
                    id=f"{name}:{c['id']}", antenna=antenna, freq_hz=c.get("freq_hz", self._given["freq_hz"]),
                    level_dbm=number(c, "level_dbm"), crest_db=number(c, "crest_db", 0.0),
                )
            )  # fmt: skip
        if given.get("wanted_dbm") is not None:
            self.wanted[antenna] = number(given, "wanted_dbm")
        return last

    def line(self, last: str, stages: Sequence[Input], prefix: str = "") -> str:
        for stage in stages:
            here = f"{prefix}{stage['name']}"
            if here in self.blocks:
                raise ValueError(f"two stages are called {here[:40]!r}")
            self.blocks[here] = _block(stage, here)
            self.edges.append((last, here))
            last = here
        return last

    def system(self) -> System:
        given = self._given
        return System(
            blocks=self.blocks, edges=tuple(self.edges), freq_hz=number(given, "freq_hz"),
            bandwidth_hz=number(given, "bandwidth_hz"), signals=tuple(self.signals), fa_db=number(given, "fa_db", 0.0),
            wanted_dbm=self.wanted,
        )  # fmt: skip


_JOINT = ("average_in_dbm", "peak_in_dbm", "headroom_average_db", "headroom_peak_db")


def _cascade(given: Input) -> dict[str, Any]:
    chain = _Chain(given)
    last = chain.branch("x", given)
    system = chain.system()
    joints = solve(system)
    path, end = path_result(system, joints, "x/antenna", last), receiver_result(system, joints, last)
    total = path.excess_gain_db
    out: dict[str, Any] = {
        "gain_db": total, "nf_db": path.nf_db, "iip3_dbm": path.iip3_dbm,
        "oip3_dbm": None if path.iip3_dbm is None else path.iip3_dbm + total, "noise_in_dbm": path.noise_in_dbm,
        "noise_out_dbm": path.noise_in_dbm + total, "snr_db": path.snr_db, "sfdr_db": path.sfdr_db,
        "headroom_db": end.headroom_db, "limiting_stage": end.limiting_stage,
    }  # fmt: skip
    names = [stage["name"] for stage in given["stages"]]
    before = {n: {"name": n, "gain_before_db": joints[n].gain_before_db["x/antenna"]} for n in names}
    out["stages"] = [before[n] | {k: getattr(joints[n], k) for k in _JOINT} for n in names]
    if given["stages"] and given["stages"][-1]["type"] == "receiver":
        for key in ("excess_gain_db", "gain_flag", "snr_loss_db", "level_at_receiver_dbm"):
            out[key] = getattr(path, key)
        out |= {"noise_at_receiver_dbm": end.noise_at_receiver_dbm, "noise_rise_db": end.noise_rise_db}
    return out


_BRANCH = ("excess_gain_db", "gain_flag", "level_at_receiver_dbm", "snr_db", "snr_alone_db", "penalty_db", "iip3_dbm")


def _combine(given: Input) -> dict[str, Any]:
    chain = _Chain(given)
    names = [str(b["name"]) for b in listed(given, "branches")]
    ends = [chain.branch(n, b, f"{n}/") for n, b in zip(names, given["branches"], strict=True)]
    chain.blocks[_COMBINER] = Block(id=_COMBINER, kind="hybrid", **given["combiner"])
    chain.edges += [(end, _COMBINER) for end in ends]
    last = chain.line(_COMBINER, listed(given, "after"))
    system = chain.system()
    joints = solve(system)
    branches = []
    for name in names:
        found = path_result(system, joints, f"{name}/antenna", last)
        headroom = {"branch_headroom_db": found.headroom_db, "branch_limiting_stage": found.limiting_stage}
        branches.append({"name": name, **{k: getattr(found, k) for k in _BRANCH}, **headroom})
    end = receiver_result(system, joints, last)
    return {
        "combiner_loss_db": -chain.blocks[_COMBINER].gain_at(system.freq_hz), "branches": branches,
        "noise_at_receiver_dbm": end.noise_at_receiver_dbm, "noise_rise_db": end.noise_rise_db,
        "combined_average_dbm": end.average_dbm, "combined_peak_dbm": end.peak_dbm,
        "headroom_db": end.headroom_db, "limiting_stage": end.limiting_stage,
    }  # fmt: skip


def _gain_plan(given: Input) -> dict[str, Any]:
    line, freq = [_block(s) for s in listed(given, "stages")], number(given, "freq_hz")
    found = {c.name: c for c in gain.by_step_rule(line, freq)}
    set_so = [b.with_gain(found[b.id].step_db or 0.0) if b.id in found else b for b in line]
    excess = sum(b.gain_at(freq) for b in set_so)
    return {"amplifiers": list(found.values()), "excess_gain_db": excess, "gain_flag": flag(excess)}


def _dc_feed(given: Input) -> dict[str, Any]:
    line = [
        dc.Device(
            n["name"], n["dc"], number(n, "ohm", 0.0), dc.Load(**n["load"]) if "load" in n else None,
            dc.Source(**n["source"]) if "source" in n else None,
        )
        for n in listed(given, "nodes")
    ]  # fmt: skip
    found = dc.feed(line)
    return {"errors": [{"node": n, "code": c} for n, c in found.errors], "volts": found.volts}


def _iem(given: Input) -> transmit.TransmitResult:
    c = given["combiner"]
    figures = {k: v for k, v in c.items() if k not in ("kind", "inputs", "ports")}
    combiner = transmit.Combiner(active=c["kind"] == "active", inputs=c.get("inputs", c.get("ports")), **figures)
    freq = number(given, "freq_hz")
    cable = coax_db(freq, **given["cable"]) if "cable" in given else 0.0
    nearby = transmit.Nearby(**given["receive_antenna"]) if "receive_antenna" in given else None
    powers = {str(t["id"]): number(t, "power_dbm") for t in listed(given, "transmitters")}
    lead = number(given, "input_loss_db", 0.0)
    return transmit.combine(freq, powers, combiner, number(given, "antenna_gain_dbi"), cable, lead, nearby)


def _im_receiver(given: Input) -> dict[str, Any]:
    found = in_receiver_dbm(number(given, "iip3_dbm"), given["pa"], given["pb"], given.get("pc"))
    ratio = number(given, "victim_dbm") - found
    return {"product_dbm": found, "c_i_db": ratio, "ok": ratio >= number(given, "needed_db", 0.0)}


def _composite(given: Input) -> dict[str, Any]:
    return {"average_dbm": composite.average_dbm(given["levels_dbm"]), "peak_dbm": composite.peak_dbm(**given)}


KINDS = {
    "coax": Kind(lambda g: {"loss_db": coax_db(**g)}, "loss of a cable with its connectors"),
    "thermal": Kind(lambda g: {"noise_dbm": levels.thermal_noise_dbm(number(g, "bandwidth_hz"))}, "noise of 290 K"),
    "external_noise": Kind(lambda g: {"fa_db": levels.man_made_noise_db(number(g, "freq_hz"))}, "man-made noise"),
    "composite": Kind(_composite, "average and peak of several carriers"),
    "cascade": Kind(_cascade, "gain, noise, intercept and headroom of stages in line"),
    "combine": Kind(_combine, "branches of several antennas into one receiver"),
    "gain_step": Kind(lambda g: gain.largest_step(**g), "the gain step that makes up for a loss"),
    "gain_plan": Kind(_gain_plan, "the steps of all amplifiers of a line"),
    "dc_feed": Kind(_dc_feed, "supply over coax: what lacks it, volts at the loads"),
    "iem": Kind(_iem, "transmitters into one antenna: levels, products, keep-away distances"),
    "exposure": Kind(lambda g: {"distance_m": transmit.keep_away_m(**g)}, "distance to keep from an antenna"),
    "s_ref": Kind(lambda g: {"s_w_m2": transmit.reference_level_w_m2(**g)}, "the reference level of a standard"),
    "im_receiver": Kind(_im_receiver, "a product made in a receiver, against the victim"),
}
