"""A long session of edits in every stage, some of them nonsense, taken back to the last bit and done again."""

import random

import pytest
from PyQt6.QtWidgets import QPushButton

from azven.book.columns import KINDS
from azven.book.edits import same
from azven.book.records import PHONES
from azven.desk.tables import RecordTable
from azven.work import chain, ground, kit, listen, plan, reach
from azven.work.ground import permission
from azven.work.kit import patch, persons, receivers
from azven.work.reach import room_plan
from azven.work.scope import opening as here

NONSENSE = ["", "5", "12,5", "500", "abc", "2026-08-14 19:30", "19:00–23:00", "=1+1", "−3", "Höhe 1", "always"]
CELLS, DEEDS = 60, 60
TABS = ("Links", "Persons", "Units", "Models", "Acts", "Patch", "To take", "Wideband", "Other bands", "Intercom")


def everything(store):
    return {kind: sorted(store.all(kind), key=lambda r: r.id) for kind in KINDS}


def differences(before, after):
    out = []
    for kind in KINDS:
        if len(before[kind]) != len(after[kind]):
            out.append((kind.__name__, len(before[kind]), len(after[kind])))
        else:
            out += [(a, b) for a, b in zip(before[kind], after[kind], strict=True) if not same(a, b)]
    return out


def type_into_cells(window, rng):
    """Values that are offered, and texts that are not, into cells of every table in the window."""
    for name in ("ground", "kit", "chain", "reach", "plan"):
        window.show_stage(name)
        stage = window.open_stage(name)
        for page in range(10) if name == "kit" else ():
            stage.pages.show_page(page)
        tables = [t for t in stage.findChildren(RecordTable) if t.records.rowCount()]
        for _ in range(CELLS // 5 if tables else 0):
            model = rng.choice(tables).records
            if not model.rowCount():
                continue
            at = model.index(rng.randrange(model.rowCount()), rng.randrange(model.columnCount()))
            column = model.columns[at.column()]
            value = rng.choice(NONSENSE)
            offered = column.choices(model.records[at.row()]) if column.choices is not None else ()
            if offered:
                value = rng.choice(offered)[1]
            model.setData(at, value)


def deeds(window, rng):
    """What the stages' buttons and pointers ask of the book."""
    session = window.session
    store = session.store
    zones, links = ground.zones(store, here(store)), kit.links(store, here(store))
    zone, link = rng.choice(zones), rng.choice(links)
    people, worn = persons.persons(store, here(store)), persons.worn(store, here(store))
    acts, ends = kit.acts(store, here(store)), receivers.choices(store, here(store), link)
    rooms = [reach.room(store, here(store), z, "A") for z in zones]
    designs = chain.designs(store, here(store))
    x, y = rng.uniform(-5, 5), rng.uniform(2, 25)
    return [
        lambda: ground.add_zone(store, here(store), "Attic"),
        lambda: ground.add_neighbour(store, here(store), "Ferry", rng.randrange(500, 600) * 1_000_000),
        lambda: ground.relate(store, here(store), zones[0], zones[-1], "near", 20.0),
        lambda: ground.set_site(store, here(store), "guard", tv_guard_hz=rng.randrange(4) * 100_000),
        lambda: permission.add_permit(store, here(store), "licence", "EV-6", 500_000_000, 520_000_000, 25.0),
        lambda: kit.add_links(
            store, here(store), "Extra #", 3, ground.models(store)[0], ground.models(store)[0].bands[0][0], zone
        ),
        lambda: kit.change_links(store, [link], priority=rng.randrange(1, 5), spare=rng.random() < 0.3),
        lambda: kit.remove_links(store, [link]),
        lambda: kit.add_act(store, here(store), "Encore"),
        lambda: persons.add_persons(store, here(store), f"Extra {rng.randrange(9)}\tcrowd"),
        lambda: persons.wear(store, rng.choice(people), link),
        lambda: persons.remove_persons(store, [rng.choice(people)]),
        lambda: persons.change_all(rng.sample(people, 3), "phone", phone=rng.choice(PHONES)),
        lambda: persons.hand_on(store, here(store), rng.choice(worn), rng.choice(people), rng.choice(acts)),
        lambda: persons.pair_up(store, here(store), link, rng.choice(links)),
        lambda: receivers.put_on(store, here(store), [link], rng.choice(ends)[1]),
        lambda: kit.remove_units(store, [rng.choice(kit.units(store, here(store)))]),
        lambda: kit.remove_acts(store, here(store), [rng.choice(acts)]),
        lambda: patch.add_route(store, here(store), link),
        lambda: patch.add_port(store, here(store)),
        lambda: plan.lock(store, here(store), link, True),
        lambda: plan.set_density(store, here(store), rng.randrange(5)),
        lambda: plan.set_school(store, here(store), rng.choice(["spacing", "both", "level"])),
        *(lambda s=s: listen.set_used(s, not s.used) for s in listen.sweeps(store, here(store))[:1]),
        *(lambda s=s: listen.remove_sweep(store, s) for s in listen.sweeps(store, here(store))[1:2]),
        lambda: reach.place(store, zone, "A", x, y, rng.choice(["receive", "transmit"])),
        lambda: reach.move(rng.choice(rng.choice([r for r in rooms if r.antennas]).antennas), x_m=x, z_m=3.5),
        lambda: room_plan.add_wall(store, zone, (x, y), (x + 4, y), "brick"),
        lambda: room_plan.add_mount(store, zone, x, y, "truss", 6.0),
        lambda: room_plan.outline(zone, (x, y), (x + 12, y + 20)),
        lambda: room_plan.take_out(rng.choice(rooms), x, y),
        lambda: turned(rng, rng.choice(designs)),
    ]


def turned(rng, design):
    """The knob of an amplifier or a cable, turned."""
    block = rng.choice([n for n in chain.document_of(design)["nodes"] if n["type"] in ("amp", "cable")])
    values = [0.0, 6.0, None] if block["type"] == "amp" else [1.0, 12.0, 80.0]
    return chain.set_value(design, block["id"], rng.choice(values))


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_every_edit_is_taken_back_and_done_again(window, settle, seed):
    session, rng = window.session, random.Random(seed)
    settle(window)
    before = everything(session.store)
    type_into_cells(window, rng)
    for _ in range(DEEDS):
        session.do(rng.choice(deeds(window, rng)))
    settle(window)
    done, after = session.undo.index(), everything(session.store)
    assert done > 20
    assert differences(before, after)
    for _ in range(done):
        session.step_back()
    assert session.undo.index() == 0
    assert differences(before, everything(session.store)) == []
    for _ in range(done):
        session.step_forward()
    assert differences(after, everything(session.store)) == []


@pytest.mark.parametrize("stage", ["ground", "listen", "kit", "plan", "chain", "reach"])
def test_every_button_of_an_empty_book_says_something_or_does_something(empty_window, settle, stage, monkeypatch):
    """No button of an empty book ends in a fault; pytest-qt fails on any exception in a slot."""
    from azven.desk import files

    monkeypatch.setattr(files, "ask_where", lambda *_: None)
    monkeypatch.setattr(files, "ask_which", lambda *_: None)
    empty_window.show_stage(stage)
    shown = empty_window.open_stage(stage)
    for page in range(10) if stage == "kit" else (0,):
        if stage == "kit":
            shown.pages.show_page(page)
        for button in shown.findChildren(QPushButton):
            if button.isVisible() and button.isEnabled() and button.text() not in TABS:
                button.click()
                empty_window.session.jobs.stop()
    settle(empty_window)
    for action in empty_window.actions_table.all():
        if action.enabled() and action.id.startswith(stage):
            action.run()
    settle(empty_window)
