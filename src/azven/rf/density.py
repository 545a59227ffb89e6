"""Cautious to dense: what each step of protection costs and gives up."""

from dataclasses import dataclass

from azven.rf.request import Profile


@dataclass(frozen=True)
class Step:
    """One step of the scale: factors on spacing and guards, and in words what is given up against the one before."""

    name: str
    gives_up: str
    spacing: float
    factors: dict[str, float]
    least_hz: dict[str, int]


STEPS = (
    Step(
        "cautious",
        "Nothing given up: wider guards than the equipment asks for, fifth order of three signals included.",
        1.25,
        {"2a-b": 1.5, "a+b-c": 1.5, "3a-2b": 1.5},
        {"a+b-c": 50_000, "3a-2b": 50_000, "3a-b-c": 25_000},
    ),
    Step(
        "balanced",
        "Fifth-order products of three transmitters may land on a link; they are weak unless packs touch.",
        1.0,
        {"2a-b": 1.0, "a+b-c": 1.0, "3a-2b": 1.0},
        {},
    ),
    Step(
        "close",
        "Guards against three-transmitter products are halved; fifth order is no longer looked at.",
        1.0,
        {"2a-b": 1.0, "a+b-c": 0.5},
        {},
    ),
    Step(
        "tight",
        "Three-transmitter products may land on a link: keep transmitters apart from one another.",
        1.0,
        {"2a-b": 0.75},
        {},
    ),
    Step(
        "dense",
        "Two-transmitter guards are halved and neighbours stand closer: only for well separated transmitters.",
        0.85,
        {"2a-b": 0.5},
        {},
    ),
)


def at_density(profile: Profile, step: int) -> Profile:
    """A profile's spacing and guards at a step, 0 the most cautious; ValueError beyond the scale."""
    if not 0 <= step < len(STEPS):
        raise ValueError(f"the scale has steps 0 to {len(STEPS) - 1}, not {step}")
    scale = STEPS[step]
    guards = {kind: round(profile.guard(kind) * factor) for kind, factor in scale.factors.items()}
    for kind, least in scale.least_hz.items():
        guards[kind] = max(guards.get(kind, 0), least)
    return Profile(round(profile.spacing_hz * scale.spacing), {k: g for k, g in guards.items() if g}, profile.width_hz)
