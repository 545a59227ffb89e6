"""Listen and Ground in another band: the instrument follows, sweeps are named by band, rungs are those of the band."""

from azven.book.records import Sweep
from azven.desk.ground.ladder import Ladder
from azven.work import chosen, ground, listen
from azven.work.listen import spectrum, views


def test_the_instrument_follows_the_band_until_somebody_types(window):
    window.show_stage("listen")
    panel = window.open_stage("listen").instrument
    assert (panel.start.text(), panel.stop.text()) == ("470", "694") or panel.start.text() == "470"
    window.session.view.choose("2.4 GHz")
    assert (panel.start.text(), panel.stop.text()) == ("2395", "2490")
    panel.start.setText("2400")
    window.session.view.choose("5 GHz")
    assert (panel.start.text(), panel.stop.text()) == ("2400", "2490")


def test_a_sweep_of_a_shared_band_is_taken_from_the_stand_in(window, settle):
    session = window.session
    window.show_stage("listen")
    stage = window.open_stage("listen")
    session.view.choose("2.4 GHz")
    before = {s.id for s in listen.sweeps(session.store, session.scope)}
    stage.run_primary()
    settle(window)
    (new,) = (s for s in session.store.all(Sweep) if s.id not in before)
    assert (new.low_hz, new.high_hz) == (2_395_000_000, 2_490_000_000)
    heard = {
        d.reading.channel.name: d.reading.power_dbm for d in session.picture.shared if d.reading.channel.low_hz < 3e9
    }
    assert heard["6"] > heard["4"] + 5


def test_sweeps_are_named_by_their_band_and_compared_within_it(window):
    session = window.session
    window.show_stage("listen")
    stage = window.open_stage("listen")
    said = [stage.stack.item(i).text() for i in range(stage.stack.count())]
    assert ["2.4 GHz" in t for t in said].count(True) == 1
    found = views.comparable(session.store, session.scope, session.now())
    new, old = (next(s for s in found.sweeps if s.id == n) for n in found.pair)
    assert new.low_hz == old.low_hz == 470_000_000


def test_the_curves_of_a_band_are_not_coarser_for_another(window):
    picture = window.session.picture
    uhf, ism = picture.merged(470e6, 694e6), picture.merged(2.4e9, 2.48e9)
    assert uhf.spacing_hz < 23_000
    assert ism.freq_hz[0] > 2.3e9
    assert picture.merged(1.88e9, 1.93e9) is None
    assert len(picture.parts) == 3


def test_cells_of_a_shared_band_give_their_reasons(window):
    session = window.session
    cell = next(d for d in session.picture.shared if d.reading.channel.name == "6")
    session.select(chosen.Channel("voice", "6", cell.reading.channel.low_hz))
    assert window.panel.shown.figure == "2434.5–2439.5 MHz"
    session.select(chosen.Channel("voice", "35"))
    assert window.panel.shown.figure.endswith("MHz")


def test_what_to_sweep_names_all_of_a_shared_band(window):
    session = window.session
    ranges = {(p.low_hz, p.high_hz) for p in spectrum.proposals(session.store, session.scope)}
    assert (2_395_000_000, 2_490_000_000) in ranges
    assert (5_150_000_000, 5_850_000_000) in ranges


def test_unclaimed_lines_are_not_looked_for_in_shared_bands(window):
    assert all(line.freq_hz < 1e9 for line in window.session.picture.lines)


def test_rungs_are_those_of_the_band_in_view(window):
    window.show_stage("ground")
    ladder = window.findChild(Ladder)
    region = ground.here(window.session.store, window.session.scope).region
    assert all(r.high_hz < 1e9 for _, r in ladder._rules(region))
    window.session.view.choose("5 GHz")
    assert {r.low_hz for _, r in ladder._rules(region)} == {5_150_000_000, 5_470_000_000}
    assert not ladder.grab().isNull()


def test_bands_go_round_by_key(window):
    names = []
    for _ in range(4):
        window.actions_table.run("next-band")
        names.append(window.session.view.band.name)
    assert names == ["1.9 GHz", "2.4 GHz", "5 GHz", "UHF"]
