"""The open format `azven-chain` 1: an antenna system as a directed graph of blocks with the carriers it hears."""

from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import AliasChoices, Field, model_validator

from azven.book.formats.errors import FormatError
from azven.book.formats.plan_request import Hertz
from azven.book.formats.reading import Document, parse
from azven.rf.chain.blocks import COAX, Block, Stop
from azven.rf.chain.dc import Device, Load, Source
from azven.rf.chain.design import CarrierSpec, Design, ZoneInfo
from azven.rf.links import End, Medium, Point

NAME, VERSION = "azven-chain", 1
Decibel = Annotated[float, Field(ge=-300, le=300)]
Metres = Annotated[float, Field(ge=-100_000, le=100_000)]
Place = Annotated[list[Metres], Field(min_length=3, max_length=3)]

_MOST_NODES, _MOST_WAYS = 1_000, 2_500


class StopDocument(Document):
    low_hz: Hertz
    high_hz: Hertz
    loss_db: Decibel


class LoadDocument(Document):
    ma: Annotated[float, Field(ge=0)]
    min_volt: Annotated[float, Field(ge=0)] = 0.0


class SourceDocument(Document):
    volt: Annotated[float, Field(gt=0)]
    max_ma: Annotated[float, Field(ge=0)]


class NodeDocument(Document):
    """One block; the names are those of the shared vectors."""

    id: Annotated[str, Field(min_length=1)]
    type: Literal[
        "antenna", "loss", "cable", "filter", "amp", "hybrid", "split", "combiner", "dc", "receiver", "transmitter"
    ]
    side: Literal["A", "B"] = "A"
    gain_db: Decibel | None = 0.0
    steps_db: Annotated[list[Decibel], Field(max_length=64)] = []
    loss_db: Decibel = 0.0
    nf_db: Decibel | None = None
    iip3_dbm: Decibel | None = None
    oip3_dbm: Decibel | None = None
    p1db_in_dbm: Decibel | None = None
    p1db_out_dbm: Decibel | None = None
    needed_db: Decibel | None = None
    cable: str = ""
    k1: Annotated[float, Field(ge=0)] = 0.0
    k2: Annotated[float, Field(ge=0)] = 0.0
    length_m: Annotated[float, Field(ge=0, le=100_000)] = 0.0
    connectors: Annotated[int, Field(ge=0, le=100)] = 2
    ohm: Annotated[float, Field(ge=0)] = 0.0
    stop: list[StopDocument] = []
    ports: Annotated[int, Field(ge=1, le=1000)] = 1
    inputs: Annotated[int, Field(ge=1, le=1000)] | None = None
    outputs: Annotated[int, Field(ge=1, le=1000)] = 1
    excess_db: Decibel = 0.0
    rated_in_dbm: Decibel | None = None
    power_dbm: Decibel | None = None
    freq_hz: Annotated[int, Field(gt=0, le=10**12)] | None = None
    pattern: Literal["omni", "beam", "fixed"] = "fixed"
    gain_dbi: Decibel = 0.0
    beamwidth_deg: Annotated[float, Field(gt=0, le=360)] = 360.0
    front_back_db: Decibel = 15.0
    polarisation: Literal["linear", "rhcp", "lhcp"] = "linear"
    psi_deg: float = 0.0
    pos_m: Place | None = None
    aim_m: Place | None = None
    dc: Literal["pass", "block", "short"] | None = None
    load: LoadDocument | None = None
    source: SourceDocument | None = None

    @model_validator(mode="before")
    @classmethod
    def _left_out(cls, data: Any) -> Any:
        """`null` is meaningful for the gain of an amplifier only."""
        if isinstance(data, dict) and data.get("type") != "amp" and data.get("gain_db", 0.0) is None:
            raise ValueError("gain_db null is for amplifiers that are left out")
        return data


class ZoneDocument(Document):
    antennas: list[str]
    model: Literal["free", "indoor"] = "free"
    n: Annotated[float, Field(gt=0, le=80)] = 20.0
    obstacles_db: list[Decibel] = []


class EdgeDocument(Document):
    """An edge in its long form."""

    start: Annotated[str, Field(validation_alias=AliasChoices("from", "start"))]
    end: Annotated[str, Field(validation_alias=AliasChoices("to", "end"))]
    port: int | None = None


class ChainCarrierDocument(Document):
    id: str
    freq_hz: Annotated[int, Field(gt=0, le=10**12)]
    zone: str
    role: Literal["load", "wanted", "foreign"] = "load"
    level_dbm: Decibel | None = None
    power_dbm: Decibel | None = None
    gain_dbi: Decibel = 0.0
    body_db: Decibel = 0.0
    pointing_db: Decibel = 0.0
    psi_deg: float = 0.0
    polarisation: Literal["linear", "rhcp", "lhcp"] = "linear"
    distance_m: Annotated[float, Field(ge=0, le=1_000_000)] | None = None
    pos_m: Place | None = None
    also: dict[str, Decibel] = {}
    crest_db: Decibel = 0.0


