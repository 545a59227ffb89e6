"""Kit lists, patches and catalogues come in with every row accounted for, and go out so that they come in again."""

import json
from dataclasses import fields, replace

import pytest

from azven.book.formats import catalogue as file_format
from azven.book.formats.errors import FormatError
from azven.book.records import Model, Port, Route
from azven.work import ground, kit
from azven.work.kit import catalogue, group_gear, lists, patch, patch_list
from azven.work.scope import opening as here

HEAD = "unit,kind,model,band,receives,channels,room,serial,condition,firmware,home,note\n"
PACK = "Body pack voice, companded FM"


def rows(count, start=1):
    return "".join(
        f'Q{i},carried,"{PACK}",470–542,,1,,Z-{i},good,1.2,Marrowby Harbour,\n' for i in range(start, start + count)
    )


FAULTY = {
    "no name": f',carried,"{PACK}",470–542,,1,,Y-1,good,,,',
    "no model is named Nobody": "Y2,carried,Nobody,470–542,,1,,Y-2,good,,,",
    "no model, and no unit": "Y3,carried,,470–542,,1,,Y-3,good,,,",
    "has no tuning band 900–910": f'Y4,carried,"{PACK}",900–910,,1,,Y-4,good,,,',
    "has no tuning band 1–2": f'Y5,carried,"{PACK}",470–542,1-2,1,,Y-5,good,,,',
    "kind is rack or carried, not floating": f'Y6,floating,"{PACK}",470–542,,1,,Y-6,good,,,',
    "channels is 1 to 64, not -3": f'Y7,rack,"{PACK}",470–542,,-3,,Y-7,good,,,',
    "channels is 1 to 64, not many": f'Y8,rack,"{PACK}",470–542,,many,,Y-8,good,,,',
    "no room is named Attic": f'Y9,rack,"{PACK}",470–542,,8,Attic,Y-9,good,,,',
    "condition is good": f'Y10,carried,"{PACK}",470–542,,1,,Y-10,wet,,,',
    "no site is named Moon": f'Y11,carried,"{PACK}",470–542,,1,,Y-11,good,,Moon,',
    "serial Z-1 stands twice": f'Y12,carried,"{PACK}",470–542,,1,,Z-1,good,,,',
}


def test_two_hundred_units_with_a_dozen_faulty_rows(store):
    scope, before = here(store), len(kit.units(store, here(store)))
    text = HEAD + rows(200) + "\n".join(FAULTY.values()) + "\n"
    found = lists.take_in(store, scope, text)
    assert (found.count("new"), found.count("refused")) == (200, 12)
    told = [r for r in found.rows if r.fate == "refused"]
    assert [r.number for r in told] == list(range(202, 214))
    for why, row in zip(FAULTY, told, strict=True):
        assert why in row.text
    assert len(kit.units(store, scope)) == before  # nothing yet
    landed = store.apply(found.edit)
    assert len(kit.units(store, scope)) == before + 200
    store.apply(landed.inverse())
    assert len(kit.units(store, scope)) == before


def test_what_goes_out_comes_in_as_it_was(store):
    text = lists.write(store, here(store))
    found = lists.take_in(store, here(store), text)
    assert {r.fate for r in found.rows} == {"same"}
    assert not found.edit


def test_a_known_serial_changes_its_unit_in_the_columns_that_are_there(store):
    text = "name;serial;condition\nP11 new;RG-4128;faulty\n"
    found = lists.take_in(store, here(store), text)
    assert [(r.fate, r.text) for r in found.rows] == [("changed", "name, condition")]
    store.apply(found.edit)
    unit = next(u for u in kit.units(store, here(store)) if u.serial == "RG-4128")
    assert (unit.name, unit.condition, unit.band) == ("P11 new", "faulty", "470–542")


def test_a_name_that_stands_for_several_needs_a_serial(store):
    twin = next(u for u in kit.units(store, here(store)) if u.name == "P11")
    store.apply(kit.add_unit(store, "P11", store.get(Model, twin.model_id), twin.band, carried=True))
    (row,) = lists.take_in(store, here(store), "unit,condition\nP11,faulty\n").rows
    assert (row.fate, row.text) == ("refused", "2 units have the name P11")


@pytest.mark.parametrize("text", ["", "\0", "a,b\n1,2\n", '"open\n', "=1+1\n"])
def test_what_is_no_kit_list_is_refused_in_a_sentence(store, text):
    with pytest.raises(FormatError) as error:
        lists.take_in(store, here(store), text)
    assert "\n" not in str(error.value)


