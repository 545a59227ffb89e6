"""Reasons for everything that can be selected, and the words and figures in them."""

from datetime import UTC, datetime, timedelta

import numpy as np
import pytest

from azven.rf.sweep import Sweep
from azven.work import ground, listen, plan, reasons, wording
from azven.work.listen import files, taking
from azven.work.reasons import spectrum
from azven.work.scope import opening as here
from naming import key

NOW = datetime(2026, 8, 14, 18, 0, tzinfo=UTC)


@pytest.mark.parametrize(
    ("freq", "text"),
    [(470_000_000, "470.000"), (470_012_500, "470.0125"), (470_006_250, "470.00625"), (2_412_000_000, "2412.000")],
)
def test_megahertz_have_three_decimals_or_as_many_as_the_step_needs(freq, text):
    assert wording.mhz(freq) == text


def test_minus_is_a_minus():
    assert wording.khz(-12_500) == "−12.5 kHz"
    assert wording.decibel(-104.4) == "−104 dBm"


@pytest.mark.parametrize(
    ("minutes", "words"),
    [(0.2, "just now"), (45, "45 min ago"), (120, "2 h ago"), (47 * 60, "47 h ago"), (3 * 1440, "3 days ago")],
)
def test_age_in_words(store, minutes, words):
    record = listen.sweeps(store, here(store))[0]
    moment = record.taken_at + timedelta(minutes=minutes)
    assert listen.age(record, moment) == words
    assert listen.is_stale(record, moment) == (minutes > 1440)


def test_a_channel_shows_its_arithmetic_and_its_sweep(store):
    found = spectrum.for_channel(listen.picture(store, here(store)), "in-ear", "35", NOW)
    rows = dict(found.arithmetic)
    assert found.state == "taken"
    assert rows["tolerated for in-ear in 200 kHz"] == "−101 dBm"
    assert int(rows["95 of 100 places in 200 kHz stay below"].replace("−", "-").split()[0]) > int(
        rows["tolerated for in-ear in 200 kHz"].replace("−", "-").split()[0]
    )
    assert dict(found.origins)["decided by"] == "Rope Hall, riser"
    assert spectrum.for_channel(listen.picture(store, here(store)), "in-ear", "99", NOW) is None


def test_a_channel_nobody_swept_is_unknown(store):
    for record in listen.sweeps(store, here(store)):
        store.apply(listen.set_used(record, False))
    found = spectrum.for_channel(listen.picture(store, here(store)), "voice", "35", NOW)
    assert (found.state, found.arithmetic) == ("unknown", ())


def test_a_sweep_can_be_set_aside_from_its_reasons(store):
    before = len(listen.sweeps(store, here(store)))
    record = listen.sweeps(store, here(store))[0]
    found = spectrum.for_sweep(record, store, NOW)
    assert [o.title for o in found.options] == ["Set it aside", "Remove it"]
    store.apply(found.options[0].edit())
    assert len(listen.picture(store, here(store)).sweeps) == before - 1
    store.apply(spectrum.for_sweep(listen.sweeps(store, here(store))[1], store, NOW).options[1].edit())
    assert len(listen.sweeps(store, here(store))) == before - 1


@pytest.mark.parametrize(("rbw_hz", "marked"), [(10_000, True), (30_000, False)])
def test_a_sweep_whose_lines_can_hide_is_marked(store, rbw_hz, marked):
    coarse = Sweep(np.arange(500_000_000, 510_000_000, 25_000), np.full(400, -110.0), rbw_hz)
    landed = store.apply(listen.keep(store, here(store), coarse, taking.About("here", "whip"), "x", NOW))
    found = spectrum.for_sweep(landed.changes[0].after, store, NOW)
    assert ("a narrow line can hide" in found.verdict) == marked