class ChainDocument(Document):
    """A whole design."""

    format: Literal["azven-chain"]
    version: int
    name: str = ""
    freq_hz: Annotated[int, Field(gt=0, le=10**12)]
    bandwidth_hz: Annotated[int, Field(gt=0, le=10**9)]
    fa_db: Decibel = 0.0
    own_peaks: bool = True
    transmit_hz: Annotated[int, Field(gt=0, le=10**12)] | None = None
    zones: dict[str, ZoneDocument] = {}
    nodes: Annotated[list[NodeDocument], Field(max_length=_MOST_NODES)]
    edges: Annotated[
        list[Annotated[list[str], Field(min_length=2, max_length=2)] | EdgeDocument], Field(max_length=2 * _MOST_NODES)
    ]
    carriers: Annotated[list[ChainCarrierDocument], Field(max_length=_MOST_NODES)] = []


def read(data: Any) -> Design:
    """A checked design; FormatError in one line, with the path, when it cannot be used."""
    document = parse(ChainDocument, data, NAME, VERSION)
    edges = _edges(document)
    _check_nodes(document)
    _check_joints(document, edges)
    _check_carriers(document)
    design = _design(document, edges)
    _check_reach(document, design)
    return design


def _refuse(path: str, text: str) -> None:
    raise FormatError(f"{path}: {text}")


def _edges(document: ChainDocument) -> tuple[tuple[str, str], ...]:
    known = {n.id for n in document.nodes}
    out = []
    for i, edge in enumerate(document.edges):
        start, end = (edge.start, edge.end) if isinstance(edge, EdgeDocument) else (edge[0], edge[1])
        for name in (start, end):
            if name not in known:
                _refuse(f"edges[{i}]", f"names an unknown node '{name}'")
        if start == end or (start, end) in out:
            _refuse(f"edges[{i}]", f"joins {start} to itself" if start == end else "stands twice")
        out.append((start, end))
    sides = {n.id: n.side for n in document.nodes}
    for i, (start, end) in enumerate(out):
        if sides[start] != sides[end]:
            _refuse(f"edges[{i}]", f"joins {start} on side {sides[start]} to {end} on side {sides[end]}")
    return tuple(out)


def _check_nodes(document: ChainDocument) -> None:
    kinds = [n.type for n in document.nodes]
    if kinds.count("antenna") * max(kinds.count("receiver"), kinds.count("transmitter")) > _MOST_WAYS:
        _refuse("nodes", f"antennas and receivers, or transmitters, make more than {_MOST_WAYS} ways; split the design")
    seen: set[str] = set()
    for i, node in enumerate(document.nodes):
        if node.id in seen:
            _refuse(f"nodes[{i}].id", f"'{node.id}' stands twice")
        seen.add(node.id)
        if node.type == "cable" and node.cable and node.cable not in COAX:
            _refuse(f"nodes[{i}].cable", f"unknown class '{node.cable}'; known: {', '.join(COAX)}")
        if node.type in ("receiver", "split") and node.nf_db is None:
            _refuse(f"nodes[{i}].nf_db", "is needed")
        if node.type == "transmitter" and node.power_dbm is None:
            _refuse(f"nodes[{i}].power_dbm", "is needed")
    for name, zone in document.zones.items():
        for j, antenna in enumerate(zone.antennas):
            if antenna not in seen:
                _refuse(f"zones.{name}.antennas[{j}]", f"unknown node '{antenna}'")


def _check_joints(document: ChainDocument, edges: tuple[tuple[str, str], ...]) -> None:
    kinds = {n.id: n.type for n in document.nodes}
    for i, node in enumerate(document.nodes):
        into, out = sum(b == node.id for _, b in edges), sum(a == node.id for a, _ in edges)
        if into > 1 and node.type not in ("hybrid", "combiner"):
            _refuse(f"nodes[{i}]", f"a {node.type} has one input, {into} edges lead to it")
        if out > 1 and node.type not in ("hybrid", "split"):
            _refuse(f"nodes[{i}]", f"a {node.type} has one output, {out} edges leave it")
        most = {"hybrid": node.ports, "combiner": node.inputs or node.ports, "split": node.outputs}.get(node.type)
        if node.type == "combiner" and any(_ganged(kinds, edges, a) for a, b in edges if b == node.id):
            into -= 1  # that one takes the expansion input
        if most is not None and max(into, out) > most:
            _refuse(f"nodes[{i}]", f"{max(into, out)} edges do not fit its {most} ports")


def _ganged(kinds: Mapping[str, str], edges: tuple[tuple[str, str], ...], name: str) -> bool:
    """Whether what arrives from a block comes out of another combiner."""
    for _ in kinds:
        if kinds[name] == "combiner":
            return True
        before = [a for a, b in edges if b == name]
        if len(before) != 1:
            return False
        name = before[0]
    return False


