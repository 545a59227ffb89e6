"""Strong signals beside our band at an antenna: what they do through the filter's shape, at any distance."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from azven.book.records import Model
from azven.book.store import Store
from azven.refusal import Refusal
from azven.rf.chain.blocks import ACTIVE
from azven.rf.chain.design import Design, solve_design
from azven.rf.chain.outgoing import transmit_results
from azven.rf.levels import dbm
from azven.rf.links import End, path_db
from azven.rf.sweep import Channel, band_power_dbm
from azven.rf.wideband import CREST_DB
from azven.work.chain.systems import Document, Side, designs, document_of, everything_up, read, side, thawed
from azven.work.chain.templates import middle_of_ears
from azven.work.kit import wide_places
from azven.work.listen import Picture
from azven.work.scope import Scope
from azven.work.wording import decibel

THREAT_ID = "keyed up: "


@dataclass(frozen=True)
class Threat:
    """A strong foreign transmitter: EIRP [dBm] at `freq_hz`, looked at up to `farthest_m`; or, without a distance, a
    level [dBm] that stands at the antenna's terminals."""

    name: str
    freq_hz: int
    eirp_dbm: float = 0.0
    farthest_m: float = 0.0
    level_dbm: float | None = None

    def at(self, antenna: End, distance_m: float) -> float:
        """Level [dBm] at an antenna that has it in its main lobe, in free space."""
        if self.level_dbm is not None:
            return self.level_dbm
        return self.eirp_dbm + antenna.gain_dbi - float(path_db(self.freq_hz, distance_m))


RADIO = Threat("hand-held radio, 5 W at 460 MHz", 460_000_000, 37.0, 30.0)
BASE = Threat("mobile base station at 780 MHz", 780_000_000, 58.0, 500.0)


def threats(store: Store, scope: Scope, picture: Picture, design: Design) -> list[Threat]:
    """What can be tried on a design: a radio, a base station, the strongest multiplex that the sweeps hear, and of ours
    the in-ear antenna and wideband carriers."""
    found = [RADIO, BASE]
    if television := multiplexes(picture):
        channel, power = max(television, key=lambda t: t[1])
        centre = (channel.low_hz + channel.high_hz) // 2
        found.append(Threat(f"multiplex on channel {channel.name}, as swept", centre, level_dbm=power))
    sent = next(iter(transmit_results(design).values()), None)
    ears_hz = middle_of_ears(store, scope)
    if ears_hz is not None:
        eirp = sent.eirp_total_dbm if sent is not None else 17.0 + 6.5 + 10.0
        found.append(Threat("our own in-ear antenna, face to face", ears_hz, eirp, 20.0))
    for carrier in wide_places.carriers(store, scope):
        span = wide_places.span_hz(store, scope, carrier)
        if span is not None:
            peak = float(dbm(store.get(Model, carrier.model_id).power_mw)) + CREST_DB
            found.append(Threat(f"wideband carrier {carrier.name}, at its peaks", round(sum(span) / 2), peak, 30.0))
    return found


def multiplexes(picture: Picture) -> list[tuple[Channel, float]]:
    """Channels that the sweeps show taken, with the power [dBm] heard there."""
    out = []
    for reading in (d.reading for d in picture.decisions.get("voice", ())):
        merged = picture.merged(reading.channel.low_hz, reading.channel.high_hz)
        if merged is not None and reading.occupancy == "taken":
            power = band_power_dbm(merged, reading.channel.low_hz, reading.channel.high_hz)
            if power is not None:
                out.append((reading.channel, power))
    return out


def with_threat(document: Document, zone: str, threat: Threat, distance_m: float | None) -> Document:
    """The document with a threat on the air in a zone, or without any. Refusal for a zone without antennas."""
    out: Document = thawed(document)
    out["carriers"] = [c for c in out.get("carriers", []) if not c["id"].startswith(THREAT_ID)]
    if distance_m is None:
        return out
    design = read(document)
    antennas = design.zones[zone].antennas
    if not antennas:
        raise Refusal(f"{zone} has no antenna in this design.")
    level = round(threat.at(design.antennas.get(antennas[0], End()), distance_m), 2)
    out["carriers"].append({
        "id": THREAT_ID + threat.name, "freq_hz": threat.freq_hz, "zone": zone, "level_dbm": level, "role": "foreign",
    })  # fmt: skip
    return out


