"""Sheets, slips, lists and bundles with hostile and long names in every place that takes a name."""

import csv
import io
import re
from datetime import UTC, datetime

import pytest

from azven.book.formats import site_bundle
from azven.book.formats.rows import as_csv, harmless
from azven.rf.chain.design import solve_design
from azven.work import chain, ground, kit, plan
from azven.work.chain import sheet as chain_sheet
from azven.work.chain import threats as chain_threats
from azven.work.chain import troubles
from azven.work.ground import bundle, next_door, permission
from azven.work.plan import group_tables, pairs, sheet, threats
from azven.work.scope import opening as here

NOW = datetime(2026, 8, 14, 18, 0, tzinfo=UTC)
EVIL = "<script>x</script>"
FORMULA = "=cmd()"
LONG = "Höhe – " + "x" * 180


@pytest.fixture
def named(store):
    """The demonstration with names nobody would choose."""
    links, zones = kit.links(store, here(store)), ground.zones(store, here(store))
    for link, name in zip(links, (EVIL, FORMULA, LONG), strict=False):
        store.apply(kit.change_links(store, [link], name=name, performer=name))
    store.apply(ground.rename_zone(store, zones[0], EVIL))
    store.apply(ground.change(kit.acts(store, here(store))[0], "a", name=EVIL))
    model = next(m for m in ground.models(store) if m.id == links[0].model_id)
    store.apply(ground.change(model, "m", name=EVIL))
    store.apply(permission.add_permit(store, here(store), "override", EVIL, 606_000_000, 607_000_000, None, EVIL))
    return store


def cells_of(text):
    return [cell for row in csv.reader(io.StringIO(text)) for cell in row]


def runs_nothing(cells):
    return not any(re.match(r"[=@\t\r]|[+-](?![\d.])", cell) for cell in cells)


def test_the_sheet_shows_names_and_runs_none(named):
    board = plan.board_of(named, here(named))
    html = sheet.html(named, here(named), board, NOW)
    assert EVIL not in html
    assert html.count("&lt;script&gt;") >= 3
    assert LONG in html
    cells = cells_of(sheet.csv_text(named, here(named), board))
    assert EVIL in cells
    assert runs_nothing(cells)


def test_lists_of_pairs_and_products_run_nothing(named):
    board = plan.board_of(named, here(named))
    listed = threats.threats(board, 200_000)
    found = cells_of(threats.csv_text(list(listed.threats)))
    assert any(FORMULA in cell for cell in found)
    assert runs_nothing(found)
    assert runs_nothing(cells_of(pairs.csv_text(pairs.matrix(board))))


def test_every_product_listed_is_what_its_formula_says_and_filters_only_leave_out(named):
    board = plan.board_of(named, here(named))
    wide, narrow = (threats.threats(board, within) for within in (150_000, 60_000))
    assert 0 < narrow.found < wide.found
    assert {(t.victim, t.formula) for t in narrow.threats} <= {(t.victim, t.formula) for t in wide.threats}
    freq = board.frequencies
    for t in wide.threats:
        assert all(board.input.name(source) in t.formula for source in t.sources)
        if t.victim_id in freq:
            assert t.distance_hz == abs(t.product_hz - freq[t.victim_id])
        assert t.slack_hz <= 150_000
    kinds = {t.kind for t in wide.threats}
    assert sum(len(threats.matching(wide, kind=kind)) for kind in kinds) == len(wide.threats)
    for words in ({"victim": "lamp"}, {"source": "NARR"}, {"kind": "a+b-c"}, {"least_dbm": -110.0}):
        some = threats.matching(wide, **words)
        assert set(some) <= set(wide.threats)
        assert threats.matching(wide, **words) == some


def test_a_slip_for_next_door_is_plain_text_in_order_with_its_cautions(named):
    text = next_door.slip(
        named, here(named), {LONG: 656_000_000, EVIL: 655_000_000}, ground.zones(named, here(named))[0]
    )
    assert text.index("655.000 MHz") < text.index("656.000 MHz")
    assert "licence and the local regulator decide" in text


def test_the_design_on_paper_shows_names_and_runs_none(named):
    record = chain.designs(named, here(named))[0]
    document = {**chain.document_of(record), "name": EVIL}
    design = chain.read(document)
    solved = solve_design(design)
    html = chain_sheet.html(design, solved, troubles.warnings(design, solved), EVIL, "2026-08-14 19:30 CEST")
    assert EVIL not in html
    for caution in chain_sheet.CAUTIONS:
        assert caution.split(":")[0] in html
    assert chain_threats.interferer(document, {}).endswith("of headroom.")


def test_a_bundle_of_a_site_with_such_names_comes_back_as_it_went(named, empty, tmp_path):
    path = tmp_path / "site.zip"
    bundle.write(named, here(named), path)
    merged = bundle.merge(empty, here(empty), site_bundle.read(path))
    empty.apply(merged.edit)
    assert {z.name for z in ground.zones(named, here(named))} <= {z.name for z in ground.zones(empty, here(empty))}
    assert bundle.merge(empty, here(empty), site_bundle.read(path)).said == ("nothing new",)


@pytest.mark.parametrize("cell", ["=1+1", " =1+1", "\u3000=1+1", "\ufeff@x", "＝1+1", "\n＋1+x", "\t x", "－a"])
def test_a_cell_that_a_spreadsheet_would_reckon_is_text(cell):
    assert harmless(cell) == f"'{cell}"
    assert f"'{cell}" in group_tables.write({cell: (470_000_000,)})


@pytest.mark.parametrize("cell", ["Narrator", "-12.5", "+3", "a=b", " two words", ""])
def test_other_cells_stay_as_they_are(cell):
    assert harmless(cell) == cell


def test_a_table_keeps_numbers_and_quotes_and_makes_formulas_text():
    text = as_csv(("Name", FORMULA), [(LONG, -2.5), ('a "b", c', FORMULA)])
    assert list(csv.reader(io.StringIO(text))) == [
        ["Name", f"'{FORMULA}"], [LONG, "-2.5"], ['a "b", c', f"'{FORMULA}"],
    ]  # fmt: skip
