"""What to sweep, comparing, bundles, licences, limits, frequencies next door."""

import json
import zipfile
from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from azven.book.formats import site_bundle, sweep_csv
from azven.book.formats.errors import FormatError
from azven.rf.sweep import SweepSettings
from azven.work import demo, demo_story, ground, kit, listen, plan
from azven.work.ground import bundle, next_door, permission
from azven.work.listen import spectrum, taking
from azven.work.plan import sheet
from azven.work.scope import opening as here
from naming import asked, changes, key


def test_proposals_cover_the_kit_and_say_what_they_cost(store, empty):
    found = spectrum.proposals(store, here(store))
    assert all(p.seconds <= 30.5 for p in found)
    assert found[0].low_hz <= 470_000_000
    assert found[-1].high_hz >= 694_000_000
    assert "whip" in found[0].sentence()
    assert spectrum.proposals(empty, here(empty)) == []


def test_warnings_name_what_is_missing_old_or_ours(store):
    now = demo.datetime.now(demo.UTC)
    assert spectrum.warnings(store, here(store), now) == []
    for record in listen.sweeps(store, here(store)):
        if record.hears == "in-ears":
            store.apply(listen.set_used(record, False))
    text = " ".join(spectrum.warnings(store, here(store), now))
    assert "No sweep serves in-ear links" in text
    assert "with one antenna" in text
    later = now + demo.timedelta(days=3)
    assert "too old to be trusted" in " ".join(spectrum.warnings(store, here(store), later))


def test_the_antennas_disagree_about_the_low_power_multiplex(store):
    lines = spectrum.listed_but_silent(store, here(store), listen.picture(store, here(store)))
    assert any(line.startswith("channel 35") and "riser" in line.split("not at")[0] for line in lines)


def test_lines_that_only_one_antenna_hears_are_named(store):
    lines = spectrum.one_sided(store, here(store), listen.picture(store, here(store)))
    stray = next(line for line in lines if "521.4" in line)
    assert "riser" in stray
    assert stray.endswith("likely not from around 20°, where the others are aimed")
    assert spectrum.aimed_deg("whip, 1.6 m") is None
    assert spectrum.aimed_deg("beam, 380 °") == 20