def test_rules_and_neighbours_say_where_they_come_from(store):
    region = ground.here(store, here(store)).region
    found = spectrum.for_rule(region, region.rules[0])
    assert "the local regulator decide" in found.verdict
    assert dict(found.arithmetic)["power cap"] == "50 mW e.r.p."
    ferry = next(n for n in ground.neighbours(store, here(store)) if n.mixes)
    told = spectrum.for_neighbour(store, ferry)
    assert "strong enough to mix" in told.verdict
    assert dict(told.arithmetic)["contact"] == "duty desk, pier 2"
    store.apply(told.options[0].edit())
    assert ferry.id not in {n.id for n in ground.neighbours(store, here(store))}


@pytest.mark.parametrize(("option", "kind"), [(0, "ours"), (1, "neighbour"), (2, "avoid")])
def test_a_line_is_claimed_in_three_ways(store, option, kind):
    (line,) = listen.picture(store, here(store)).lines
    store.apply(spectrum.for_line(store, here(store), line).options[option].edit())
    claimed = max(ground.neighbours(store, here(store)), key=lambda n: n.id)
    assert (claimed.kind, claimed.freq_hz) == (kind, 521_400_000)
    assert listen.picture(store, here(store)).lines == ()


def test_a_link_on_a_taken_channel_is_told_why(store):
    store.apply(plan.set_frequencies(store, here(store), {key(store, "Narrator"): 480_000_000}, "Move"))
    board = plan.board_of(store, here(store))
    found = reasons.for_link(store, here(store), board, listen.picture(store, here(store)), key(store, "Narrator"), NOW)
    assert found.state == "broken"
    assert found.verdict == "It may not stand here: channel 22 is taken."
    assert plan.try_at(board, key(board, "Narrator"), 480_000_000).sentence() == "channel 22 is taken"


def test_the_floor_of_a_neighbour_is_named_as_neighbour(store):
    store.apply(plan.set_frequencies(store, here(store), {key(store, "Spare voice 1"): 513_525_000}, "Move"))
    board = plan.board_of(store, here(store))
    marshals = key(board, "Dock Marshals 1")
    lane = reasons.lane_of(board, marshals)
    codes, names = reasons.refined_causes(board, marshals, lane)
    near_ferry = np.abs(lane.freq_hz - 513_300_000) < 200_000
    assert set(np.array(names)[codes[near_ferry]]) == {"neighbour"}


def test_picture_of_no_sweep_and_of_a_narrow_one(store):
    for record in listen.sweeps(store, here(store)):
        store.apply(listen.remove_sweep(store, record))
    assert listen.picture(store, here(store)).parts == ()
    narrow = Sweep(np.arange(500_000_000, 510_000_000, 25_000), np.full(400, -110.0), 30_000)
    store.apply(listen.keep(store, here(store), narrow, taking.About("", ""), "x", NOW))
    picture = listen.picture(store, here(store))
    known = [d.reading.channel.name for d in picture.decisions["voice"] if d.reading.occupancy != "unknown"]
    assert known == ["25"]
    assert listen.sweeps(store, here(store))[0].place == "somewhere"


def test_open_points_of_listen(store):
    record = listen.sweeps(store, here(store))[0]
    assert listen.open_points(store, here(store), record.taken_at) == (0, 0)
    assert listen.open_points(store, here(store), record.taken_at + timedelta(days=3)) == (4, 0)
    for r in listen.sweeps(store, here(store)):
        store.apply(listen.set_used(r, False))
    assert listen.open_points(store, here(store), record.taken_at) == (0, 2)


@pytest.mark.parametrize("text", ["not a date", "2026-13-40", ""])
def test_metadata_that_makes_no_sense_is_passed_over(store, tmp_path, text):
    from azven.book.formats import sweep_csv

    path = tmp_path / "odd.csv"
    path.write_text(
        f"# time: {text}\n# rbw_hz: wide\nfrequency_hz,level_dbm\n500000000,-90\n500025000,-91\n", encoding="utf-8"
    )
    landed = store.apply(files.import_sweep(store, here(store), path, sweep_csv.read(path)))
    record = landed.changes[0].after
    assert record.rbw_hz == 25_000
    assert (datetime.now(UTC) - record.taken_at).total_seconds() < 60
