"""Requests made from a seed, of all families that coordination meets: what nobody tuned the search on."""

import random
from collections.abc import Callable, Sequence

from azven.rf.request import Blocked, Carrier, PlanRequest, Profile, Range, Relation, Request

BASE = 470_000_000
CHANNEL = 8_000_000
KINDS = ("2a-b", "a+b-c", "3a-2b", "3a-b-c", "4a-3b", "5a-4b")


def made(seed: int, time_limit_s: float) -> PlanRequest:
    """The request of a seed; families take turns."""
    chance = random.Random(seed)
    family = FAMILIES[seed % len(FAMILIES)]
    parts = family(chance)
    return PlanRequest(seed=seed, time_limit_s=time_limit_s, **parts)  # type: ignore[arg-type]


def _voice(chance: random.Random, kinds: Sequence[str] = ("2a-b", "a+b-c")) -> Profile:
    guards = {k: chance.choice((25_000, 50_000, 100_000)) for k in kinds}
    return Profile(chance.choice((250_000, 300_000, 350_000, 400_000)), guards)


def _links(
    chance: random.Random, count: int, profiles: Sequence[str], zones: Sequence[str], megahertz: int,
    times: Callable[[], frozenset[str]] = frozenset, step_hz: int = 25_000, origin_hz: int = 0,
) -> tuple[Request, ...]:  # fmt: skip
    return tuple(
        Request(
            id=f"l{i}", profile=chance.choice(profiles), zone=chance.choice(zones), step_hz=step_hz,
            ranges=(Range(BASE, BASE + megahertz * 1_000_000),), origin_hz=origin_hz,
            priority=chance.choice((1, 2, 2, 3, 3, 3)), times=times(),
        )
        for i in range(count)
    )  # fmt: skip


def _holes(chance: random.Random, megahertz: int, share: float) -> tuple[Blocked, ...]:
    channels = range(BASE, BASE + megahertz * 1_000_000, CHANNEL)
    return tuple(Blocked(f, f + CHANNEL, "tv") for f in channels if chance.random() < share)


def _one_shape(chance: random.Random) -> dict[str, object]:
    wide = chance.choice((20, 40, 60, 138))
    links = _links(chance, chance.randint(8, 70), ["voice"], ["hall"], wide)
    return {"profiles": {"voice": _voice(chance)}, "zones": ("hall",), "requests": links}


def _city(chance: random.Random) -> dict[str, object]:
    parts = _one_shape(chance)
    return parts | {"blocked": _holes(chance, 138, chance.uniform(0.3, 0.7))}


def _sorts(chance: random.Random) -> dict[str, object]:
    names = ["lead", "voice", "ear", "intercom"][: chance.randint(2, 4)]
    kinds = (("2a-b",), ("2a-b", "a+b-c"), ("2a-b", "3a-2b"))
    profiles = {n: _voice(chance, chance.choice(kinds)) for n in names}
    links = _links(chance, chance.randint(10, 60), names, ["hall"], 80)
    return {"profiles": profiles, "zones": ("hall",), "requests": links, "blocked": _holes(chance, 80, 0.4)}


def _acts(chance: random.Random) -> dict[str, object]:
    acts = [f"act{i}" for i in range(chance.randint(2, 7))]

    def times() -> frozenset[str]:
        return frozenset(chance.sample(acts, chance.randint(1, 2))) if chance.random() < 0.8 else frozenset()

    links = _links(chance, chance.randint(15, 60), ["voice"], ["hall"], chance.choice((16, 24, 40)), times)
    profile = _voice(chance, chance.choice((("2a-b", "a+b-c"), ("2a-b", "3a-b-c"))))
    return {"profiles": {"voice": profile}, "zones": ("hall",), "requests": links}


def _rooms(chance: random.Random) -> dict[str, object]:
    zones = tuple(f"room{i}" for i in range(chance.randint(2, 6)))
    words: tuple[Relation, ...] = ("together", "near", "apart")
    pairs = [frozenset((a, b)) for i, a in enumerate(zones) for b in zones[i + 1 :]]
    profiles = {"voice": _voice(chance), "ear": _voice(chance, ("2a-b", "3a-2b"))}
    links = _links(chance, chance.randint(15, 60), ["voice", "ear"], zones, 60)
    relations = {p: chance.choice(words) for p in pairs}
    return {"profiles": profiles, "zones": zones, "requests": links, "relations": relations}


def _foreign(chance: random.Random) -> dict[str, object]:
    profiles = {"voice": _voice(chance), "foreign": Profile(300_000, {"2a-b": 50_000})}
    carriers = tuple(
        Carrier(
            id=f"f{i}", freq_hz=BASE + chance.randrange(60_000_000), profile="foreign", zone="hall",
            radiates=chance.random() < 0.7,
        )
        for i in range(chance.randint(5, 40))
    )  # fmt: skip
    links = _links(chance, chance.randint(8, 40), ["voice"], ["hall"], 60)
    return {"profiles": profiles, "zones": ("hall",), "requests": links, "carriers": carriers}


def _every_order(chance: random.Random) -> dict[str, object]:
    profile = _voice(chance, chance.sample(KINDS, chance.randint(2, 6)))
    steps = {"step_hz": chance.choice((12_500, 25_000, 100_000)), "origin_hz": chance.choice((0, 7_500))}
    links = _links(chance, chance.randint(6, 30), ["voice"], ["hall"], chance.choice((8, 20, 40)), **steps)
    return {"profiles": {"voice": profile}, "zones": ("hall",), "requests": links}


def _many(chance: random.Random) -> dict[str, object]:
    links = _links(chance, chance.randint(100, 200), ["voice"], ["hall"], 138)
    profile = Profile(300_000, {"2a-b": 50_000})
    return {"profiles": {"voice": profile}, "zones": ("hall",), "requests": links, "blocked": _holes(chance, 138, 0.4)}


FAMILIES = (_one_shape, _city, _sorts, _acts, _rooms, _foreign, _every_order, _many)
