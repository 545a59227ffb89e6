"""Antennas of wideband carriers: what each hears of the packs, what hangs on one, what sweeps heard at each."""

from dataclasses import replace

import pytest

from azven.book.edits import Edit, add, remove
from azven.book.records import Antenna, Link, Model, Wideband, WidePack, Zone
from azven.rf.levels import dbm, free_space_db
from azven.rf.links import BODY_DB
from azven.work import chain, ground, ids, listen, plan
from azven.work.chain import templates, threats
from azven.work.kit import wide_antennas, wide_deeds, wideband
from azven.work.listen import taking
from azven.work.plan import pairs
from azven.work.scope import opening as here


@pytest.fixture
def picture(store):
    return listen.picture(store, here(store))


def standing(store, name):
    found = wideband.view(store, here(store), listen.picture(store, here(store)))
    return next(s for s in found.standings if s.carrier.name == name)


def receivers(store, room="Rope Hall"):
    hall = next(z for z in store.all(Zone) if z.name == room)
    return [a for a in store.all(Antenna, zone_id=hall.id, layout="A") if a.role == "receive"]


def test_every_sending_pack_has_a_figure_at_every_antenna(store):
    ferry = standing(store, "Ferry")
    assert [r.antenna.name for r in ferry.rows] == ["Receive A", "Receive B"]
    sending = {p.id for b in ferry.blocks if not b.down for p in b.packs}
    assert all(set(r.over_db) == sending for r in ferry.rows)
    assert all(level > wide_antennas.ENOUGH_DB for r in ferry.rows for level in r.over_db.values())
    assert ferry.hangs == ()
    assert ferry.rows[0].best_for([ferry.rows[1]]) + ferry.rows[1].best_for([ferry.rows[0]]) >= len(sending)


def test_a_carrier_without_antennas_is_told_as_not_known(store):
    assert standing(store, "Barge").hangs == (
        "No receive antenna stands in its rooms, so who hears its packs is not known: Reach places them.",
    )


def test_with_one_antenna_everything_hangs_on_it(store):
    store.apply(Edit("t", remove(receivers(store)[1:])))
    (said,) = standing(store, "Ferry").hangs
    assert "hang on Receive A alone" in said


def test_packs_that_no_antenna_hears_make_the_carrier_wrong(store):
    model = standing(store, "Ferry").model
    store.apply(ground.change(model, "t", needed_db=60.0))
    assert any(w.startswith("No antenna hears") for w in standing(store, "Ferry").wrong)


def test_more_body_costs_every_antenna_as_much(store):
    before = standing(store, "Ferry").rows[0].over_db
    model = standing(store, "Ferry").model
    store.apply(ground.change(model, "t", body_db=model.body_db - BODY_DB["hand"]))
    after = standing(store, "Ferry").rows[0].over_db
    assert [after[n] - before[n] for n in before] == pytest.approx([10.0] * len(before))


def test_a_room_that_is_not_drawn_gives_no_figure(store):
    hall = next(z for z in store.all(Zone) if z.name == "Rope Hall")
    store.apply(ground.change(hall, "t", shape=()))
    ferry = standing(store, "Ferry")
    assert all(not r.over_db for r in ferry.rows)
    assert ferry.hangs == ()


def test_channels_are_ranked_by_sweeps_in_the_rooms_of_the_antennas(store, picture):
    ferry = next(c for c in store.all(Wideband) if c.name == "Ferry")
    known, unswept = wide_deeds.offers(store, here(store), picture, ferry)
    assert known
    assert "42" not in unswept
    alone = replace(receivers(store)[0], id=store.reserve(), name="House", zone_id=next(
        z.id for z in store.all(Zone) if z.name == "Signal House"))  # fmt: skip
    store.apply(Edit("t", add(alone)))
    known, unswept = wide_deeds.offers(store, here(store), picture, ferry)
    assert known == []
    assert "42" in unswept
    sweep = next(s for r, s in picture.sweeps if r.place == "Rope Hall, receive antennas")
    store.apply(listen.keep(store, here(store), sweep, taking.About("Signal House, shelf", "whip"), "x"))
    known, unswept = wide_deeds.offers(store, here(store), listen.picture(store, here(store)), ferry)
    assert known
    assert unswept == ()


