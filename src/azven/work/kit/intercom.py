"""How large an intercom has to be: how many transceivers, where, which cables, which batteries (domain, section 7)."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType

from azven.book.reading import Reading
from azven.book.records import Mount, Occupant, TalkGroup, Wall, Zone
from azven.refusal import Refusal
from azven.rf import bands, dect
from azven.rf import intercom as rf
from azven.rf.batteries import Rotation
from azven.rf.intercom import Coverage, Where
from azven.rf.walls import WallLine
from azven.work import ground
from azven.work.ground import places
from azven.work.scope import Scope
from azven.work.wording import listed, one_line

BANDS_HZ: Mapping[str, float] = MappingProxyType({"1.9 GHz": 1.89e9, "2.4 GHz": 2.44e9, "5 GHz": 5.5e9})
REGIONS = ("europe", "north-america")
_SLACK_M = 5.0
"""A cable takes so much for its ends."""


@dataclass(frozen=True, kw_only=True)
class Asked:
    """What the intercom is to do. Rooms by their numbers, `outdoor` those of them without a roof; `base` is the
    mounting place beside the base station, 0 for none yet; radii and cable in metres, times in minutes."""

    band: str = "1.9 GHz"
    region: str = "europe"
    packs: int = 8
    talkers: int = 8
    wide: bool = False
    slots_of_one: int = 10
    talkers_of_base: int = 16
    groups: int = 1
    rooms: tuple[int, ...] = ()
    outdoor: tuple[int, ...] = ()
    base: int = 0
    indoor_m: float = 20.0
    outdoor_m: float = 60.0
    cable_m: float = rf.CABLE_M
    show_min: int = 240
    run_min: int = 300
    reserve_min: int = 30
    charge_min: int = 150
    bays: int = 5

    @property
    def slots(self) -> int:
        """Slots that all packs take together."""
        return self.packs * (2 if self.wide else 1)


@dataclass(frozen=True, kw_only=True)
class Cable:
    """A mounting place, how long the cable to it is [m], None where the base is nowhere yet, and whether a transceiver
    is to be there."""

    mount: Mount
    length_m: float | None
    used: bool
    too_long: bool


@dataclass(frozen=True, kw_only=True)
class Sized:
    """The answer; `wrong` says what does not work and what is missing, in sentences."""

    asked: Asked
    by_slots: int
    coverage: Coverage | None
    cables: tuple[Cable, ...]
    slots_there_are: int | None
    batteries: int | None
    changes: int
    wrong: tuple[str, ...]
    people: int = 0
    """People in the talk groups."""
    systems: int = 1

    @property
    def transceivers(self) -> int | None:
        """None where coverage is not known."""
        return None if self.coverage is None else max(self.by_slots, len(self.coverage.places))


def talk_groups(store: Reading, scope: Scope) -> list[TalkGroup]:
    return sorted(store.all(TalkGroup, show_id=scope.show), key=lambda g: (g.position, g.id))


def rooms_drawn(store: Reading, scope: Scope) -> list[Zone]:
    """Rooms whose outline is on the site's plan."""
    return [z for z in ground.zones(store, scope) if len(z.shape) > 2]


def mounts(store: Reading, scope: Scope) -> list[Mount]:
    """Every mounting place of the site."""
    return [m for z in ground.zones(store, scope) for m in store.all(Mount, zone_id=z.id)]