def behind_filter_dbm(document: Document, zone: str, threat: Threat, distance_m: float) -> tuple[float, float]:
    """Level of a threat at the first antenna of a zone, and behind the passive blocks before its first amplifier."""
    design = read(document)
    name = design.zones[zone].antennas[0]
    level = threat.at(design.antennas.get(name, End()), distance_m)
    behind, at = level, name
    while (following := [b for a, b in design.edges if a == at]) and design.blocks[following[0]].kind not in ACTIVE:
        at = following[0]
        behind += design.blocks[at].gain_at(threat.freq_hz)
    return level, behind


RADIO_M = 3.0


def side_with_radio(name: str, document: Document, settings: Mapping[str, float | None] | None = None) -> Side:
    """A design in a comparison, with its headroom while a radio keys up 3 m from the antenna that stands it worst."""
    tuned = settings or {}
    worst = min(_headroom_with_radio(document, tuned).values(), default=None)
    return replace(side(name, read(document).with_settings(tuned)), radio_headroom_db=worst)


def _headroom_with_radio(document: Document, settings: Mapping[str, float | None]) -> dict[str, float]:
    """Headroom [dB] that is left while a radio keys up near the antenna of a room, by room."""
    out = {}
    for zone, info in read(document).zones.items():
        if info.antennas:
            keyed = read(with_threat(document, zone, RADIO, RADIO_M)).with_settings(settings)
            room = side("", keyed).headroom_db
            if room is not None:
                out[zone] = room
    return out


def interferer(document: Document, settings: Mapping[str, float | None]) -> str:
    """Who loads a tuned design most, and what the strongest credible stranger would leave of its headroom."""
    design = read(document).with_settings(settings)
    solved = solve_design(design)
    known = _headroom_with_radio(document, settings)
    limiting = next((r for r in solved.receivers if r.limiting_stage), None)
    if limiting is None or limiting.limiting_stage is None or not known:
        return ""
    stage, worst = limiting.limiting_stage, min(known, key=lambda z: known[z])
    who, level = max(solved.joints[stage].signals.items(), key=lambda kv: kv[1])
    return (
        f"The strongest at {stage} is {who.split(' @ ')[0]}, {decibel(level)}; a 5 W radio {RADIO_M:g} m from the "
        f"antenna in {worst} would leave {decibel(known[worst], 'dB')} of headroom."
    )


def sides(document: Document) -> list[Side]:
    """The design as it is, with everything turned up, and with its filters elsewhere or gone."""
    plain = with_threat(document, "", RADIO, None)
    out = [side_with_radio("as it is", plain), side_with_radio("everything turned up", everything_up(plain))]
    for words, keep in (("filters behind the amplifiers", True), ("without filters", False)):
        moved = filter_moved(plain, keep)
        if moved is not None:
            out.append(side_with_radio(words, moved))
    return out


def others(store: Store, scope: Scope, document: Document) -> list[Side]:
    """The other receive systems of the site, by name."""
    found = [document_of(d) for d in designs(store, scope)]
    return [
        side_with_radio(str(d["name"]), d)
        for d in found if d["name"] != document.get("name") and read(d).receivers()
    ]  # fmt: skip


def filter_moved(document: Document, keep: bool) -> Document | None:
    """The design with every filter behind the amplifier that follows it, or (`keep` False) without any; None where no
    filter stands in front of an amplifier."""
    out: Document = thawed(document)
    kind = {n["id"]: n["type"] for n in out["nodes"]}
    edges = [list(e) for e in read(document).edges]
    moved = [(a, b) for a, b in edges if kind[a] == "filter" and kind[b] == "amp"]
    for flt, amp in moved:
        before = next(e for e in edges if e[1] == flt)
        after = next(e for e in edges if e[0] == amp)
        edges.remove([flt, amp])
        before[1] = amp
        if keep:
            edges += [[amp, flt], [flt, after[1]]]
            edges.remove(after)
        else:
            out["nodes"] = [n for n in out["nodes"] if n["id"] != flt]
    out["edges"] = edges
    return out if moved else None