def test_cells_that_a_spreadsheet_would_run_leave_as_text_and_come_back_as_they_were(store):
    unit = next(u for u in kit.units(store, here(store)) if u.name == "P11")
    store.apply(ground.change(unit, "t", note="=1+1", name="-P11"))
    text = lists.write(store, here(store))
    assert "'=1+1" in text
    assert {r.fate for r in lists.take_in(store, here(store), text).rows} == {"same"}


# -- the patch -------------------------------------------------------------------------------------------


def test_the_patch_goes_out_and_comes_in_as_it_was(store):
    scope = here(store)
    text = patch_list.write(store, scope)
    found = patch_list.take_in(store, scope, text)
    assert {r.fate for r in found.rows} == {"same"}
    changed = text.replace("House desk,2,", "House desk,40,").replace(
        "Narrator,to,network channel,Broadcast,1,mono,,\r\n", ""
    )
    found = patch_list.take_in(store, scope, changed)
    assert found.count("new") == 1
    store.apply(found.edit)
    narrator = next(x for x in kit.links(store, scope) if x.name == "Narrator")
    assert [(r.device, r.channel) for r in store.all(Route, link_id=narrator.id)] == [("House desk", 40)]
    assert len(store.all(Port)) == 5


def test_a_row_that_cannot_be_used_leaves_the_routes_of_its_link(store):
    scope = here(store)
    text = patch_list.write(store, scope).replace("House desk,2,", "House desk,no,")
    before = len(patch.routes(store, scope))
    found = patch_list.take_in(store, scope, text)
    (row,) = [r for r in found.rows if r.fate == "refused"]
    assert row.text == "channel is 1 to 4096, not no"
    store.apply(found.edit)
    assert len(patch.routes(store, scope)) == before


def test_two_on_one_input_are_wrong_unless_they_never_share_an_act(store):
    scope = here(store)
    links = {x.name: x for x in kit.links(store, scope)}
    route = next(r for r in patch.routes(store, scope) if r.link_id == links["Lamp Choir 1"].id)
    store.apply(ground.change(route, "t", channel=10))
    found = patch.patch(store, scope)
    assert "Lamp Choir 2, at the same time" in found.wrong[route.id]
    _, second, third = kit.acts(store, scope)
    store.apply(kit.change_links(store, [links["Lamp Choir 1"]], acts=(second.id,)))
    store.apply(kit.change_links(store, [links["Lamp Choir 2"]], acts=(third.id,)))
    assert route.id not in patch.patch(store, scope).wrong


def test_one_source_is_a_shared_mix_and_half_of_one_is_wrong(store):
    scope = here(store)
    five, six = (
        next(r for r in patch.routes(store, scope) if r.link_id == x.id)
        for x in kit.links(store, scope) if x.name in ("Brass ear 5", "Brass ear 6")
    )  # fmt: skip
    found = patch.patch(store, scope)
    assert (found.notes[five.id], found.wrong) == ("Shared mix with Brass ear 6.", {})
    store.apply(ground.change(six, "t", channel=10))
    assert "stereo stays together" in patch.patch(store, scope).wrong[six.id]


def test_patching_all_gives_each_a_channel_of_its_own(empty):
    scope = here(empty)
    zone, models = ground.zones(empty, scope)[0], {m.name: m for m in empty.all(Model)}
    for name, count in ((PACK, 5), ("In-ear stereo, FM", 3)):
        empty.apply(kit.add_links(empty, scope, name[:6], count, models[name], models[name].bands[0][0], zone))
    empty.apply(patch.add_routes(empty, scope, kit.links(empty, scope)))
    found = patch.patch(empty, scope)
    assert found.wrong == {}
    assert found.unpatched == ()
    assert sum(len(patch.channels(r)) for r in found.routes) == 5 + 6


# -- catalogues ------------------------------------------------------------------------------------------


def test_every_kind_of_equipment_ships_and_is_a_sound_catalogue():
    found = catalogue.generic_models()
    assert {m.service for m in found} == {"voice", "in-ear", "intercom", "data"}
    assert {m.form for m in found} >= {"hand-held", "pack", "plug-on", "base", "camera"}
    assert {m.audio for m in found} == {"mono", "stereo", "two mixes"}
    assert any(m.capacity and m.modes for m in found)
    assert any(m.only_groups and m.groups for m in found)
    again = file_format.read(json.loads(file_format.write(found)))
    assert again == [replace(m, builtin=False) for m in found]


