"""Side B of a design with its own blocks; a drawing put to scale; the crowd; a pair turned alike."""

import numpy as np
import pytest

from azven.rf import reach as rf
from azven.rf.chain.design import solve_design
from azven.work import chain, ground, reach
from azven.work.chain import sides
from azven.work.reach import backdrop, room_plan
from azven.work.reasons import reach as reasons_reach
from azven.work.scope import opening as here

PNG = b"\x89PNG\r\n\x1a\n" + b"rest"


def test_side_b_gets_its_own_blocks_and_is_solved_beside_side_a(store):
    record = chain.designs(store, here(store))[0]
    alone = chain.side("A", chain.read(chain.document_of(record)))
    store.apply(sides.own_b(record))
    record = chain.designs(store, here(store))[0]
    design = chain.read(chain.document_of(record))
    assert len(design.receivers()) == 2
    both = chain.side("both", design)
    for zone, snr in alone.snr_db.items():
        assert both.snr_db[zone] == pytest.approx(snr)
        assert both.snr_db[f"{zone}, side B"] == pytest.approx(snr)
    store.apply(chain.set_value(record, "Rope Hall cable B", 120.0))
    record = chain.designs(store, here(store))[0]
    longer = chain.side("longer", chain.read(chain.document_of(record)))
    assert longer.snr_db["Rope Hall, side B"] < longer.snr_db["Rope Hall"] - 0.5
    plan = chain.plan_gains(chain.read(chain.document_of(record)))
    assert {"Rope Hall mast", "Rope Hall mast B"} <= set(plan.settings)
    with pytest.raises(ValueError, match="already"):
        sides.own_b(record)
    store.apply(sides.like_a(record))
    assert chain.side("A", chain.read(chain.document_of(chain.designs(store, here(store))[0]))).snr_db == alone.snr_db


@pytest.mark.parametrize("names", [("from", "to"), ("start", "end")])
def test_side_b_of_a_design_with_edges_in_their_long_form(store, names):
    record = chain.designs(store, here(store))[0]
    document = chain.document_of(record)
    document["edges"] = [dict(zip(names, edge, strict=True)) for edge in document["edges"]]
    store.apply(chain.change(record, document, "Long form"))
    store.apply(sides.own_b(chain.designs(store, here(store))[0]))
    assert len(chain.read(chain.document_of(chain.designs(store, here(store))[0])).receivers()) == 2
    store.apply(sides.like_a(chain.designs(store, here(store))[0]))
    assert chain.document_of(chain.designs(store, here(store))[0]) == document


def test_sides_do_not_join(store):
    record = chain.designs(store, here(store))[0]
    store.apply(sides.own_b(record))
    document = chain.document_of(chain.designs(store, here(store))[0])
    document["edges"].append(["Rope Hall antenna B", "Rope Hall filter"])
    with pytest.raises(ValueError, match="joins Rope Hall antenna B on side B to Rope Hall filter on side A"):
        chain.read(document)
    with pytest.raises(ValueError, match="receives nothing"):
        sides.own_b(chain.designs(store, here(store))[1])
    assert solve_design(chain.read(chain.document_of(chain.designs(store, here(store))[0]))).receivers


def test_a_drawing_lies_where_its_two_points_are_known(store, tmp_path):
    points = ((100.0, 900.0, 0.0, 0.0), (300.0, 900.0, 10.0, 0.0))
    assert backdrop.metres_per_pixel(points) == pytest.approx(0.05)
    assert backdrop.place(points, 100, 500) == pytest.approx((0.0, 20.0))  # upwards in the drawing is +y
    turned = ((0.0, 0.0, 5.0, 5.0), (100.0, 0.0, 5.0, 15.0))
    assert backdrop.place(turned, 100, 0) == pytest.approx((5.0, 15.0))
    assert backdrop.place(turned, 0, 100) == pytest.approx((15.0, 5.0))
    path = tmp_path / "hall.png"
    path.write_bytes(PNG)
    for _ in range(2):  # the second takes the place of the first
        store.apply(backdrop.put(store, here(store), path.name, backdrop.read(path), *points))
    found = backdrop.current(store, here(store))
    assert (found.name, found.image, found.points) == ("hall.png", PNG, points)
    store.apply(backdrop.take_away(store, here(store)))
    assert backdrop.current(store, here(store)) is None
    path.write_bytes(b"GIF89a")
    with pytest.raises(ValueError, match="is not a PNG"):
        backdrop.read(path)
    with pytest.raises(ValueError, match="same place"):
        backdrop.put(store, here(store), "x", PNG, points[0], (300.0, 900.0, 0.0, 0.0))
    with pytest.raises(ValueError, match="on one another"):
        backdrop.put(store, here(store), "x", PNG, points[0], (101.0, 900.0, 10.0, 0.0))


