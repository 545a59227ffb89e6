"""What Kit prints: dressing cards, labels with codes, the patch sheet; as HTML for Qt's document."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cache
from typing import Any

from azven.book.reading import Reading
from azven.book.records import Model, Person, Unit
from azven.book.regions import ADVICE
from azven.work import ground, ids
from azven.work.kit import intercom, patch, persons, views
from azven.work.kit.evening import CHANGE_MIN, Evening, HandOn, Line
from azven.work.kit.fitting import receptions
from azven.work.kit.gear import links, planned, units
from azven.work.kit.intercom import Cable, Sized
from azven.work.kit.patch import Patch
from azven.work.rendering import render
from azven.work.scope import Scope
from azven.work.wording import listed, mhz

# -- dressing cards --------------------------------------------------------------------------------------


def cards(store: Reading, scope: Scope, only: Sequence[Person] = ()) -> str:
    """A card a person: what is worn in which act, on which side, and what is handed on; `only` some of them."""
    view, place = views.of_persons(store, scope), ground.here(store, scope)
    chosen = {p.id for p in only}
    return render(
        "cards", show=place.show.name, site=place.site.name,
        cards=[_card(store, scope, view, p) for p in view.evening.persons if not chosen or p.id in chosen],
    )  # fmt: skip


def _card(store: Reading, scope: Scope, view: views.PersonsView, person: Person) -> dict[str, Any]:
    found, frequencies = view.evening, planned(store, scope)
    body = view.bodies[person.id]
    told = [f.text for f in found.of(person.id)]
    told += [f"{b.name}: {b.margin_db:.0f} dB too much.".replace("-", "") for b in body.beside if b.state == "broken"]
    return {
        "name": person.name, "role": person.role, "phone": person.phone, "findings": told,
        "acts": _acts(found, found.on[person.id]),
        "lines": [_line(found, x, frequencies.get(x.link.id)) for x in found.lines[person.id]],
        "changes": [_change(found, h, person) for h in found.handed_on
                    if person.id in (h.before.worn.person_id, h.after.worn.person_id)],
    }  # fmt: skip


def _acts(found: Evening, numbers: Sequence[int]) -> str:
    if tuple(numbers) == found.numbers:
        return "all evening"
    return listed([found.act_name(n) for n in numbers]) or "in no act"


def _line(found: Evening, line: Line, freq_hz: int | None) -> dict[str, Any]:
    return {
        "acts": _acts(found, line.acts), "name": line.name, "pack": line.pack, "side": line.worn.side,
        "place": line.worn.place, "note": line.worn.note, "mhz": mhz(freq_hz) if freq_hz else "",
        "voice": line.voice,
        "service": "ear mix" if line.link.service == "in-ear" else line.link.service,
    }  # fmt: skip


def _change(found: Evening, change: HandOn, person: Person) -> dict[str, str]:
    names = {p.id: p.name for p in found.persons}
    thing = f"{change.before.name} {change.before.pack}".strip()
    minutes = "minutes not known" if change.minutes is None else f"{change.minutes:.0f} min there are"
    if change.before.worn.person_id == person.id:
        text = f"give {thing} to {names[change.after.worn.person_id]}"
    else:
        text = f"take {thing} from {names[change.before.worn.person_id]}"
    said = f"{text}; {minutes}, {CHANGE_MIN:.0f} are planned."
    return {"when": f"After {found.act_name(change.from_act)}", "text": said}


# -- labels ----------------------------------------------------------------------------------------------


@dataclass(frozen=True, kw_only=True)
class Label:
    """One label: the link, its frequency, the unit with its serial, and the modules of the code with the unit's id, row
    by row; no code where no unit is said."""

    name: str
    mhz: str
    unit: str
    serial: str
    unit_id: int
    code: tuple[tuple[bool, ...], ...]


@cache
def code(unit_id: str) -> tuple[tuple[bool, ...], ...]:
    """The modules of a code that a scanner reads a unit's id from (ISO/IEC 18004), with its quiet zone."""
    import segno

    made = segno.make(unit_id, micro=False, error="m")
    return tuple(tuple(bool(module) for module in line) for line in made.matrix_iter(border=2))


def labels(store: Reading, scope: Scope, only: Sequence[Unit] = ()) -> list[Label]:
    """A label for every pack and receiver of a link, for links without a unit one without a code; with `only` some
    units those alone, whether a link is on them or not."""
    found = _labels(store, scope)
    if not only:
        return found
    chosen = {u.id for u in only}
    named = [x for x in found if x.unit_id in chosen]
    bare = [u for u in only if u.id not in {x.unit_id for x in named}]
    models = {m.id: m.name for m in store.all(Model)}
    return named + [_label(models[u.model_id], None, u, u.name) for u in bare]


