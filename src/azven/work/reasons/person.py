"""Reasons for a person: what is on the body, by level, what is handed on, and what could be done."""

from collections.abc import Callable
from functools import partial

from azven.book.edits import Edit
from azven.book.records import Link, Unit, Worn
from azven.book.store import Store
from azven.work import kit
from azven.work.kit import bodies, persons, views
from azven.work.kit.bodies import BETWEEN_M, Beside, Body
from azven.work.kit.evening import CHANGE_MIN, Evening, Finding, HandOn, Line
from azven.work.kit.views import PersonsView
from azven.work.reasons.told import Option, Reasons, Row
from azven.work.scope import Scope
from azven.work.wording import decibel, formula, mhz

_SIDES = {"same": "on one side", "opposite": "on opposite sides, the body between", "hand": "one of them in the hand"}


def for_person(store: Store, scope: Scope, number: int) -> Reasons | None:
    """Reasons for a person by number; None where there is none."""
    view = views.of_persons(store, scope)
    person = next((p for p in view.evening.persons if p.id == number), None)
    if person is None:
        return None
    found, body, lines = view.evening.of(number), view.bodies[number], view.evening.lines[number]
    wrong = any(f.wrong for f in found) or body.state == "broken"
    state = "broken" if wrong else "holds, barely" if found or body.state == "tight" else "holds" if lines else ""
    text = " ".join([*(f.text for f in found), *_on_the_body(body)])
    return Reasons(
        title=person.name,
        figure=f"{len(lines)} thing{'' if len(lines) == 1 else 's'} worn",
        state=state,
        verdict=text or (f"{person.role or 'All'}: nothing is in the way." if lines else "Wears nothing."),
        arithmetic=_arithmetic(lines, body),
        origins=_changes(view.evening, number) + _sources(body),
        options=_advice(body) + _other_packs(store, scope, view.evening, number) + _dressed(store, scope, view, number),
        heading="On the body",
    )


def _on_the_body(body: Body) -> list[str]:
    out = []
    for pair in body.beside:
        if pair.state != "sound":
            how = "silences" if pair.state == "broken" else "comes close to silencing"
            sender = pair.sender.name if pair.sender else "A phone in a pocket"
            out.append(f"{sender} {how} {pair.receiver.name}: {_margin(pair)}.")
    for product in body.products:
        if product.state != "sound":
            a, b = (x.name for x in product.packs)
            over = f"{product.ratio_db:.0f} dB over it where {product.needed_db:.0f} are needed"
            out.append(f"{formula(product.kind)} of {a} and {b} falls into {product.hit.name}, {over}.")
    if body.unplaced:
        out.append(f"No frequency yet: {', '.join(body.unplaced)}; what its products do is not known.")
    return out


def _margin(pair: Beside) -> str:
    return f"margin {pair.margin_db:.0f} dB".replace("-", "−")


def _arithmetic(lines: tuple[Line, ...], body: Body) -> tuple[Row, ...]:
    rows: list[Row] = []
    for line in lines:
        pack = f", {line.pack}" if line.pack else ", no pack said"
        rows.append((f"{line.name}{pack}", f"{line.worn.place}, {line.worn.side}"))
    for pair in body.beside:
        rows.append((pair.name, _SIDES[pair.side]))
        if pair.side != "hand":
            rows.append(("between the two", f"{BETWEEN_M[pair.side] * 100:.0f} cm"))
        rows += [("arrives", decibel(pair.level_dbm)), ("it bears", decibel(pair.bears_dbm))]
        rows.append(("margin", f"{pair.margin_db:.0f} dB".replace("-", "−")))
    for product in body.products:
        a, b = (x.name for x in product.packs)
        rows += [
            (f"{formula(product.kind)} of {a}, {b}", mhz(product.freq_hz)),
            (f"at the receiver of {product.hit.name}", decibel(product.at_receiver_dbm)),
            ("the link has over it", f"{product.ratio_db:.0f} dB of {product.needed_db:.0f}"),
        ]
    return tuple(rows)


def _sources(body: Body) -> tuple[Row, ...]:
    if not body.beside:
        return ()
    reckoned = any(p.reckoned for p in body.beside)
    said = "reckoned from its intercept" if reckoned else "the model of the receiver"
    return (("what it bears is from", said), ("coupling on a belt", "10 dB, and 20 dB for the body between"))