@dataclass(frozen=True)
class Question:
    """What is asked, with all that the book says to it; `answer` is pure, and takes a while for large grounds."""

    asked: Asked
    zones: Mapping[int, Zone]
    mounts: tuple[Mount, ...]
    walls: tuple[WallLine, ...]
    groups: tuple[TalkGroup, ...]
    strangers: int = 0
    """Systems of others that are known at 1.9 GHz."""

    def answer(self) -> Sized:
        """How large it has to be. Refusal for what cannot be meant."""
        asked, there = self.asked, self._cables()
        coverage, missing = self._coverage(there)
        slots, scarce = _capacity(asked, self.systems)
        batteries, changes, unusual = _batteries(asked)
        used = set(coverage.places) if coverage else set()
        cables = tuple(
            Cable(mount=c.mount, length_m=c.length_m, used=str(c.mount.id) in used, too_long=c.too_long) for c in there
        )
        return Sized(
            asked=asked, by_slots=rf.by_slots([(asked.packs, 2 if asked.wide else 1)], asked.slots_of_one),
            coverage=coverage, cables=cables, slots_there_are=slots, batteries=batteries, changes=changes,
            wrong=(*missing, *scarce, *self._talking(), *unusual), people=self.people, systems=self.systems,
        )  # fmt: skip

    @property
    def systems(self) -> int:
        """Systems in one space, this one included: as many as are said, or as are known to be there."""
        return max(self.asked.groups, 1 + self.strangers)

    @property
    def people(self) -> int:
        """People in the talk groups, each counted once."""
        return len({one_line(p).casefold() for g in self.groups for p in g.people})

    def _talking(self) -> list[str]:
        """What the talk groups ask for that is not there."""
        asked, out = self.asked, []
        at_once = sum(g.at_once for g in self.groups)
        if asked.talkers > asked.talkers_of_base:
            out.append(f"{asked.talkers} are to talk at once, the base allows {asked.talkers_of_base}.")
        if at_once > asked.talkers:
            out.append(f"The talk groups need {at_once} to talk at once, {asked.talkers} are planned.")
        if self.people > asked.packs:
            out.append(f"{self.people} people are in talk groups, there are {asked.packs} packs.")
        out += [f"{g.name}: {g.at_once} are to talk at once, {len(g.people)} are in it."
                for g in self.groups if g.at_once > len(g.people)]  # fmt: skip
        return out

    def _cables(self) -> list[Cable]:
        """Cables along the walls: across, along and up, with slack for both ends."""
        base = next((m for m in self.mounts if m.id == self.asked.base), None)
        out = []
        for mount in self.mounts:
            length = None
            if base is not None:
                across = abs(mount.x_m - base.x_m) + abs(mount.y_m - base.y_m)
                length = across + abs(mount.z_m - base.z_m) + _SLACK_M
            long = length is not None and length > self.asked.cable_m
            out.append(Cable(mount=mount, length_m=length, used=False, too_long=long))
        return out

    def _coverage(self, there: Sequence[Cable]) -> tuple[Coverage | None, list[str]]:
        """The fewest places, or what is missing."""
        chosen = [self.zones[r] for r in self.asked.rooms if r in self.zones]
        if not chosen:
            return None, ["Choose the rooms where people talk."]
        undrawn = [z.name for z in chosen if len(z.shape) < 3]
        if undrawn:
            return None, [f"{listed(undrawn, 3)}: no outline is drawn, so coverage is not known. Reach draws it."]
        if not there:
            return None, ["No mounting place is on the plan; Reach sets them."]
        areas = [rf.Area(z.shape, self._where(z.id)) for z in chosen]
        placed = [
            rf.Place(id=str(c.mount.id), at_m=(c.mount.x_m, c.mount.y_m), where=self._where(c.mount.zone_id),
                     cable_m=c.length_m or 0.0)
            for c in there
        ]  # fmt: skip
        radii: dict[Where, float] = {"indoor": self.asked.indoor_m, "outdoor": self.asked.outdoor_m}
        try:
            found = rf.coverage(areas, placed, radii, self.walls, self.asked.cable_m)
        except ValueError as error:
            if not str(error).startswith("coverage"):
                return None, [f"Coverage: {error}."]
            near = " that a cable reaches" if any(c.too_long for c in there) else ""
            said = f"All mounting places{near} together do not cover 99 % of these rooms: more places are needed."
            return None, [said]
        unknown = "Where the base stands is not said, so no cable length is known."
        return found, [unknown] if there[0].length_m is None else []

    def _where(self, zone: int) -> Where:
        return "outdoor" if zone in self.asked.outdoor else "indoor"