def test_a_catalogue_file_is_taken_in_once(store, tmp_path):
    path = tmp_path / "models.json"
    like = store.all(Model)[0]
    catalogue.write([like, replace(like, name="Quay special", power_mw=12.0)], path)
    found = catalogue.take_in(store, path)
    assert (found.new, found.known) == (1, 1)
    store.apply(found.edit)
    assert catalogue.take_in(store, path).new == 0
    other = tmp_path / "other.json"
    catalogue.write([replace(like, power_mw=99.0)], other)
    store.apply(catalogue.take_in(store, other).edit)
    assert f"{like.name} 2" in [m.name for m in store.all(Model)]


GOOD = {"name": "X", "service": "voice", "bands": [["470–500", 470_000_000, 500_000_000]]}
HOSTILE = {
    "format": {"format": "azven-plan"},
    "version": {"version": 99},
    "models": {"models": []},
    "models[0].bands": {"models": [{**GOOD, "bands": []}]},
    "ends below": {"models": [{**GOOD, "bands": [["b", 500_000_000, 470_000_000]]}]},
    "one name": {"models": [{**GOOD, "bands": [["b", 470_000_000, 480_000_000]] * 2}]},
    "models[0].step_hz": {"models": [{**GOOD, "step_hz": 0}]},
    "models[0].power_mw": {"models": [{**GOOD, "power_mw": -1.0}]},
    "models[0].service": {"models": [{**GOOD, "service": "toast"}]},
    "models[0].name": {"models": [{**GOOD, "name": "x" * 10_000}]},
    "models[0].batteries": {"models": [{**GOOD, "batteries": [["cell", 1.0, -5.0]]}]},
    "no tuning band is called": {"models": [{**GOOD, "rasters": {"elsewhere": [25_000, 0]}}]},
    "only knows groups": {"models": [{**GOOD, "only_groups": True}]},
    "models[1].guard_hz": {"models": [GOOD, {**GOOD, "guard_hz": {"2a-b": "wide"}}]},
    "models[0].nf_db": {"models": [{**GOOD, "nf_db": float("nan")}]},
}


@pytest.mark.parametrize("said", HOSTILE)
def test_hostile_catalogues_are_refused_in_a_sentence_with_their_place(store, tmp_path, said):
    path = tmp_path / "hostile.json"
    path.write_text(json.dumps({"format": "azven-catalogue", "version": 1, "models": [GOOD]} | HOSTILE[said]))
    before = store.all(Model)
    with pytest.raises(FormatError) as error:
        catalogue.take_in(store, path)
    assert said in str(error.value)
    assert len(str(error.value)) < 450
    assert store.all(Model) == before


def test_a_model_of_a_book_knows_every_field_of_a_file():
    known = {f.name for f in fields(Model)} - {"id", "version", "builtin"}
    assert known == set(file_format.ModelDocument.model_fields)


def test_groups_from_a_file_go_to_the_band_that_holds_them(store, tmp_path):
    model = next(m for m in store.all(Model) if m.only_groups)
    path = tmp_path / "groups.csv"
    path.write_text("group,channel,mhz\nA,1,520.000\nA,2,521.500\nB,1,530.25\nB,2,900.0\nnonsense\n")
    edit, said = group_gear.read_into(model, path)
    assert "1 frequencies outside" in said
    store.apply(edit)
    again = store.get(Model, model.id)
    assert again.groups == {"518–542": {"A": (520_000_000, 521_500_000), "B": (530_250_000,)}}
    assert kit.group_raster(again, "518–542") == (250_000, 0)


def test_models_of_an_earlier_book_learn_what_they_did_not_say_and_keep_what_they_did(store):
    like = next(m for m in store.all(Model) if m.name == PACK)
    store.apply(ground.change(like, "as before", batteries=(), latency_ms=None, powers=(), power_mw=12.0))
    other = next(m for m in store.all(Model) if m.name == "Cue or data link")
    store.apply(ground.change(other, "own name", name="Cue of ours"))
    found = catalogue.missing_generic(store)
    assert found.new == 1
    store.apply(found.edit)
    again = store.get(Model, like.id)
    assert (again.latency_ms, again.power_mw, bool(again.batteries)) == (0.2, 12.0, True)
    assert not catalogue.missing_generic(store).edit


def test_the_kit_list_on_the_command_line_is_the_one_of_the_window(store):
    from click.testing import CliRunner

    from azven.cli import main

    path, text = str(store.place.path), lists.write(store, here(store))
    store.close()
    done = CliRunner().invoke(main, ["kit", path, "--csv"])
    assert (done.exit_code, done.output.replace("\r\n", "\n")) == (0, text.replace("\r\n", "\n"))
    assert "Voice rack 1" in CliRunner().invoke(main, ["kit", path]).output.splitlines()
    assert CliRunner().invoke(main, ["kit", path + ".none"]).exit_code == 2
