"""Deeds of the stages: what a user does, without a window."""

import csv
import io
from datetime import UTC, datetime

import pytest

from azven.book.edits import Edit
from azven.book.formats import plan_request
from azven.book.formats.rows import harmless
from azven.book.records import Model, Unit, Wideband
from azven.rf.coordinate import carriers_of
from azven.rf.schools import LevelJudge
from azven.rf.sweep import SweepSettings
from azven.work import ground, ids, kit, listen, plan, reasons, wording
from azven.work.ground import permission
from azven.work.listen import files, taking
from azven.work.plan import input as plan_input
from azven.work.plan import search, sheet, threats, ways_out
from azven.work.scope import opening as here
from naming import asked, key


def test_the_two_sweeps_disagree_about_the_low_power_multiplex(store):
    picture = listen.picture(store, here(store))
    classes = {use: {d.reading.channel.name: d for d in picture.decisions[use]} for use in listen.USES}
    assert classes["in-ear"]["35"].reading.occupancy == "taken"
    assert classes["voice"]["35"].reading.occupancy == "quiet"
    assert classes["in-ear"]["35"].sweep.place == "Rope Hall, riser"
    ears = [v for v in plan.board_of(store, here(store)).verdicts if v.link.service == "in-ear"]
    assert not any(582_000_000 <= v.freq_hz < 590_000_000 for v in ears)


def test_the_stray_line_is_unclaimed_until_somebody_owns_up(store):
    (line,) = listen.picture(store, here(store)).lines
    store.apply(listen.claim(store, here(store), line, "neighbour"))
    assert listen.picture(store, here(store)).lines == ()
    assert plan.board_of(store, here(store)).stale == ("neighbours",)


def test_relations_follow_from_wall_loss():
    assert [ground.relation_from_loss(x) for x in (5, 22, 44)] == ["together", "near", "apart"]


def test_a_room_in_use_is_not_removed(store):
    with pytest.raises(ValueError, match="Rope Hall is still used by"):
        ground.remove_zone(store, here(store), ground.zones(store, here(store))[0])


def test_reserved_beats_permitted_and_the_strictest_cap_decides():
    from azven.book.regions import Rule, Territory

    rules = (
        Rule(low_hz=0, high_hz=100, kind="permitted", title="wide", power_mw=50),
        Rule(low_hz=20, high_hz=60, kind="permitted", title="narrow", power_mw=10),
        Rule(low_hz=50, high_hz=70, kind="reserved", title="stars"),
    )
    found = permission.permitted(Territory(key="k", title="t", dated="d", note="", channels=(), rules=rules), -10, 110)
    assert [(a, b, r.title if r else None) for a, b, r in found] == [
        (-10, 0, None), (0, 20, "wide"), (20, 50, "narrow"), (50, 60, "stars"), (60, 70, "stars"), (70, 100, "wide"),
        (100, 110, None),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("pattern", "count", "names"),
    [
        ("Choir", 3, ["Choir 1", "Choir 2", "Choir 3"]),
        ("Choir 5", 2, ["Choir 5", "Choir 6"]),
        ("Choir 1–8", 2, ["Choir 1", "Choir 2"]),
        ("Narrator", 1, ["Narrator"]),
    ],
)
def test_bulk_numbering(pattern, count, names):
    assert kit.numbered(pattern, count) == names


def test_numbers_that_are_taken_are_passed_over(empty):
    model, zone = ground.models(empty)[0], ground.zones(empty, here(empty))[0]
    for _ in range(2):
        empty.apply(kit.add_links(empty, here(empty), "Choir", 2, model, model.bands[0][0], zone))
    assert [x.name for x in kit.links(empty, here(empty))] == ["Choir 1", "Choir 2", "Choir 3", "Choir 4"]