def test_a_crowd_costs_who_stands_in_it_or_low_behind_it():
    crowd = (((0.0, 10.0), (10.0, 10.0), (10.0, 20.0), (0.0, 20.0)),)
    high, low = np.array([5.0, 0.0, 6.0]), np.array([5.0, 0.0, 1.5])
    inside, behind, before = ([5.0, y, 1.5] for y in (15.0, 40.0, 5.0))
    points = np.array([inside, behind, before])
    assert rf.through_crowd(points, high, crowd).tolist() == [True, False, False]
    assert rf.through_crowd(points, low, crowd).tolist() == [True, True, False]


def test_a_packed_house_lowers_the_map_in_the_audience_alone(store):
    hall = next(z for z in ground.zones(store, here(store)) if z.name == "Rope Hall")
    drawn = reach.room(store, here(store), hall, "A")
    empty, packed = (reach.coverage(drawn, "handheld", p) for p in (False, True))
    loss = empty.margin_db - packed.margin_db
    audience = next(a.shape for a in drawn.areas if a.kind == "audience")
    where = rf.inside(empty.points[..., :2], audience)
    assert loss[where] == pytest.approx(9.0)
    assert np.all(loss >= -1e-9)
    assert loss.min() == pytest.approx(0.0)


def test_a_pair_turned_alike_is_said(store):
    hall = next(z for z in ground.zones(store, here(store)) if z.name == "Rope Hall")
    drawn = reach.room(store, here(store), hall, "A")
    assert "are crossed: a transmitter held any way loses 3 dB" in reach.pair_in_words(drawn)
    first, second = reach.receive(drawn)[:2]
    store.apply(reach.move(second, psi_deg=first.psi_deg))
    assert "turned alike" in reach.pair_in_words(reach.room(store, here(store), hall, "A"))
    store.apply(reach.move(first, psi_deg=0.0))
    second = next(a for a in reach.receive(reach.room(store, here(store), hall, "A")) if a.id == second.id)
    store.apply(reach.move(second, psi_deg=90.0))
    assert "are crossed: a transmitter held any way loses 3 dB" in reach.pair_in_words(
        reach.room(store, here(store), hall, "A")
    )


def test_a_fence_of_wire_mesh_costs_what_its_opening_says(store):
    hall = next(z for z in ground.zones(store, here(store)) if z.name == "Rope Hall")
    store.apply(room_plan.add_wall(store, hall, (0, 30), (5, 30), reach.MESH, 0.05, 0.004))
    fence = next(w for w in reach.room(store, here(store), hall, "A").walls if w.material == reach.MESH)
    assert 6 < fence.loss_db < 12
    with pytest.raises(ValueError, match="an opening and a wire"):
        room_plan.add_wall(store, hall, (0, 30), (5, 30), reach.MESH, 0.0, 0.004)


@pytest.mark.parametrize("opening", [0.001, 0.004, 0.0125, 0.013])
def test_a_mesh_as_narrow_as_its_wire_is_a_wall_that_nothing_passes(store, opening):
    """Where the formula ends (an opening of π wires) it had been refused as an error of the user's."""
    hall = ground.zones(store, here(store))[0]
    edit = room_plan.add_wall(store, hall, (0, 30), (5, 30), reach.MESH, opening, 0.004)
    assert [c.after.loss_db for c in edit.changes] == [40.0]


def test_what_is_drawn_is_found_and_taken_out_again(store):
    hall = ground.zones(store, here(store))[0]
    drawn = reach.room(store, here(store), hall, "A")
    assert room_plan.at(drawn, 9.2, 30.0).material == "brick"
    assert room_plan.at(drawn, 0.0, 8.0).name == "Stage"
    assert room_plan.at(drawn, 400.0, 400.0) is None
    landed = store.apply(room_plan.take_out(drawn, 0.0, 8.0))
    assert "Stage" not in [a.name for a in reach.room(store, here(store), hall, "A").areas]
    store.apply(landed.inverse())
    assert [a.name for a in reach.room(store, here(store), hall, "A").areas] == [a.name for a in drawn.areas]
    with pytest.raises(ValueError, match="Nothing is drawn there"):
        room_plan.take_out(drawn, 400.0, 400.0)
    with pytest.raises(ValueError, match="unknown area"):
        room_plan.add_area(store, hall, "bar", (0, 0), (5, 5))
    with pytest.raises(ValueError, match="unknown mounting place"):
        room_plan.add_mount(store, hall, 0, 0, "balloon")


def test_an_antenna_says_what_another_kind_or_height_would_change(store):
    hall = ground.zones(store, here(store))[0]
    drawn = reach.room(store, here(store), hall, "A")
    antenna = reach.receive(drawn)[0]
    store.apply(reach.move(antenna, z_m=1.2, psi_deg=reach.receive(drawn)[1].psi_deg))
    drawn = reach.room(store, here(store), hall, "A")
    found = reasons_reach.for_antenna(drawn, reach.receive(drawn)[0], "handheld")
    titles = [o.title for o in found.options]
    assert titles[0] == "Raise it to 3 m"
    assert titles[1].startswith("Cross it with")
    assert "Omni, 2.15 dBi instead" in titles
    assert all("of the places served" in o.effect for o in found.options)
    store.apply(found.options[0].edit())
    assert reach.receive(reach.room(store, here(store), hall, "A"))[0].z_m == 3.0
