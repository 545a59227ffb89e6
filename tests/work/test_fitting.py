"""What does not fit between links, rack units and packs is said at both ends, and what does is not."""

import pytest

from azven.book.edits import Edit, add
from azven.book.records import Link, Model, Reception, Worn
from azven.refusal import Refusal
from azven.work import ground, kit
from azven.work.kit import persons, receivers
from azven.work.scope import opening as here


def link(store, name="Narrator"):
    return next(x for x in kit.links(store, here(store)) if x.name == name)


def unit(store, name="Voice rack 2"):
    return next(u for u in kit.units(store, here(store)) if u.name == name)


def change(store, record, **values):
    store.apply(ground.change(record, "t", **values))


def found(store):
    return kit.fits(store, here(store))


def wrong(store, record):
    notes = (found(store).links if isinstance(record, Link) else found(store).units).get(record.id, ())
    return [n.text for n in notes if n.wrong]


def test_the_demonstration_fits(store):
    assert found(store).open_points == 0


def test_a_receiver_left_in_another_band_after_a_reset_is_said_at_both(store):
    change(store, unit(store), receiver_band="606–694")
    assert any("share no frequency" in t for t in wrong(store, link(store)))
    assert any("share no frequency" in t for t in wrong(store, unit(store)))


def test_a_band_that_meets_in_part_is_a_note_and_no_fault(store):
    change(store, unit(store), receiver_band="518–606")
    notes = found(store).links[link(store).id]
    assert [n.wrong for n in notes] == [False]
    assert "518–542" in notes[0].text


def test_more_links_than_receivers_counts_those_that_are_on_at_once(store):
    rack = unit(store, "Voice rack 2")
    change(store, rack, channels=7)
    assert any("has 7 receivers; 8 links" in t for t in wrong(store, rack))
    first, _, _ = kit.acts(store, here(store))
    change(store, link(store, "Lamp Choir 1"), acts=(first.id,))
    assert wrong(store, rack) == []


@pytest.mark.parametrize("shared", [True, False])
def test_two_transmitters_on_one_receiver_only_where_they_never_share_an_act(store, shared):
    _, second, third = kit.acts(store, here(store))
    change(store, link(store, "Lamp Choir 1"), receiver=3, acts=(second.id,))
    change(store, link(store, "Lamp Choir 2"), receiver=3, acts=(second.id,) if shared else (third.id,))
    notes = found(store).links[link(store, "Lamp Choir 1").id]
    assert [n.wrong for n in notes] == [shared]
    assert "Voice rack 2 · 3" in notes[0].text


def test_one_transmitter_to_several_receivers_is_shown(store):
    narrator, other = link(store), unit(store, "Voice rack 1")
    store.apply(Edit("also", add(Reception(id=store.reserve(), link_id=narrator.id, unit_id=other.id, receiver=8))))
    assert "Heard by Voice rack 2 and Voice rack 1 · 8." in found(store).words(Link, narrator.id)


def test_a_further_receiver_in_another_band_closes_what_it_cannot_hear(store):
    from azven.work import plan

    narrator, other = link(store), unit(store, "Voice rack 1")
    change(store, other, receiver_band="518–606")
    store.apply(receivers.put_on(store, here(store), [narrator], ("also", other.id, 0)))
    board = plan.board_of(store, here(store))
    assert board.verdict(f"link-{narrator.id}").state == "broken"


def test_packs_of_another_band_kind_or_condition(store):
    pack = next(u for u in kit.units(store, here(store)) if u.name == "P46")
    item = next(w for w in store.all(Worn) if w.link_id == link(store).id)
    change(store, item, unit_id=pack.id)
    said = " ".join(wrong(store, link(store)))
    assert "is in repair" in said
    assert "P46 (518–606) cannot be tuned to 470.800" in said
    assert wrong(store, pack)


def test_a_carried_unit_is_no_receiver_and_an_ear_rack_hears_no_voice(store):
    change(store, link(store), unit_id=unit(store, "P11").id)
    assert any("is carried" in t for t in wrong(store, link(store)))
    change(store, link(store), unit_id=unit(store, "Ear rack").id)
    assert any("does not work with" in t for t in wrong(store, link(store)))


def test_receivers_count_on_for_several_links_and_end_with_the_unit(store):
    scope, rack = here(store), unit(store, "Voice rack 2")
    choir = [link(store, f"Lamp Choir {i}") for i in (1, 2, 3)]
    store.apply(receivers.put_on(store, scope, choir, ("on", rack.id, 5)))
    assert [link(store, f"Lamp Choir {i}").receiver for i in (1, 2, 3)] == [5, 6, 7]
    with pytest.raises(Refusal, match="8 receivers"):
        receivers.put_on(store, scope, choir, ("on", rack.id, 7))


def test_units_and_links_go_with_what_hangs_on_them_and_come_back(store):
    before = store.snapshot(kit.units(store, here(store)))
    rack, narrator = unit(store), link(store)
    for edit in (kit.remove_units(store, [rack, unit(store, "P11")]), kit.remove_links(store, [narrator])):
        landed = store.apply(edit)
        assert not [w for w in store.all(Worn) if w.link_id == narrator.id and edit.title.endswith(narrator.name)]
        store.apply(landed.inverse())

    def plain(records):
        return [vars(r) | {"version": 0} for r in records]

    for kind in (Link, Worn):
        assert plain(store.all(kind)) == plain(before.all(kind))
    assert {u.name for u in kit.units(store, here(store))} >= {rack.name, "P11"}


def test_power_steps_of_a_link_count_in_caps_and_levels(store):
    from azven.work import listen
    from azven.work.plan.input import input_for

    narrator = link(store)
    model = store.get(Model, narrator.model_id)
    assert kit.conducted_mw(model, 50.0, "e.r.p.") == pytest.approx(50 * 10**0.215)
    change(store, narrator, power_step_mw=10.0)
    asked = input_for(store, here(store), listen.picture(store, here(store)))
    assert asked.levels.radios[f"link-{narrator.id}"].power_dbm == pytest.approx(10.0)
    change(store, link(store), power_step_mw=90.0)
    asked = input_for(store, here(store), listen.picture(store, here(store)))
    assert any("sends" in b.text for b in asked.bars[f"link-{narrator.id}"])


def test_only_packs_of_its_kind_are_offered(store):
    packs = persons.free_packs(store, here(store), link(store))
    assert {store.get(Model, u.model_id).modulation for u in packs} == {"companded FM"}
    assert packs[0].band == "470–542"