def test_paste_reads_columns_by_name_and_keeps_what_it_can(store):
    text = (
        "Room\tLink\tImportance\tUse\tActs\n"
        "Quay Stage\tHerald 1\t1\tquiet\tTide Concert\n"
        "Moon\tHerald 2\t\t\t\n"
        "Rope Hall\t\t\t\t\n"
        "\tHerald 3\t7\t\t\n"
    )
    pasted = kit.paste(store, here(store), text, ground.models(store)[0], ground.zones(store, here(store))[0])
    store.apply(pasted.edit)
    herald = next(x for x in kit.links(store, here(store)) if x.name == "Herald 1")
    assert (herald.priority, herald.use_class, len(herald.acts)) == (1, "quiet", 1)
    assert pasted.used == 1
    assert [r.split(":")[0] for r in pasted.refused] == ["row 3", "row 4", "row 5"]
    plain = kit.paste(
        store,
        here(store),
        "Mime;The quiet one\nClown;\n",
        ground.models(store)[0],
        ground.zones(store, here(store))[0],
    )
    assert [(c.after.name, c.after.performer) for c in plain.edit.changes] == [("Mime", "The quiet one"), ("Clown", "")]


def test_bands_that_do_not_meet_are_noted(store):
    model = next(m for m in store.all(Model) if m.service == "voice")
    link = kit.links(store, here(store))[0]
    unit = store.get(Unit, link.unit_id)
    assert kit.band_note(link, unit, model) == ""
    store.apply(ground.change(unit, "x", receiver_band="606–694"))
    assert "share no frequency" in kit.band_note(link, store.get(Unit, link.unit_id), model)
    said = {n.text for n in kit.fits(store, here(store)).links[link.id]}
    assert said == {kit.band_note(link, store.get(Unit, unit.id), model)}
    verdict = plan.board_of(store, here(store)).verdict(key(store, "Harbour Master"))
    assert verdict.state == "broken"


def test_request_of_the_show_is_a_valid_document(store):
    request = asked(store).request
    assert plan_request.read(plan_request.write(request)) == request


def test_plan_drag_mend_lock(store):
    board = plan.board_of(store, here(store))
    victim = board.frequencies[key(board, "Lamp Choir 2")]
    trial = plan.try_at(board, key(board, "Lamp Choir 1"), victim + 100_000)
    assert not trial.clean
    assert trial.breaks[key(board, "Lamp Choir 2")] == "Lamp Choir 2"
    store.apply(plan.set_frequencies(store, here(store), {key(store, "Lamp Choir 1"): victim + 100_000}, "Move"))
    store.apply(plan.lock(store, here(store), board.verdict(key(board, "Lamp Choir 1")).link, True))
    broken = plan.board_of(store, here(store))
    assert broken.count("broken") >= 2
    found = search.mend(broken, lambda done, total: True, lambda: 0.0).plan
    store.apply(plan.adopt(store, here(store), found, "Mend", {n: broken.frequencies[n] for n in broken.locked}))
    after = plan.board_of(store, here(store))
    assert after.count("broken") == 0
    assert after.frequencies[key(after, "Lamp Choir 1")] == victim + 100_000


def test_plan_all_keeps_locked_links(store):
    board = plan.board_of(store, here(store))
    store.apply(plan.lock(store, here(store), board.verdict(key(board, "Narrator")).link, True))
    board = plan.board_of(store, here(store))
    found = search.plan_all(board, lambda done, total: True, lambda: 0.0, effort=1)
    narrator = key(board, "Narrator")
    assert narrator not in {a.id for a in found.assignments}
    store.apply(plan.adopt(store, here(store), found, "Plan all", {narrator: board.frequencies[narrator]}))
    assert plan.board_of(store, here(store)).frequencies[narrator] == board.frequencies[narrator]
    assert plan.board_of(store, here(store)).count("broken") == 0


def test_a_link_set_aside_or_spare_changes_the_request(store):
    link = kit.links(store, here(store))[0]
    store.apply(kit.change_links(store, [link], set_aside=True))
    assert ids.of(link) not in plan.board_of(store, here(store)).input.links
    spare = next(x for x in kit.links(store, here(store)) if x.spare)
    assert asked(store).wish(ids.of(spare)).priority > plan_input.SPARE_PRIORITY