def _check_carriers(document: ChainDocument) -> None:
    for i, carrier in enumerate(document.carriers):
        path = f"carriers[{i}]"
        for zone in (carrier.zone, *carrier.also):
            if zone not in document.zones:
                _refuse(f"{path}.zone", f"unknown zone '{zone}'")
        if carrier.level_dbm is None and carrier.power_dbm is None:
            _refuse(path, "needs level_dbm, or power_dbm with distance_m or pos_m")
        if carrier.level_dbm is None and carrier.distance_m is None and carrier.pos_m is None:
            _refuse(path, "power_dbm needs distance_m or pos_m")
        placed = {n.id for n in document.nodes if n.pos_m is not None}
        if carrier.level_dbm is None and carrier.distance_m is None:
            for antenna in document.zones[carrier.zone].antennas:
                if antenna not in placed:
                    _refuse(f"{path}.pos_m", f"antenna '{antenna}' has no pos_m to measure the distance from")


def _check_reach(document: ChainDocument, design: Design) -> None:
    from azven.rf.chain.graph import System, order

    system = System(blocks=design.blocks, edges=design.edges, freq_hz=design.freq_hz, bandwidth_hz=design.bandwidth_hz)
    try:
        order(system)
    except ValueError as error:
        raise FormatError(str(error)) from error
    for i, node in enumerate(document.nodes):
        if node.type == "receiver" and not system.inputs(node.id):
            _refuse(f"nodes[{i}]", f"receiver '{node.id}' is not reached")
        if node.type == "antenna" and not system.inputs(node.id) and not system.outputs(node.id):
            _refuse(f"nodes[{i}]", f"antenna '{node.id}' is joined to nothing")


def _point(place: list[float] | None) -> Point | None:
    return None if place is None else (place[0], place[1], place[2])


def _design(document: ChainDocument, edges: tuple[tuple[str, str], ...]) -> Design:
    nodes = {n.id: n for n in document.nodes}
    return Design(
        name=document.name,
        blocks={i: _block(n) for i, n in nodes.items()},
        edges=edges,
        freq_hz=document.freq_hz,
        bandwidth_hz=document.bandwidth_hz,
        fa_db=document.fa_db,
        zones={
            name: ZoneInfo(tuple(z.antennas), Medium(z.model, z.n, tuple(z.obstacles_db)))
            for name, z in document.zones.items()
        },
        antennas={i: _end(n) for i, n in nodes.items() if n.type == "antenna"},
        carriers=tuple(_carrier(c) for c in document.carriers),
        devices={i: _device(n) for i, n in nodes.items()},
        needed_db={i: n.needed_db for i, n in nodes.items() if n.needed_db is not None},
        powers_dbm={i: n.power_dbm for i, n in nodes.items() if n.type == "transmitter" and n.power_dbm is not None},
        rated_in_dbm={i: n.rated_in_dbm for i, n in nodes.items() if n.rated_in_dbm is not None},
        crests_included=document.own_peaks,
        sides={i: n.side for i, n in nodes.items()},
        transmit_hz=document.transmit_hz,
        transmitter_hz={i: n.freq_hz for i, n in nodes.items() if n.type == "transmitter" and n.freq_hz is not None},
    )


def _block(n: NodeDocument) -> Block:
    stop = tuple(Stop(s.low_hz, s.high_hz, s.loss_db) for s in n.stop)
    ports = n.inputs or n.ports if n.type == "combiner" else n.ports
    return Block(
        id=n.id,
        kind=n.type,
        gain_db=n.gain_db,
        loss_db=n.loss_db,
        nf_db=n.nf_db,
        iip3_dbm=n.iip3_dbm,
        oip3_dbm=n.oip3_dbm,
        p1db_in_dbm=n.p1db_in_dbm,
        p1db_out_dbm=n.p1db_out_dbm,
        cable=n.cable,
        k1=n.k1,
        k2=n.k2,
        length_m=n.length_m,
        connectors=n.connectors,
        stop=stop,
        ports=ports,
        outputs=n.outputs,
        excess_db=n.excess_db,
        steps_db=tuple(n.steps_db),
    )


def _end(n: NodeDocument) -> End:
    return End(
        gain_dbi=n.gain_dbi, kind=n.pattern, beamwidth_deg=n.beamwidth_deg, front_back_db=n.front_back_db,
        polarisation=n.polarisation, psi_deg=n.psi_deg, pos_m=_point(n.pos_m), aim_m=_point(n.aim_m),
    )  # fmt: skip


def _carrier(c: ChainCarrierDocument) -> CarrierSpec:
    tx = End(
        power_dbm=c.power_dbm or 0.0, gain_dbi=c.gain_dbi, body_db=c.body_db, pointing_db=c.pointing_db,
        psi_deg=c.psi_deg, polarisation=c.polarisation, pos_m=_point(c.pos_m),
    )  # fmt: skip
    return CarrierSpec(
        id=c.id,
        freq_hz=c.freq_hz,
        zone=c.zone,
        role=c.role,
        level_dbm=c.level_dbm,
        tx=tx,
        distance_m=c.distance_m,
        also=c.also,
        crest_db=c.crest_db,
    )


def _device(n: NodeDocument) -> Device:
    default = "pass" if n.type in ("cable", "loss") else "block"
    load = Load(n.load.ma, n.load.min_volt) if n.load else None
    source = Source(n.source.volt, n.source.max_ma) if n.source else None
    return Device(n.id, n.dc or default, n.ohm, load, source)
