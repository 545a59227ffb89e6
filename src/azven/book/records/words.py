"""The words that fields of records may hold, each with the tuple of them all."""

from typing import Literal, get_args

Service = Literal["voice", "in-ear", "intercom", "data"]
UseClass = Literal["quiet", "usable"]
RelationName = Literal["together", "near", "apart"]
Hears = Literal["everyone", "in-ears", "receivers"]
NeighbourKind = Literal["neighbour", "avoid", "ours"]
School = Literal["spacing", "both", "level"]
PermitKind = Literal["licence", "override"]
Clutter = Literal["open", "suburb", "town", "city"]
AreaKind = Literal["stage", "audience", "backstage"]
MountKind = Literal["wall", "truss", "mast", "stand"]
AntennaRole = Literal["receive", "transmit"]
AntennaKind = Literal["omni", "beam", "fixed"]
Polarisation = Literal["linear", "rhcp", "lhcp"]
Side = Literal["A", "B"]
Detector = Literal["average", "peak"]
PowerKind = Literal["conducted", "e.r.p."]
Form = Literal["hand-held", "pack", "plug-on", "rack", "base", "camera"]
Audio = Literal["mono", "stereo", "two mixes"]
Condition = Literal["good", "to be checked", "faulty", "in repair"]
Phone = Literal["left behind", "flight mode", "on, away from the packs", "on, in a pocket"]
BodySide = Literal["left", "right"]
RouteKind = Literal["console input", "network channel", "analogue port"]
WideState = Literal["muted", "active", "last"]
Choosing = Literal["is set", "itself", "hops"]
PortKind = Literal["two-wire", "four-wire", "radio", "telephone"]
ProofStep = Literal["reset", "band", "network", "frequency", "off", "sync", "on", "tone", "level", "gain", "lock",
                    "squelch", "spare"]  # fmt: skip
Outcome = Literal["held", "remark", "failed", "left open"]

SERVICES: tuple[Service, ...] = get_args(Service)
USE_CLASSES: tuple[UseClass, ...] = get_args(UseClass)
RELATIONS: tuple[RelationName, ...] = get_args(RelationName)
HEARS: tuple[Hears, ...] = get_args(Hears)
NEIGHBOUR_KINDS: tuple[NeighbourKind, ...] = get_args(NeighbourKind)
SCHOOLS: tuple[School, ...] = get_args(School)
PERMIT_KINDS: tuple[PermitKind, ...] = get_args(PermitKind)
AREA_KINDS: tuple[AreaKind, ...] = get_args(AreaKind)
MOUNT_KINDS: tuple[MountKind, ...] = get_args(MountKind)
ANTENNA_ROLES: tuple[AntennaRole, ...] = get_args(AntennaRole)
ANTENNA_KINDS: tuple[AntennaKind, ...] = get_args(AntennaKind)
POLARISATIONS: tuple[Polarisation, ...] = get_args(Polarisation)
SIDES: tuple[Side, ...] = get_args(Side)
DETECTORS: tuple[Detector, ...] = get_args(Detector)
POWER_KINDS: tuple[PowerKind, ...] = get_args(PowerKind)
FORMS: tuple[Form, ...] = get_args(Form)
AUDIO: tuple[Audio, ...] = get_args(Audio)
CONDITIONS: tuple[Condition, ...] = get_args(Condition)
PHONES: tuple[Phone, ...] = get_args(Phone)
BODY_SIDES: tuple[BodySide, ...] = get_args(BodySide)
ROUTE_KINDS: tuple[RouteKind, ...] = get_args(RouteKind)
WIDE_STATES: tuple[WideState, ...] = get_args(WideState)
CHOOSINGS: tuple[Choosing, ...] = get_args(Choosing)
PORT_KINDS: tuple[PortKind, ...] = get_args(PortKind)
PROOF_STEPS: tuple[ProofStep, ...] = get_args(ProofStep)
OUTCOMES: tuple[Outcome, ...] = get_args(Outcome)
