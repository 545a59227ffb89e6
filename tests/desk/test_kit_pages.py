"""Kit's pages in a window: persons painted over the evening, several rows at once, files in and out, what to take."""

import json
from pathlib import Path

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QApplication

from azven.book.records import Link, Model, Person, Route, Unit, Worn, Zone
from azven.desk import files
from azven.desk.kit.evening import Across
from azven.desk.labels import write_labels
from azven.desk.pdf import write_pdf
from azven.work import chosen, kit
from azven.work.kit import otherwise, persons, printed, take
from azven.work.scope import opening as here


@pytest.fixture
def stage(window):
    window.show_stage("kit")
    return window.open_stage("kit")


def person(window, name):
    return next(p for p in window.session.store.all(Person) if p.name == name)


def pages_of(path: Path) -> int:
    from PyQt6.QtPdf import QPdfDocument

    document = QPdfDocument(None)
    document.load(str(path))
    count = document.pageCount()
    document.close()
    return count


# -- persons ---------------------------------------------------------------------------------------------


def test_choosing_a_person_gives_the_reasons_and_what_they_wear(window, stage):
    stage.show_page("Persons")
    stage.persons.chart.rows.choose({person(window, "Tove").id})
    assert window.session.selection == chosen.Person(person(window, "Tove").id)
    assert window.panel.shown.title == "Tove"
    assert "silences" in window.panel.shown.verdict
    assert [w.side for w in stage.persons.table.records.records] == ["right", "right"]


def test_an_advice_of_the_panel_is_one_edit_and_undone(window, stage):
    stage.show_page("Persons")
    stage.persons.chart.rows.choose({person(window, "Tove").id})
    best = window.panel.shown.options[0]
    assert window.session.do(best.edit)
    assert "silences" not in window.panel.shown.verdict
    window.session.step_back()
    assert "silences" in window.panel.shown.verdict