def test_reasons_carry_the_arithmetic_of_this_case(store):
    board, picture = plan.board_of(store, here(store)), listen.picture(store, here(store))
    for verdict in board.verdicts:
        found = reasons.for_link(store, here(store), board, picture, verdict.id, datetime.now(UTC))
        assert found.verdict
        assert found.options
        rows = dict(found.arithmetic)
        if verdict.limit and verdict.limit.product_hz:
            terms = [float(v.replace("−", "-")) for _, v in found.arithmetic[: len(verdict.limit.sources)]]
            assert sum(terms) * 1e6 == pytest.approx(verdict.limit.product_hz, abs=1)
            assert rows["product"] == wording.mhz(verdict.limit.product_hz)
        assert rows.get("margin", wording.khz(verdict.margin_hz or 0)) == wording.khz(verdict.margin_hz or 0)


def test_an_alternative_is_tried_before_it_is_offered(store):
    board = plan.board_of(store, here(store))
    tight = min(board.verdicts, key=lambda v: v.margin_hz or 0)
    better = reasons.best_alternative(board, tight.id)
    assert better.clean
    store.apply(plan.set_frequencies(store, here(store), {tight.id: better.freq_hz}, "Move"))
    after = plan.board_of(store, here(store))
    assert after.count("broken") == 0
    assert after.verdict(tight.id).margin_hz == better.margin_hz


def test_unplaced_link_says_shares_and_a_way_out(store):
    ear = next(x for x in kit.links(store, here(store)) if x.service == "in-ear")
    board = plan.judge(
        plan.board_of(store, here(store)).input,
        {k: v for k, v in plan.board_of(store, here(store)).frequencies.items() if k != ids.of(ear)},
    )
    found = reasons.for_link(
        store, here(store), board, listen.picture(store, here(store)), ids.of(ear), datetime.now(UTC)
    )
    assert found.figure == "no frequency"
    assert "television" in dict(found.arithmetic)
    assert reasons.better_place(store, here(store), board, ids.of(ear))[0].title.startswith("Put it at")


def test_density_takes_effect_and_makes_the_plan_stale(store):
    relaxed = plan.board_of(store, here(store)).verdict(key(store, "Narrator")).margin_hz
    store.apply(plan.set_density(store, here(store), 0))
    board = plan.board_of(store, here(store))
    assert board.verdict(key(board, "Narrator")).margin_hz < relaxed
    assert "density" in board.stale


def test_forecast_says_time_and_what_could_hide():
    assert (
        "0.6 s"
        in taking.forecast(
            SweepSettings(start_hz=470_000_000, stop_hz=694_000_000, points=10_001, rbw_hz=30_000)
        ).sentence
    )
    assert (
        "may miss carriers narrower than 194 kHz"
        in taking.forecast(
            SweepSettings(start_hz=470_000_000, stop_hz=694_000_000, points=1_001, rbw_hz=30_000)
        ).sentence
    )


def test_own_lines_are_not_foreign_when_our_transmitters_were_on(store):
    from azven.work.simulation import SimulatedVenue

    world = SimulatedVenue(store, here(store), pace=0)
    world.own_on = True
    sweep = world._reader("omni")(
        SweepSettings(start_hz=470_000_000, stop_hz=694_000_000, points=10_001, rbw_hz=30_000), 1
    )
    before = len(listen.picture(store, here(store)).lines)
    store.apply(listen.keep(store, here(store), sweep, taking.About("here", "omni", own_on=True), "x"))
    assert len(listen.picture(store, here(store)).lines) == before
    store.apply(listen.keep(store, here(store), sweep, taking.About("there", "omni", own_on=False), "x"))
    assert len(listen.picture(store, here(store)).lines) > before + 5


def test_imported_sweep_takes_what_its_metadata_says(store, tmp_path):
    from azven.book.formats import sweep_csv

    record = listen.sweeps(store, here(store))[0]
    path = tmp_path / "out.csv"
    files.export_sweep(store, record, path)
    store.apply(files.import_sweep(store, here(store), path, sweep_csv.read(path)))
    back = next(r for r in listen.sweeps(store, here(store)) if r.source == "out.csv")
    assert (back.place, back.antenna, back.rbw_hz, back.taken_at) == (
        record.place,
        record.antenna,
        record.rbw_hz,
        record.taken_at,
    )