def test_our_own_lines_are_named(store):
    frequencies = plan.board_of(store, here(store)).frequencies
    from azven.rf.venue import Emitter

    own = tuple(
        Emitter(
            name=n,
            freq_hz=f,
            power_dbm=15.0,
            position=(float(i % 6), 20.0 + i // 6, 1.5),
            bandwidth_hz=120_000,
            extra_loss_db=10.0,
            ours=True,
        )
        for i, (n, f) in enumerate(frequencies.items())
        if n != "Tide Bell"
    )
    world = demo_story.venue(own)
    sweep = world.sweep(
        world.antennas["omni"],
        SweepSettings(start_hz=470_000_000, stop_hz=694_000_000, points=10_001, rbw_hz=30_000),
        9,
    )
    store.apply(listen.keep(store, here(store), sweep, taking.About("Stage", "whip", own_on=True), "x"))
    named = {name for name, _ in listen.picture(store, here(store)).ours}
    assert {"Brass 3", "Harbour Master"} <= named


def test_a_site_goes_out_and_comes_in_without_loss_or_repetition(store, empty, tmp_path):
    path = tmp_path / "site.zip"
    assert bundle.write(store, here(store), path) == bundle.Written(4, ())
    found = site_bundle.read(path)
    merged = bundle.merge(empty, here(empty), found)
    empty.apply(merged.edit)
    assert {z.name for z in ground.zones(empty, here(empty))} >= {"Rope Hall", "Quay Stage", "Signal House"}
    assert {n.name for n in ground.neighbours(empty, here(empty))} == {
        n.name for n in ground.neighbours(store, here(store))
    }
    assert len(listen.sweeps(empty, here(empty))) == 4
    assert {s.hears for s in listen.sweeps(empty, here(empty))} == {"in-ears", "receivers", "everyone"}
    assert "4 sweeps" in merged.said
    again = bundle.merge(empty, here(empty), found)
    assert again.said == ("nothing new",)
    a, b = (listen.load(s, max(listen.sweeps(s, here(s)), key=lambda r: r.place)) for s in (store, empty))
    assert np.array_equal(a.freq_hz, b.freq_hz)
    assert np.allclose(a.level_dbm, b.level_dbm, atol=0.011)


@pytest.mark.parametrize(
    ("members", "message"),
    [
        ({}, "site.json: is missing"),
        ({"site.json": "{"}, "site.json"),
        ({"site.json": json.dumps({"format": "other", "version": 1})}, "format"),
        ({"site.json": json.dumps({"format": "azven-site-bundle", "version": 9, "name": "x"})}, "newer"),
        ({"site.json": json.dumps({"format": "azven-site-bundle", "version": 1})}, "name"),
    ],
)
def test_bundles_that_cannot_be_used_are_refused_in_a_line(tmp_path, members, message):
    path = tmp_path / "bad.zip"
    with zipfile.ZipFile(path, "w") as archive:
        for name, content in members.items():
            archive.writestr(name, content)
    with pytest.raises(FormatError, match=message):
        site_bundle.read(path)
    (tmp_path / "no.zip").write_bytes(b"PK nothing")
    with pytest.raises(FormatError, match="is not a site bundle"):
        site_bundle.read(tmp_path / "no.zip")


def test_a_bundle_keeps_what_is_good_and_says_what_is_not(empty, tmp_path):
    path = tmp_path / "half.zip"
    with zipfile.ZipFile(path, "w") as archive:
        site = {
            "format": "azven-site-bundle", "version": 1, "name": "x", "thresholds": {"voice": -90.0, "odd": 5.0},
            "rooms": [{"name": "Hall"}], "relations": [{"rooms": ["Hall", "Nowhere"], "relation": "near"}],
            "neighbours": [{"name": "n", "freq_hz": 500_000_000, "kind": "strange"}],
        }  # fmt: skip
        archive.writestr("site.json", json.dumps(site))
        archive.writestr("sweeps/1.csv", "rubbish")
        archive.writestr("sweeps/2.csv", "frequency_hz,level_dbm\n470000000,-90\n471000000,-91\n")
    merged = bundle.merge(empty, here(empty), site_bundle.read(path))
    empty.apply(merged.edit)
    assert "1 rooms" in merged.said
    assert "1 sweeps" in merged.said
    assert any("sweeps/1.csv" in line for line in merged.said)
    assert ground.neighbours(empty, here(empty)) == []
    assert listen.tolerated(empty, here(empty))["voice"] == -90.0


def test_a_million_points_are_read_like_a_few(tmp_path):
    freq = np.arange(470_000_000, 471_000_000)
    text = "frequency_hz,level_dbm\n" + "".join(f"{f},-90.5\n" for f in freq[:5000].tolist())
    plain = sweep_csv.parse(text)
    careful = sweep_csv.parse(text + "oops\n")
    assert np.array_equal(plain.freq_hz, careful.freq_hz)
    assert plain.columns["level_dbm"].tolist() == careful.columns["level_dbm"].tolist()
    assert careful.remarks
    assert not plain.remarks


def test_licences_narrow_what_is_permitted_and_the_stricter_cap_holds(store):
    region = ground.here(store, here(store)).region
    before = permission.permitted(region, 470_000_000, 694_000_000)
    store.apply(permission.add_permit(store, here(store), "licence", "EV-1", 470_000_000, 542_000_000, 30.0))
    after = permission.permitted(region, 470_000_000, 694_000_000, ground.here(store, here(store)).permits)
    assert any(rule is None for _, _, rule in after)
    assert not any(rule is None for _, _, rule in before)
    assert after[0][2].power_mw == 30.0
    assert after[0][2].title == "licence EV-1"
    assert plan.board_of(store, here(store)).count("broken") > 0  # what stands above 542 MHz is not covered any more
    assert any("permit EV-1 is new" in text for text in changes(store))


def test_an_override_opens_a_reserved_range_and_needs_a_reason(store):
    with pytest.raises(ValueError, match="needs a reason"):
        permission.add_permit(store, here(store), "override", "x", 606_000_000, 614_000_000)
    with pytest.raises(ValueError, match="end above its start"):
        permission.add_permit(store, here(store), "licence", "x", 614_000_000, 606_000_000)
    store.apply(
        permission.add_permit(
            store, here(store), "override", "Observatory", 606_000_000, 614_000_000, None, "agreed by phone"
        )
    )
    region, permits = ground.here(store, here(store)).region, ground.here(store, here(store)).permits
    rule = permission.permitted(region, 607_000_000, 608_000_000, permits)[0][2]
    assert (rule.kind, rule.title) == ("permitted", "override: Observatory")


def test_the_television_guard_and_the_limits_change_the_picture(store):
    board = plan.board_of(store, here(store))
    narrow = board.input.bars[key(board, "Narrator")]
    store.apply(ground.set_site(store, here(store), "guard", tv_guard_hz=500_000))
    wide = asked(store).bars[key(store, "Narrator")]
    assert next(b for b in wide if b.cause == "television").low_hz == (
        next(b for b in narrow if b.cause == "television").low_hz - 500_000
    )
    with pytest.raises(ValueError, match="no limit"):
        listen.set_tolerated(store, here(store), "voice", 20.0)
    before = [d.reading.occupancy for d in listen.picture(store, here(store)).decisions["in-ear"]]
    store.apply(listen.set_tolerated(store, here(store), "in-ear", -80.0))
    after = [d.reading.occupancy for d in listen.picture(store, here(store)).decisions["in-ear"]]
    assert after.count("taken") < before.count("taken")


def test_frequencies_next_door_harm_nobody_and_are_kept_clear_of(store):
    board = plan.board_of(store, here(store))
    model = next(m for m in ground.models(store) if "dense" in m.name)
    zone = next(z for z in ground.zones(store, here(store)) if z.name == "Signal House")
    links = next_door.wishes(store, here(store), "Ballroom", model, model.bands[0][0], zone, 3)
    asked = next_door.asked(store, here(store), listen.picture(store, here(store)), links)
    found = next_door.propose(asked, board, links, lambda d, t: True, lambda: 0.0)
    assert len(found) == 3
    judged = plan.judge(asked, {**board.frequencies, **found})
    assert judged.count("broken") == 0
    assert "Ballroom 1" in next_door.slip(store, here(store), found, zone)
    store.apply(next_door.keep(store, here(store), found, zone, "house engineer"))
    assert {"Ballroom 1", "Ballroom 2", "Ballroom 3"} <= {n.name for n in ground.neighbours(store, here(store))}
    with pytest.raises(ValueError, match="who"):
        next_door.wishes(store, here(store), " ", model, model.bands[0][0], zone, 3)
    assert len(kit.links(store, here(store))) == len(board.verdicts)


def test_of_a_timetable_only_the_newest_sweep_of_a_place_is_compared(store):
    before = listen.picture(store, here(store))
    record, sweep = before.sweeps[0]
    warned = spectrum.warnings(store, here(store), record.taken_at)
    for _ in range(3):
        store.apply(listen.keep(store, here(store), sweep, taking.About(record.place, record.antenna), "again"))
    picture = listen.picture(store, here(store))
    assert len(picture.sweeps) == len(before.sweeps) + 3
    assert len(spectrum.newest(picture)) == len(spectrum.newest(before))
    assert len(spectrum.warnings(store, here(store), record.taken_at)) == len(warned)


def test_many_places_that_disagree_are_named_in_a_line(store):
    newest = next(r for r in listen.sweeps(store, here(store)) if r.place.startswith("Rope Hall, receive"))
    for i in range(9):
        about = taking.About(f"Balcony {i}", newest.antenna)
        store.apply(listen.keep(store, here(store), listen.load(store, newest), about, "x"))
    (line,) = spectrum.listed_but_silent(store, here(store), listen.picture(store, here(store)))
    assert line.startswith("channel 35: a multiplex at Rope Hall, riser, not at Balcony 8, Balcony 7, Balcony 6")
    assert line.endswith("and 7 more places")


def test_what_changed_since_yesterday_is_asked_of_the_same_place_first(store):
    assert spectrum.since_yesterday(store, here(store)) is None
    newest = listen.sweeps(store, here(store))[0]
    taken = listen.load(store, newest)
    for hours, place in ((20, "elsewhere"), (23, newest.place), (90, newest.place)):
        about = taking.About(place, newest.antenna)
        store.apply(listen.keep(store, here(store), taken, about, "x", newest.taken_at - timedelta(hours=hours)))
    old, new = spectrum.since_yesterday(store, here(store))
    assert new.id == newest.id
    assert (old.place, round((new.taken_at - old.taken_at).total_seconds() / 3600)) == (newest.place, 23)


def test_an_override_is_printed_with_its_reason(store):
    edit = permission.add_permit(
        store, here(store), "override", "Observatory", 606_000_000, 614_000_000, None, "agreed by phone"
    )
    store.apply(edit)
    text = sheet.html(store, here(store), plan.board_of(store, here(store)), datetime(2026, 11, 25, tzinfo=UTC))
    assert "Planned outside permission" in text
    assert "agreed by phone" in text