def _changes(found: Evening, number: int) -> tuple[Row, ...]:
    rows: list[Row] = []
    for change in found.handed_on:
        if number in (change.before.worn.person_id, change.after.worn.person_id):
            rows += _change(found, change)
    return tuple(rows)


def _change(found: Evening, change: HandOn) -> list[Row]:
    names = {p.id: p.name for p in found.persons}
    who = names[change.before.worn.person_id], names[change.after.worn.person_id]
    there = "not known" if change.minutes is None else f"{change.minutes:.0f} min".replace("-", "−")
    return [
        (f"{change.before.name} goes", f"{who[0]} to {who[1]}"),
        ("after", found.act_name(change.from_act)),
        ("minutes there are", there),
        ("planned for a change", f"{CHANGE_MIN:.0f} min"),
    ]


def _advice(body: Body) -> tuple[Option, ...]:
    return tuple(Option(a.title, a.effect, a.edit) for a in bodies.advice(body))


def _other_packs(store: Store, scope: Scope, found: Evening, number: int) -> tuple[Option, ...]:
    """A spare pack in place of one that is promised twice, handed on or unfit."""
    out: list[Option] = []
    taken = {w.unit_id for w in persons.worn(store, scope)}
    for finding in found.of(number):
        if finding.kind not in ("promised twice", "no time", "little time", "unfit"):
            continue
        for line in (x for x in found.lines[number] if x.worn.id in finding.worn):
            spare = next(
                (
                    u
                    for u in persons.free_packs(store, scope, line.link)
                    if u.id not in taken and u.band == line.link.band and u.condition == "good"
                ),
                None,
            )
            link = _spare_link(store, scope, line)
            if spare is not None and link is not None:
                effect = f"on {link.name}, a spare that nobody wears; no change in the break"
                out.append(Option(f"Give {spare.name} instead", effect, _give(line.worn, link, spare)))
    return tuple(out[:2])


def _dressed(store: Store, scope: Scope, view: PersonsView, number: int) -> tuple[Option, ...]:
    """Taking off what is promised to another too; a link that nobody wears for somebody with nothing."""
    out: list[Option] = []
    found = view.evening
    names = {p.id: p.name for p in found.persons}
    for finding in found.of(number):
        if finding.kind == "promised twice":
            other = next((p for p in finding.persons if p != number), number)
            mine = [x for x in found.lines[number] if x.worn.id in finding.worn]
            out += [Option(f"Take {x.pack or x.name} off", f"{names[other]} keeps it", _off(x.worn)) for x in mine]
        elif finding.kind == "nothing to wear":
            out += _something(store, scope, found, finding)
    return tuple(out)


def _off(item: Worn) -> Callable[[], Edit]:
    return lambda: persons.take_off([item])


def _something(store: Store, scope: Scope, found: Evening, finding: Finding) -> list[Option]:
    """The first link that nobody wears and that is on in these acts, with a free pack where there is one."""
    (number,) = finding.persons
    person = next(p for p in found.persons if p.id == number)
    worn = persons.worn(store, scope)
    taken, packs = {w.link_id for w in worn}, {w.unit_id for w in worn}
    free = [x for x in kit.links(store, scope) if x.service == "voice" and x.id not in taken and not x.set_aside]
    for link in free:
        if set(finding.acts) <= set(persons.on_in(link.acts, found.numbers)):
            pack = next(
                (
                    u
                    for u in persons.free_packs(store, scope, link)
                    if u.id not in packs and u.band == link.band and u.condition == "good"
                ),
                None,
            )
            name = f"{link.name}, {pack.name}" if pack else link.name
            effect = "nobody else wears it" if pack else "nobody else wears it; no free pack is known"
            return [Option(f"Give {name}", effect, partial(persons.wear, store, person, link, pack))]
    return []


def _spare_link(store: Store, scope: Scope, line: Line) -> Link | None:
    """A spare link of the same model and band that nobody wears: the same one cannot be on two packs at once."""
    worn = {w.link_id for w in persons.worn(store, scope)}
    alike = [x for x in kit.links(store, scope) if x.spare and not x.set_aside and x.id not in worn]
    return next((x for x in alike if (x.service, x.band) == (line.link.service, line.link.band)), None)


def _give(item: Worn, link: Link, unit: Unit) -> Callable[[], Edit]:
    """Another pack on another link in place of one that is worn."""
    return lambda: persons.change_all([item], f"{unit.name} instead", link_id=link.id, unit_id=unit.id)