def test_sheet_lists_every_link_and_carrier_and_runs_nothing(store):
    link = next(x for x in kit.links(store, here(store)) if x.name == "Brass 5")
    store.apply(kit.change_links(store, [link], performer="=HYPERLINK(1)"))
    board = plan.board_of(store, here(store))
    rows = list(csv.reader(io.StringIO(sheet.csv_text(store, here(store), board))))
    assert len(rows) == 1 + len(board.verdicts) + len(store.all(Wideband))
    assert "'=HYPERLINK(1)" in {cell for row in rows for cell in row}
    assert harmless("-104.5") == "-104.5"
    html = sheet.html(store, here(store), board, datetime.now(UTC))
    assert "the local regulator decide" in html
    assert all(x.name in html for x in kit.links(store, here(store)))


def test_an_empty_book_says_so_everywhere(empty):
    board = plan.board_of(empty, here(empty))
    assert board.verdicts == ()
    assert listen.picture(empty, here(empty)).parts == ()
    assert isinstance(plan.set_frequencies(empty, here(empty), {}, "x"), Edit)


def crowd(store, n):
    """Choir packs until the band is over-full, planned."""
    like = next(x for x in kit.links(store, here(store)) if x.name == "Lamp Choir 1")
    model, zone = store.get(Model, like.model_id), ground.zones(store, here(store))[0]
    store.apply(kit.add_links(store, here(store), "Crowd", n, model, like.band, zone))
    board = plan.board_of(store, here(store))
    found = search.add_missing(board, lambda done, total: done < 400, lambda: 0.0)
    held = dict(board.frequencies)
    store.apply(plan.adopt(store, here(store), found, "Add missing", held))
    after = plan.board_of(store, here(store))
    assert {n: after.frequencies[n] for n in held} == held
    return after


def test_add_missing_moves_nobody_and_leaves_a_clean_plan(store):
    after = crowd(store, 6)
    assert after.count("broken") == 0


def test_ways_out_are_tried_and_work_when_taken(store):
    board = crowd(store, 12)
    stuck = next(v.link for v in board.verdicts if v.state == "unplaced")
    tries = ways_out.variants(store, here(store), listen.picture(store, here(store)), board.input, stuck)
    titles = [v.title for v in tries]
    assert titles[:2] == ["Another tuning band, 518–606", "Another tuning band, 606–694"]
    assert "On in Tide Concert only" in titles
    assert "Work it in Signal House" in titles
    options = ways_out.ways_out(store, here(store), board, ids.of(stuck), tries)
    assert options
    for option in options:
        landed = store.apply(option.edit())
        after = plan.board_of(store, here(store))
        assert after.verdict(ids.of(stuck)).state in ("sound", "tight")
        assert after.count("broken") == 0
        store.apply(landed.inverse())


def test_a_spare_may_give_up_its_guard_against_three_signals(store):
    link = next(x for x in kit.links(store, here(store)) if x.name == "Spare voice 1")
    board = plan.board_of(store, here(store))
    tries = ways_out.variants(store, here(store), listen.picture(store, here(store)), board.input, link)
    assert tries[0].title.startswith("Remove its guard against a + b − c")
    now = plan.try_at(board, ids.of(link), board.frequencies[ids.of(link)])
    option = ways_out._changing(store, here(store), link, tries[0], now)
    landed = store.apply(option.edit())
    after = next(x for x in kit.links(store, here(store)) if x.name == "Spare voice 1")
    model = store.get(type(ground.models(store)[0]), after.model_id)
    assert "a+b-c" not in model.guard_hz
    assert plan.board_of(store, here(store)).verdict(key(store, "Spare voice 1")).state == "sound"
    store.apply(landed.inverse())
    assert plan.board_of(store, here(store)).frequencies == board.frequencies