def _labels(store: Reading, scope: Scope) -> list[Label]:
    shown = [x for x in links(store, scope) if not x.set_aside]
    names = ids.told_apart(shown, lambda x: f"no. {x.id}")
    frequencies, known = planned(store, scope), {u.id: u for u in units(store, scope)}
    ends = receptions(store, shown)
    packs: dict[int, list[int]] = {}
    for item in persons.worn(store, scope):
        if item.unit_id and item.unit_id not in packs.setdefault(item.link_id, []):
            packs[item.link_id].append(item.unit_id)
    out = []
    for link in shown:
        name, freq = names[ids.of(link)], frequencies.get(link.id)
        own = [(known[n], known[n].name) for n in packs.get(link.id, []) if n in known]
        racks = [(known[n], f"{known[n].name} · {r}" if r else known[n].name) for n, r in ends[link.id] if n in known]
        out += [_label(name, freq, unit, said) for unit, said in [*own, *racks]]
        if not own and not racks:
            out.append(_label(name, freq, None, "no unit said"))
    return out


def _label(name: str, freq_hz: int | None, unit: Unit | None, said: str) -> Label:
    return Label(
        name=name, mhz=f"{mhz(freq_hz)} MHz" if freq_hz else "no frequency", unit=said,
        serial=unit.serial if unit else "", unit_id=unit.id if unit else 0, code=code(ids.of(unit)) if unit else (),
    )  # fmt: skip


# -- the patch -------------------------------------------------------------------------------------------


def patch_sheet(store: Reading, scope: Scope, moment: datetime) -> str:
    """Routes by device and channel, then the intercom."""
    found, place = patch.patch(store, scope), ground.here(store, scope)
    shown = [x for x in links(store, scope) if not x.set_aside]
    names = {ids.number(k): name for k, name in ids.told_apart(shown, lambda x: f"no. {x.id}").items()}
    ears = {x.id for x in shown if patch.is_source(x)}
    lines = [(line, listed([p.name for p in joined])) for line, joined in patch.joined(found.ports).items()]
    return render(
        "patch", show=place.show.name, site=place.site.name, made=place.clock.said(moment),
        zone=place.clock.abbreviation(moment), devices=_by_device(found, names, ears), lines=lines,
        wrong=[f"{names[r.link_id]}, {patch.said(r)}: {found.wrong[r.id]}" for r in found.routes
               if r.id in found.wrong],
        ports=[{"name": p.name, "kind": p.kind, "device": p.device, "joins": listed(list(p.joins)), "note": p.note}
               for p in found.ports],
        missing=listed(list(found.unpatched)),
    )  # fmt: skip


def intercom_sheet(store: Reading, scope: Scope, found: Sized, moment: datetime) -> str:
    """How large the intercom has to be, with every mounting place."""
    place, rooms = ground.here(store, scope), {z.id: z.name for z in ground.zones(store, scope)}

    def cable(each: Cable) -> str:
        if each.length_m is None:
            return "not known"
        return f"{each.length_m:.0f} m" + (", too long" if each.too_long else "")

    return render(
        "intercom", show=place.show.name, site=place.site.name, made=place.clock.said(moment),
        zone=place.clock.abbreviation(moment), band=found.asked.band, advice=ADVICE, wrong=found.wrong,
        rows=intercom.in_words(found),
        groups=[{"name": g.name, "people": ", ".join(g.people) or "nobody yet", "at_once": g.at_once}
                for g in intercom.talk_groups(store, scope)],
        places=[{"name": c.mount.name, "room": rooms.get(c.mount.zone_id, ""), "height": f"{c.mount.z_m:g} m",
                 "cable": cable(c), "used": "here" if c.used else ""} for c in found.cables],
    )  # fmt: skip


def _by_device(found: Patch, names: dict[int, str], ears: set[int]) -> list[tuple[str, list[dict[str, str]]]]:
    out: dict[str, list[dict[str, str]]] = {}
    for r in sorted(found.routes, key=lambda r: (r.device.casefold(), r.kind, r.link_id in ears, r.channel, r.id)):
        out.setdefault(r.device or "No device said", []).append({
            "channel": "/".join(map(str, patch.channels(r))), "way": "from" if r.link_id in ears else "to",
            "link": names[r.link_id], "kind": r.kind, "width": "stereo" if r.stereo else "mono",
            "note": found.wrong.get(r.id) or found.notes.get(r.id, ""),
        })  # fmt: skip
    return list(out.items())
