"""All that can be found or done by name in a window."""

from functools import partial

from azven.desk.kit.stage import KitStage
from azven.desk.palette import Entry
from azven.desk.stages import STAGES
from azven.desk.window import Window
from azven.work import chosen, ground, ids, kit
from azven.work.chosen import Chosen
from azven.work.kit import persons, wide_places
from azven.work.wording import mhz, one_line


def entries(window: Window) -> list[Entry]:
    """Actions that are possible now, links with their frequencies, neighbours, rooms and units."""
    session = window.session
    store, scope = session.store, session.scope
    window.actions_table.add(*window.places.actions())
    for each in STAGES:
        window.open_stage(each.name)
    out = [
        Entry(a.title + (f"  ({a.key})" if a.key else ""), "do", a.run)
        for a in window.actions_table.all()
        if a.enabled() and a.id != "find"
    ]

    def go(stage: str, what: Chosen) -> None:
        window.show_stage(stage)
        session.select(what)

    for link in kit.links(store, scope):
        key = ids.of(link)
        freq = session.shown.frequencies.get(key)
        where = f"{mhz(freq)} MHz" if freq else "no frequency"
        out.append(Entry(f"{one_line(link.name)}   {where}", "link", partial(go, "plan", chosen.Link(key))))
    for n in ground.neighbours(store, scope):
        title = f"{one_line(n.name)}   {mhz(n.freq_hz)} MHz"
        out.append(Entry(title, "neighbour", partial(go, "ground", chosen.Neighbour(n.id))))
    out += [Entry(one_line(z.name), "room", lambda: window.show_stage("ground")) for z in ground.zones(store, scope)]
    for person in persons.persons(store, scope):
        title = f"{one_line(person.name)}   {one_line(person.role)}".strip()
        out.append(Entry(title, "person", partial(_show, window, "Persons", {person.id})))
    for carrier in wide_places.carriers(store, scope):
        where = f"channel {carrier.channel}" if carrier.channel else "not placed"
        title = f"{one_line(carrier.name)}   {where}"
        out.append(Entry(title, "carrier", partial(_show, window, "Wideband", {carrier.id})))
    out += [Entry(one_line(u.name), "unit", partial(_show, window, "Units", {u.id})) for u in kit.units(store, scope)]
    return out


def _show(window: Window, page: str, numbers: set[int]) -> None:
    """Bring rows of a page of Kit into view and choose them."""
    window.show_stage("kit")
    stage = window.open_stage("kit")
    assert isinstance(stage, KitStage)
    stage.show_rows(page, numbers)