def test_swap_spares_are_found_for_important_links_and_printed(store):
    board = plan.board_of(store, here(store))
    swaps = search.swap_spares(board, lambda done, total: True)
    narrator = key(board, "Narrator")
    assert narrator in swaps
    assert not any(board.verdict(n).link.spare for n in swaps)
    text = sheet.html(store, here(store), board, datetime.now(UTC), swaps)
    assert "If one fails" in text
    assert f"{swaps[narrator].freq_hz / 1e6:.3f}" in text


def test_the_gain_of_acts_is_counted(store):
    from dataclasses import replace

    wanted = plan.board_of(store, here(store)).input
    gain = search.act_gain(wanted, lambda done, total: True, lambda: 0.0)
    assert gain.with_acts == gain.wanted
    assert gain.always_on <= gain.with_acts
    alone = replace(wanted.request, requests=tuple(replace(r, times=frozenset()) for r in wanted.request.requests))
    assert search.act_gain(replace(wanted, request=alone), lambda done, total: True, lambda: 0.0) is None


def test_more_spares_are_clean_with_everybody_and_undone_in_one(store):
    before = plan.board_of(store, here(store))
    spares = search.spare_links(store, here(store))
    assert len({x.name for x in spares}) == len(spares)
    wanted = asked(store, extra=spares)
    found = search.more_spares(wanted, before, spares, lambda done, total: done < 300, lambda: 0.0)
    landed = store.apply(search.keep_spares(store, here(store), spares, found))
    after = plan.board_of(store, here(store))
    assert len(after.verdicts) == len(before.verdicts) + len(found.assignments) > len(before.verdicts)
    assert after.count("broken", "unplaced") == 0
    store.apply(landed.inverse())
    assert plan.board_of(store, here(store)).frequencies == before.frequencies


def test_the_price_of_a_step_is_counted_not_guessed(store):
    loose, cautious = (asked(store, density=d) for d in (4, 0))
    dense = search.price(loose, cautious, 4, lambda done, total: True, lambda: 0.0)
    safe = search.price(cautious, cautious, 0, lambda done, total: True, lambda: 0.0)
    assert dense.placed == dense.wanted == 29
    assert sum(dense.landing.values()) > 0
    assert dense.worst in {x.name for x in kit.links(store, here(store))}
    assert "land inside the cautious guards" in dense.sentence()
    assert sum(safe.landing.values()) == 0


def test_products_near_our_links_agree_with_the_margins(store):
    board = plan.board_of(store, here(store))
    listed = threats.threats(board, 60_000)
    nearest = {}
    for t in listed.threats:
        nearest.setdefault(t.victim_id, t.slack_hz)
    bound = {v.id: v for v in board.verdicts if v.limit and v.limit.kind != "spacing" and v.margin_hz <= 60_000}
    assert bound
    assert all(nearest[link] == v.margin_hz for link, v in bound.items())
    assert [t.slack_hz for t in listed.threats] == sorted(t.slack_hz for t in listed.threats)
    only = threats.matching(listed, "brass ear", "Brass ear 2", "a+b-c")
    assert only
    assert all(t.kind == "a+b-c" and "Brass ear" in t.victim and "Brass ear 2" in t.formula for t in only)
    strong = threats.matching(listed, least_dbm=-90.0)
    assert 0 < len(strong) < len(listed.threats)
    assert min(t.level_dbm for t in strong) >= -90.0
    judge = LevelJudge(board.input.request, carriers_of(board.input.request, dict(board.frequencies)),
                       board.input.levels.radios, board.input.levels.rooms)  # fmt: skip
    close = [t for t in listed.threats if t.level_dbm is not None and t.distance_hz < 150_000]
    assert close
    for t in close[:20]:  # of what reaches into the channel the judge counts that part, so it hears a little less
        heard = {(p.kind, p.product_hz, frozenset(p.sources)): p for p in judge.products_on(t.victim_id)}
        assert 0 <= t.level_dbm - heard[t.kind, t.product_hz, frozenset(t.sources)].level_dbm < 10
    assert threats.csv_text(only).count("\n") == len(only) + 1
    assert "Margins are set by" in threats.summary(board)