def test_a_sweep_that_names_no_room_counts_for_all(store, picture):
    ferry = next(c for c in store.all(Wideband) if c.name == "Ferry")
    raster = ground.here(store, here(store)).channels()
    for record in listen.sweeps(store, here(store)):
        store.apply(listen.set_used(record, False))
    sweep = next(s for r, s in picture.sweeps if r.place == "Rope Hall, receive antennas")
    store.apply(listen.keep(store, here(store), sweep, taking.About("behind the truck", "whip"), "x"))
    now = listen.picture(store, here(store))
    heard = wide_antennas.heard_at(store, here(store), now, ferry, raster)
    assert all(level is not None for level in heard["42"].values())
    assert len(heard["42"]) == 2


def test_carriers_load_an_antenna_system_with_their_crest(store):
    hall = next(z for z in store.all(Zone) if z.name == "Rope Hall")
    document = templates.receive(store, here(store), "New", [hall])
    (ferry,) = [c for c in document["carriers"] if c["id"] == "Ferry"]
    model = next(m for m in store.all(Model) if m.capacity)
    assert (ferry["crest_db"], ferry["freq_hz"], ferry["role"]) == (10.0, 642_000_000, "load")
    assert ferry["body_db"] == model.body_db
    assert chain.read(document).carriers
    assert not any("guitar" in c["id"] or "Mooring" in c["id"] for c in document["carriers"])


def test_a_carrier_is_a_threat_at_its_peaks(store, picture):
    document = templates.receive(store, here(store), "New", [next(z for z in store.all(Zone) if z.name == "Rope Hall")])
    found = {t.name: t for t in threats.threats(store, here(store), picture, chain.read(document))}
    ferry = found["wideband carrier Ferry, at its peaks"]
    assert ferry.eirp_dbm == pytest.approx(26.99, abs=0.01)
    assert ferry.freq_hz == 642_000_000


def test_a_pack_that_only_hears_is_in_no_row(store):
    hearing = [p for p in store.all(WidePack) if not p.mode]
    assert hearing
    rows = standing(store, "Ferry").rows
    assert not any(p.id in r.over_db for p in hearing for r in rows)


def test_pairs_know_carriers_by_their_edges(store, picture):
    board = plan.board_of(store, here(store), picture)
    found = pairs.matrix(board)
    at = {name: i for i, name in enumerate(found.names)}
    ferry, barge, narrator = at["Ferry"], at["Barge"], at["Narrator"]
    assert found.meets[ferry, narrator]
    distance = (
        642_000_000 - board.frequencies[ids.of(next(x for x in board.input.links.values() if x.name == "Narrator"))]
    )
    assert found.slack_hz[ferry, narrator] == distance - 3_500_000
    assert found.slack_hz[ferry, barge] == 16_000_000 - 6_000_000
    assert not found.mixes[ferry].any()
    assert not found.products[ferry].any()
    assert list(found.freq_hz) == sorted(found.freq_hz)
    assert "Ferry" in found.words(ferry, narrator)
    assert "Ferry" in pairs.csv_text(found)


def test_levels_count_carriers_among_what_blocks_a_receiver(store, picture):
    store.apply(plan.set_school(store, here(store), "level"))
    narrator = next(x for x in store.all(Link) if x.name == "Narrator")
    before = plan.board_of(store, here(store), picture).verdict(ids.of(narrator)).level
    model = next(m for m in store.all(Model) if m.capacity)
    store.apply(ground.change(model, "t", power_mw=50_000.0))
    after = plan.board_of(store, here(store), picture).verdict(ids.of(narrator)).level
    assert after.blocked_db > before.blocked_db
    assert after.blocker == ids.of(next(c for c in store.all(Wideband) if c.name == "Ferry"))
    assert plan.board_of(store, here(store), picture).input.name(after.blocker) == "Ferry"
    for carrier in store.all(Wideband):
        store.apply(ground.change(carrier, "t", spare=True))
    off = plan.board_of(store, here(store), picture).verdict(ids.of(narrator)).level
    assert off.blocked_db <= before.blocked_db


def test_what_carriers_bring_is_free_space_from_the_nearest_place(store, picture):
    board = plan.board_of(store, here(store), picture)
    quay = next(z for z in store.all(Zone) if z.name == "Quay Stage")
    wide = board.input.levels.rooms.wide[ids.of(quay)]
    # Ferry is in rooms that the quay hears, Barge at the quay itself; the spare is off
    sent = [16.9897 - 3.0 + 6.5 - float(free_space_db(f, 8.0)) for f in (642e6, 658e6)]
    assert float(dbm(wide.racks_mw)) == pytest.approx(float(dbm(sum(10 ** (s / 10) for s in sent))), abs=0.01)