def test_keys_walk_and_stretch_over_persons(window, stage, qtbot):
    stage.show_page("Persons")
    rows = stage.persons.chart.rows
    rows.setFocus()
    qtbot.keyClick(rows, Qt.Key.Key_Home)
    qtbot.keyClick(rows, Qt.Key.Key_Down)
    assert [p.name for p in rows.persons()] == ["Perran"]
    qtbot.keyClick(rows, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
    assert [p.name for p in rows.persons()] == ["Perran", "Wenna"]
    qtbot.keyClick(rows, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
    assert len(rows.persons()) == 15
    qtbot.keyClick(rows, Qt.Key.Key_End)
    assert [p.name for p in rows.persons()] == ["Ona"]
    assert "Ona" in rows.accessibleDescription()


def test_a_click_chooses_and_control_adds(window, stage, qtbot):
    stage.show_page("Persons")
    rows = stage.persons.chart.rows
    at = [QPointF(40, (rows.tops[i] + rows.tops[i + 1]) / 2).toPoint() for i in (2, 4)]
    qtbot.mouseClick(rows, Qt.MouseButton.LeftButton, pos=at[0])
    qtbot.mouseClick(rows, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, at[1])
    assert [p.name for p in rows.persons()] == ["Wenna", "Mirre"]


def test_a_phone_and_acts_are_set_for_several_persons_at_once(window, stage):
    stage.show_page("Persons")
    page = stage.persons
    page.chart.rows.choose({person(window, n).id for n in ("Gwil", "Petroc")})
    page.editor.phone.setCurrentIndex(page.editor.phone.findText("left behind"))
    page.editor.phone.activated.emit(page.editor.phone.currentIndex())
    assert {person(window, n).phone for n in ("Gwil", "Petroc")} == {"left behind"}
    window.session.step_back()
    assert {person(window, n).phone for n in ("Gwil", "Petroc")} == {"on, away from the packs"}


def test_persons_are_added_dressed_handed_on_and_undressed(window, stage, qtbot):
    stage.show_page("Persons")
    page, session = stage.persons, window.session
    stage.run_primary()
    page.name.setText("Hedra")
    page.role.setText("bells")
    qtbot.keyClick(page.role, Qt.Key.Key_Return)
    page.chart.rows.choose({person(window, "Hedra").id})
    page.editor.link.setCurrentIndex(page.editor.link.findText("Lamp Choir 5"))
    assert page.editor.pack.itemText(1) in {u.name for u in session.store.all(Unit)}
    page.editor.pack.setCurrentIndex(page.editor.pack.findText("P15"))
    page.editor.put_on()
    (item,) = session.store.all(Worn, person_id=person(window, "Hedra").id)
    assert session.store.get(Unit, item.unit_id).name == "P15"
    page.table.selectRow(0)
    assert not page.more.isHidden()
    page.to.setCurrentIndex(page.to.findText("Oda"))
    page.from_act.setCurrentIndex(page.from_act.findText("Tide Concert"))
    page.hand_on()
    assert [w.unit_id for w in session.store.all(Worn, person_id=person(window, "Oda").id)] == [item.unit_id]
    page.table.selectRow(0)
    stage.remove()
    assert session.store.all(Worn, person_id=person(window, "Hedra").id) == []
    page.table.choose(set())
    stage.remove()
    assert "Hedra" not in [p.name for p in session.store.all(Person)]


def test_two_on_one_voice_are_paired_and_parted(window, stage):
    stage.show_page("Persons")
    page, session = stage.persons, window.session
    page.chart.rows.choose({person(window, "Wenna").id})
    page.table.selectRow(0)
    page.voice.setCurrentIndex(page.voice.findText("Lamp Choir 7"))
    page.pair()
    narrator = next(x for x in session.store.all(Link) if x.name == "Narrator")
    other = persons.partner(session.store, session.scope, narrator.id)
    assert session.store.get(Link, other).name == "Lamp Choir 7"
    page.table.selectRow(0)
    page.voice.setCurrentIndex(0)
    page.pair()
    assert persons.partner(session.store, session.scope, narrator.id) is None


@pytest.mark.parametrize("width", [560.0, 890.0, 2400.0])
@pytest.mark.parametrize("acts", [1, 3, 9])
def test_acts_lie_side_by_side_and_inside(width, acts):
    across = Across.over(width, tuple(range(1, acts + 1)))
    edges = [e for n in across.numbers for e in (across.begins(n), across.ends(n))]
    assert edges == sorted(edges)
    if acts < 9 or width > 1000:
        assert across.right < width


def test_sixty_persons_with_long_names_scroll_and_are_painted(window, stage):
    session = window.session
    lines = "\n".join(f"Somebody with a very long name, & <b>{i}</b>\ttheir rather long part {i}" for i in range(60))
    session.do(lambda: persons.add_persons(session.store, session.scope, lines))
    stage.show_page("Persons")
    assert len(stage.persons.chart.rows.tops) == 76
    picture = window.grab().toImage()
    assert isinstance(picture, QImage)
    assert not picture.isNull()


def test_an_empty_book_says_what_to_do_first_on_every_page(empty_window, monkeypatch):
    monkeypatch.setattr(files, "ask_where", lambda *_: None)
    empty_window.show_stage("kit")
    stage = empty_window.open_stage("kit")
    said = {}
    for page in stage.all:
        stage.show_page(page.title)
        said[page.title] = page.empty.text()
        stage.run_primary()
        empty_window.grab()
    assert all(said[t] for t in ("Links", "Persons", "Wideband", "Intercom", "Units", "Acts", "Patch"))


# -- several rows ----------------------------------------------------------------------------------------


def bar_of(page):
    from azven.desk.bulk import BulkBar

    return next(b for b in page.findChildren(BulkBar) if b._table is page.table)


def test_one_field_for_many_links_is_one_edit(window, stage):
    stage.show_page("Links")
    page, session = stage.links, window.session
    bar = bar_of(page)
    assert bar.isHidden()
    chosen_links = {x.id for x in kit.links(session.store, session.scope) if x.name.startswith("Lamp Choir")}
    page.table.choose(chosen_links)
    page.table.selected.emit()
    assert not bar.isHidden()
    assert bar.count.text() == "8 selected:"
    assert "Name" not in [bar.field.itemText(i) for i in range(bar.field.count())]
    bar.field.setCurrentIndex(bar.field.findText("Importance"))
    bar.value.setCurrentIndex(bar.value.findText("2 high"))
    bar.apply()
    assert {session.store.get(Link, n).priority for n in chosen_links} == {2}
    window.session.step_back()
    assert {session.store.get(Link, n).priority for n in chosen_links} == {3}


def test_typed_values_for_many_units_and_nonsense_changes_none(window, stage):
    stage.show_page("Units")
    page, session = stage.units, window.session
    some = {u.id for u in kit.units(session.store, session.scope) if u.carried}
    page.table.choose(some)
    page.table.selected.emit()
    bar = bar_of(page)
    for field, value in (("Firmware", "3.1"), ("Channels", "many")):
        bar.field.setCurrentIndex(bar.field.findText(field))
        bar.text.setText(value)
        bar.apply()
    assert {session.store.get(Unit, n).firmware for n in some} == {"3.1"}
    assert "is not a number" in window.said()


def test_every_field_of_several_models_in_the_sheet_beside(window, stage):
    stage.show_page("Models")
    page, session = stage.models, window.session
    voice = [m for m in session.store.all(Model) if "companded" in m.name]
    page.table.choose({m.id for m in voice})
    page.table.selected.emit()
    fields = {f.name: f for f in page.sheet.records.records}
    assert fields["Power mW"].value() == "they differ"
    assert fields["Modulation"].value() == "companded FM"
    row = page.sheet.records.records.index(fields["Delay ms"])
    assert page.sheet.records.setData(page.sheet.records.index(row, 1), "0.4")
    assert {session.store.get(Model, m.id).latency_ms for m in voice} == {0.4}
    assert not page.sheet.records.setData(page.sheet.records.index(0, 1), "One name for all")


def test_two_hundred_links_and_units_in_every_table(window, stage):
    session = window.session
    model, zone = (
        kit.links(session.store, session.scope)[0].model_id,
        kit.links(session.store, session.scope)[0].zone_id,
    )

    store, scope = session.store, session.scope
    session.do(
        lambda: kit.add_links(
            store, scope, "Crowd 1", 200, store.get(Model, model), "470–542", store.get(Zone, zone), set_aside=True
        )
    )
    for page in stage.all:
        stage.show_page(page.title)
        window.grab()
    assert len(stage.links.table.records.records) == 244


# -- files -----------------------------------------------------------------------------------------------


def test_a_kit_list_is_shown_row_by_row_before_it_is_taken_in(window, stage, tmp_path):
    stage.show_page("Units")
    path = tmp_path / "kit.csv"
    path.write_text('unit,model,serial\nQ1,"Voice, robust digital",Z1\nQ2,Nobody,Z2\nP11,,\n')
    dialog = stage.units.papers.take_list(path)
    told = [(t.row.number, t.row.fate) for t in dialog.table.records.records]
    assert told == [(3, "refused"), (2, "new"), (4, "same")]
    assert "Q1" not in [u.name for u in window.session.store.all(Unit)]
    dialog.accept()
    assert "Q1" in [u.name for u in window.session.store.all(Unit)]
    assert "1 refused" in window.said()
    assert stage.units.papers.take_list(tmp_path / "nothing.csv") is None
    assert "No such file" in window.said()


def test_cards_labels_and_patch_are_pages(window, stage, tmp_path):
    session = window.session
    store, scope = session.store, session.scope
    cards, labels, sheet = (tmp_path / n for n in ("cards.pdf", "labels.pdf", "patch.pdf"))
    assert write_pdf(printed.cards(store, scope), cards, paper="A5 across") == 15 == pages_of(cards)
    found = printed.labels(store, scope)
    assert write_labels(found, labels) == -(-len(found) // 24) == pages_of(labels)
    assert write_pdf(printed.patch_sheet(store, scope, session.now()), sheet) == pages_of(sheet)
    stage.persons.papers.write_pdf(tmp_path / "no" / "folder.pdf", "<p>x</p>", "Dressing cards")
    assert "could not be written" in window.said()


def test_the_code_of_a_label_is_the_id_of_its_unit(window):
    store, scope = window.session.store, window.session.scope
    found = {x.unit: x for x in printed.labels(store, scope)}
    pack = next(u for u in store.all(Unit) if u.name == "P11")
    import segno

    again = segno.make(f"unit-{pack.id}", micro=False, error="m")
    assert found["P11"].code == tuple(tuple(map(bool, line)) for line in again.matrix_iter(border=2))
    assert found["P11"].mhz == "471.675 MHz"
    assert found["no unit said"].code == ()
    spare = next(u for u in store.all(Unit) if u.name == "P45")
    (bare,) = printed.labels(store, scope, [spare])
    assert (bare.unit, bare.mhz) == ("P45", "no frequency")


def test_a_card_says_sides_changes_and_what_is_wrong(window):
    store, scope = window.session.store, window.session.scope
    text = printed.cards(store, scope, [person(window, "Teal"), person(window, "Tove")])
    assert "give Lamp Choir 3 P13 to Mirre; 15 min there are" in text
    assert "both on the right of Tove" in text
    assert "Corvin" not in text


def test_hostile_catalogues_are_refused_and_good_ones_taken(window, stage, tmp_path):
    stage.show_page("Models")
    page, path = stage.models, tmp_path / "models.json"
    before = len(window.session.store.all(Model))
    for text in ("", "[]", "{", json.dumps({"format": "azven-catalogue", "version": 1, "models": [{}]}), "\udcff"):
        path.write_bytes(text.encode("utf-8", "surrogateescape"))
        page.papers.take_catalogue(path)
        assert len(window.session.store.all(Model)) == before
        assert window.said()
    page.papers.take_generic()
    assert "0 models" in window.said()


def test_the_patch_collides_and_says_with_whom(window, stage):
    stage.show_page("Patch")
    page, session = stage.patch, window.session
    route = next(r for r in page.table.records.records if r.channel == 9)
    row = page.table.records.records.index(route)
    column = next(i for i, c in enumerate(page.table.records.columns) if c.title == "Channel")
    assert page.table.records.setData(page.table.records.index(row, column), "10")
    assert "to be put right" in page.words.text()
    page.ports.selectRow(0)
    assert page.table is page.ports
    stage.remove()
    assert len(page.ports.records.records) == 4
    page.add_route()
    assert len(session.store.all(Route)) == 25


# -- what to take ----------------------------------------------------------------------------------------


def test_models_are_ranked_beside_the_window_and_another_model_is_kept(window, stage, settle, monkeypatch):
    monkeypatch.setattr(take, "LIMIT_S", 1.0)
    monkeypatch.setattr(take, "MOST", 6)
    monkeypatch.setattr(otherwise, "EACH_S", 0.1)
    stage.show_page("To take")
    page = stage.take
    assert len(page.chosen_sites()) == 3
    page.service.setCurrentIndex(page.service.findText("in-ear"))
    stage.run_primary()
    settle(window)
    assert page.table.records.records
    assert "2 sweeps" in page.known.text()
    page.group.setCurrentIndex(next(i for i in range(page.group.count()) if "In-ear" in page.group.itemText(i)))
    page.keep()
    assert "Try them first" in window.said()
    page.try_out()
    settle(window)
    rows = page.others.records.records
    row = next(
        i for i, r in enumerate(rows) if "digital" in r.outcome.alternative.name and r.outcome.alternative.share == 1
    )
    page.others.selectRow(row)
    page.keep()
    names = {
        window.session.store.get(Model, x.model_id).name
        for x in kit.links(window.session.store, here(window.session.store))
        if x.service == "in-ear"
    }
    assert names == {"In-ear stereo, digital"}


def test_without_a_site_nothing_is_ranked(window, stage):
    stage.show_page("To take")
    page = stage.take
    for i in range(page.sites.count()):
        page.sites.item(i).setCheckState(Qt.CheckState.Unchecked)
    page.add()
    assert "Tick at least one site" in window.said()


def test_persons_and_units_are_found_by_name(window):
    from azven.desk.finding import entries
    from azven.desk.palette import matching

    found = matching(entries(window), "tove")
    found[0].run()
    assert window.panel.shown.title == "Tove"
    unit = matching(entries(window), "P45 unit")[0]
    unit.run()
    stage = window.open_stage("kit")
    assert [u.name for u in stage.units.table.chosen()] == ["P45"]


def test_pasting_persons_and_reading_nothing(window, stage):
    stage.show_page("Persons")
    QApplication.clipboard().setText("Hedra\tbells\nLowen\tdrums\n")
    stage.paste()
    assert {"Hedra", "Lowen"} <= {p.name for p in window.session.store.all(Person)}
    stage.persons.paste_text("")
    assert "Copy rows" in window.said()


def test_name_role_and_note_are_typed_in_place_and_no_name_is_refused(window, stage, qtbot):
    stage.show_page("Persons")
    page = stage.persons
    page.chart.rows.choose({person(window, "Wenna").id})
    for field, text in (("role", "storyteller"), ("note", "left-handed"), ("name", "Wenna T.")):
        box = getattr(page.editor, field)
        box.setText(text)
        box.editingFinished.emit()
    found = person(window, "Wenna T.")
    assert (found.role, found.note) == ("storyteller", "left-handed")
    page.editor.name.setText("  ")
    page.editor.name.editingFinished.emit()
    assert "needs a name" in window.said()
    assert person(window, "Wenna T.").id == found.id
    page.chart.rows.choose({p.id for p in window.session.store.all(Person)})
    assert page.editor.name.isHidden()
    assert page.editor.who.text() == "15 persons:"