def question(store: Reading, scope: Scope, asked: Asked) -> Question:
    """All that the answer hangs on. Refusal for what cannot be meant."""
    if asked.band not in BANDS_HZ or asked.region not in REGIONS:
        raise Refusal("The band is 1.9, 2.4 or 5 GHz.")
    if asked.packs < 1 or asked.slots_of_one < 1:
        raise Refusal("It takes a pack, and a transceiver with a slot.")
    zones = {z.id: z for z in ground.zones(store, scope)}
    walls = walls_at(store, scope, BANDS_HZ[asked.band])
    there = store.all(Occupant, site_id=scope.site) if asked.band == bands.DECT else ()
    strangers = sum(bands.of(o.centre_hz).name == bands.DECT for o in there)
    return Question(asked, zones, tuple(mounts(store, scope)), walls, tuple(talk_groups(store, scope)), strangers)


def size(store: Reading, scope: Scope, asked: Asked) -> Sized:
    """How large it has to be. Refusal for what cannot be meant."""
    return question(store, scope, asked).answer()


def walls_at(store: Reading, scope: Scope, freq_hz: float) -> tuple[WallLine, ...]:
    """The site's walls with what each costs at a frequency."""
    lines = places.wall_lines(store.all(Wall, site_id=ground.here(store, scope).site.id))
    return places.walls_at(lines, freq_hz)


def _capacity(asked: Asked, systems: int) -> tuple[int | None, list[str]]:
    """Slots that one space carries, where the band has slots; what does not fit."""
    if asked.band != "1.9 GHz":
        return None, []
    each = dect.slots_each(len(dect.carriers_hz(asked.region)), systems)
    if asked.slots <= each:
        return each, []
    beside = "" if systems < 2 else f" beside {systems - 1} that it is not synchronised with"
    return each, [f"{asked.slots} slots are asked for, one system carries {each}{beside}."]


def _batteries(asked: Asked) -> tuple[int | None, int, list[str]]:
    try:
        rotation = Rotation(
            packs=asked.packs, show_min=asked.show_min, run_min=asked.run_min, reserve_min=asked.reserve_min,
            charge_min=asked.charge_min, bays=asked.bays,
        )  # fmt: skip
        return rotation.batteries(), rotation.changes, []
    except ValueError as error:
        return None, 0, [f"Batteries: {error}."]


def in_words(found: Sized) -> tuple[tuple[str, str], ...]:
    """The answer as rows: what, and how much."""
    asked, rows = found.asked, list[tuple[str, str]]()
    count = "not known" if found.transceivers is None else str(found.transceivers)
    rows.append(("transceivers", count))
    rows.append(("by slots", f"{found.by_slots}, for {asked.slots} slots with {asked.slots_of_one} on each"))
    if found.coverage is None:
        rows.append(("by coverage", "not known"))
    else:
        share = found.coverage.covered / max(found.coverage.points, 1)
        sure = "fewer do not do" if found.coverage.exact else "the best found"
        rows.append(("by coverage", f"{len(found.coverage.places)}, for {100 * share:.1f} % of the area; {sure}"))
        rows.append(("reach", f"{asked.indoor_m:g} m indoors, {asked.outdoor_m:g} m outdoors, less behind walls"))
        if found.by_slots > len(found.coverage.places):
            more = found.by_slots - len(found.coverage.places)
            rows.append(("for the slots", f"{more} more, beside those that cover"))
    if found.slots_there_are is not None:
        beside = f", beside {found.systems - 1} not synchronised" if found.systems > 1 else ""
        rows.append(("slots in the band", f"{asked.slots} of {found.slots_there_are} are asked for{beside}"))
    if found.people:
        rows.append(("people", f"{found.people} in talk groups, {asked.packs} packs"))
    rows.append(("talk at once", f"{asked.talkers} of {asked.talkers_of_base}"))
    for cable in (c for c in found.cables if c.used):
        length = "not known" if cable.length_m is None else f"{cable.length_m:.0f} m of {asked.cable_m:g} m"
        rows.append((f"cable to {cable.mount.name}", length))
    every = asked.run_min - asked.reserve_min
    if found.batteries is not None:
        spoken = f"{found.batteries}, those in the packs too"
        rows.append(("batteries", spoken))
        changes = f"all packs every {every} min, {found.changes} times" if found.changes else "none during the show"
        rows.append(("changes", changes))
        rows.append(("charger", f"{asked.bays} bays, {asked.charge_min} min each"))
    return tuple(rows)
