"""Whether links, rack units and packs fit one another: bands, receivers, condition."""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from azven.book.reading import Reading
from azven.book.records import Link, Model, Reception, Unit, Worn
from azven.work.kit.gear import acts, acts_note, as_used, links, planned, units
from azven.work.scope import Scope
from azven.work.wording import listed, mhz

_UNFIT = ("faulty", "in repair")


@dataclass(frozen=True)
class Note:
    """Something that is said at a link or a unit; `wrong` where it cannot work, else only good to know."""

    text: str
    wrong: bool = True


Notes = Mapping[int, tuple[Note, ...]]


@dataclass(frozen=True)
class Fits:
    """What is said of links and units, by their numbers, and which rack units hear each link."""

    links: Notes
    units: Notes
    heard_by: Mapping[int, tuple[tuple[Unit, int], ...]]

    @property
    def open_points(self) -> int:
        """Links and units of which something is wrong."""
        return sum(any(n.wrong for n in notes) for notes in [*self.links.values(), *self.units.values()])

    def state(self, kind: type[Link] | type[Unit], number: int) -> str:
        """Broken where something is wrong with a link or a unit, empty where nothing is."""
        return "broken" if any(n.wrong for n in (self.links if kind is Link else self.units).get(number, ())) else ""

    def words(self, kind: type[Link] | type[Unit], number: int) -> str:
        """Everything that is said of a link or a unit, in one line."""
        return " ".join(n.text for n in (self.links if kind is Link else self.units).get(number, ()))


def receptions(store: Reading, listed_links: Iterable[Link]) -> dict[int, list[tuple[int, int]]]:
    """The rack units that hear each link with the receiver there: its own first, then further ones."""
    out = {x.id: [(x.unit_id, x.receiver)] if x.unit_id else [] for x in listed_links}
    for more in store.all(Reception):
        if more.link_id in out:
            out[more.link_id].append((more.unit_id, more.receiver))
    return out


def further_receivers(store: Reading) -> dict[int, tuple[int, ...]]:
    """The rack units that hear a link beside its own, by the link's number."""
    out: dict[int, tuple[int, ...]] = {}
    for more in store.all(Reception):
        out[more.link_id] = (*out.get(more.link_id, ()), more.unit_id)
    return out


def fits(store: Reading, scope: Scope) -> Fits:
    """Everything that is to be said of the show's links and the site's units."""
    return _Looking(store, scope).found()


def share_an_act(a: Link, b: Link) -> bool:
    """Whether two links are ever on at once."""
    return not a.acts or not b.acts or bool(set(a.acts) & set(b.acts))


class _Looking:
    def __init__(self, store: Reading, scope: Scope) -> None:
        self.links = [x for x in links(store, scope) if not x.set_aside]
        self.acts = acts(store, scope)
        self.models = {m.id: m for m in store.all(Model)}
        self.units = {u.id: u for u in units(store, scope)}
        ends = receptions(store, self.links)
        self.heard = {k: tuple((self.units[u], n) for u, n in found if u in self.units) for k, found in ends.items()}
        here = {x.id for x in self.links}
        self.packs = [
            (w, self.units[w.unit_id]) for w in store.all(Worn) if w.link_id in here and w.unit_id in self.units
        ]
        self.frequencies = planned(store, scope)
        self._of_links: dict[int, dict[str, Note]] = defaultdict(dict)
        self._of_units: dict[int, dict[str, Note]] = defaultdict(dict)

    def found(self) -> Fits:
        for link in self.links:
            self._look_at(link)
        for unit in self.units.values():
            self._look_at_receivers(unit)
        by_id = {x.id: x for x in self.links}
        for worn, pack in self.packs:
            self._look_at_pack(by_id[worn.link_id], pack)
        return Fits(_tuples(self._of_links), _tuples(self._of_units), self.heard)

    def _say(self, text: str, link: Link | None = None, unit: Unit | None = None, wrong: bool = True) -> None:
        if link is not None:
            self._of_links[link.id][text] = Note(text, wrong)
        if unit is not None:
            self._of_units[unit.id][text] = Note(text, wrong)

    def _look_at(self, link: Link) -> None:
        model = as_used(self.models[link.model_id], link)
        if gone := acts_note(link):
            self._say(gone, link)
        if model.capacity:
            self._say(f"{model.name} carries many links; here it is planned as one of its width.", link, wrong=False)
        for unit, _ in self.heard[link.id]:
            if note := band_note(link, unit, model):
                self._say(note, link, unit, wrong=not meets(link, unit, model))
            self._look_at_kind(link, model, unit)
            if unit.condition in _UNFIT:
                self._say(f"{unit.name}, which {link.name} is on, is {unit.condition}.", link, unit)
        if len(self.heard[link.id]) > 1:
            names = listed([_receiver(u, n) for u, n in self.heard[link.id]])
            self._say(f"{_ends(link)} {names}.", link, wrong=False)

    def _look_at_kind(self, link: Link, model: Model, unit: Unit) -> None:
        rack = self.models[unit.model_id]
        if unit.carried:
            self._say(f"{unit.name} is carried; {link.name} needs a rack unit.", link, unit)
        elif rack.service != model.service or (rack.modulation and model.modulation != rack.modulation):
            self._say(f"{unit.name} is {rack.name}; it does not work with {model.name}.", link, unit)

    def _look_at_receivers(self, unit: Unit) -> None:
        on = [(x, n) for x in self.links for u, n in self.heard[x.id] if u.id == unit.id]
        if not on:
            return
        for act in [*(a.id for a in self.acts), None]:
            together = [x for x, _ in on if not x.acts or act in x.acts]
            if len(together) > unit.channels and not unit.carried:
                what = "transmitters" if together[0].service == "in-ear" else "receivers"
                text = f"{unit.name} has {unit.channels} {what}; {len(together)} links need one at once."
                self._say(text, unit=unit)
                for link in together:
                    self._say(text, link)
                break
        for link, number in on:
            if number > unit.channels:
                self._say(f"{unit.name} has {unit.channels} receivers, no number {number}.", link, unit)
        self._look_at_shared(unit, on)

    def _look_at_shared(self, unit: Unit, on: Sequence[tuple[Link, int]]) -> None:
        """A receiver hears one transmitter at a time: an instrument may be changed in a break."""
        by_number: dict[int, list[Link]] = defaultdict(list)
        for link, number in on:
            if number:
                by_number[number].append(link)
        for number, sharing in by_number.items():
            for i, a in enumerate(sharing):
                for b in sharing[i + 1 :]:
                    both = f"{a.name} and {b.name} share {_receiver(unit, number)}"
                    if share_an_act(a, b):
                        text = f"{both} and are on at once."
                        self._say(text, a, unit)
                        self._say(text, b)
                    else:
                        self._say(f"{both}, one after the other.", a, unit, wrong=False)
                        self._say(f"{both}, one after the other.", b, wrong=False)

    def _look_at_pack(self, link: Link, pack: Unit) -> None:
        model, own = self.models[link.model_id], self.models[pack.model_id]
        if pack.condition in _UNFIT:
            self._say(f"{pack.name}, which carries {link.name}, is {pack.condition}.", link, pack)
        if own.service != model.service or own.modulation != model.modulation:
            self._say(f"{pack.name} is {own.name}; {link.name} is {model.name}.", link, pack)
        ends = {b[0]: b for b in own.bands}, {b[0]: b for b in model.bands}
        mine, asked = ends[0].get(pack.band), ends[1].get(link.band)
        freq = self.frequencies.get(link.id)
        if mine is None or asked is None or max(mine[1], asked[1]) >= min(mine[2], asked[2]):
            self._say(f"{pack.name} is built for {pack.band}; {link.name} is in {link.band}.", link, pack)
        elif freq is not None and not mine[1] <= freq <= mine[2]:
            self._say(f"{pack.name} ({pack.band}) cannot be tuned to {mhz(freq)} of {link.name}.", link, pack)
        elif mine[1:] != asked[1:]:
            low, high = max(mine[1], asked[1]), min(mine[2], asked[2])
            self._say(f"Only {low / 1e6:g}–{high / 1e6:g} MHz of {link.band} is in reach of {pack.name}.", link, pack,
                      wrong=False)  # fmt: skip


def _tuples(found: Mapping[int, Mapping[str, Note]]) -> dict[int, tuple[Note, ...]]:
    return {k: tuple(sorted(v.values(), key=lambda n: not n.wrong)) for k, v in found.items()}


def _ends(link: Link) -> str:
    return "Sent by" if link.service == "in-ear" else "Heard by"


def _receiver(unit: Unit, number: int) -> str:
    return f"{unit.name} · {number}" if number else unit.name


def shared_band(link: Link, unit: Unit, model: Model) -> tuple[int, int] | None:
    """What a link's transmitter and its receiver can both be tuned to [Hz], empty when low ≥ high; None where the
    model lacks one of their bands."""
    own = next((b for b in model.bands if b[0] == link.band), None)
    rack = next((b for b in model.bands if b[0] == (unit.receiver_band or unit.band)), None)
    return None if own is None or rack is None else (max(own[1], rack[1]), min(own[2], rack[2]))


def meets(link: Link, unit: Unit | None, model: Model) -> bool:
    """Whether transmitter and receiver have a frequency in common; where the model lacks the receiver's band, nobody
    knows of one."""
    if unit is None:
        return True
    shared = shared_band(link, unit, model)
    return shared is not None and shared[0] < shared[1]


def band_note(link: Link, unit: Unit | None, model: Model) -> str:
    """A sentence where the transmitter's band and its receiver's do not meet; empty when all is well."""
    if unit is None:
        return ""
    shared = shared_band(link, unit, model)
    rack = unit.receiver_band or unit.band
    if shared is None:
        return f"The receiver {unit.name} is built for {rack}, which {model.name} lacks."
    low, high = shared
    if low >= high:
        return f"Transmitter {link.band} and receiver {unit.name} ({rack}) share no frequency."
    if (low, high) != next(b[1:] for b in model.bands if b[0] == link.band):
        return f"Only {low / 1e6:g}–{high / 1e6:g} MHz is in reach of both transmitter and {unit.name}."
    return ""
