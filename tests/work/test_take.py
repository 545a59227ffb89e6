"""What to take: counts are those of plans that hold, ranked, stopped at once, and what if says what a plan says."""

import time

import pytest

from azven.book.records import Link, Model, Site
from azven.refusal import Refusal
from azven.rf.coordinate import conflicts
from azven.rf.radios import Radio, Room
from azven.rf.ranges import range_m
from azven.work import ground, kit, listen
from azven.work.kit import otherwise, take
from azven.work.scope import opening as here


def always(*_):
    return True


def quick(monkeypatch):
    monkeypatch.setattr(take, "LIMIT_S", 2.0)
    monkeypatch.setattr(take, "MOST", 12)


def rank(store, service="in-ear", progress=always, sites=None):
    begun = time.monotonic()
    wanted = sites or [s.id for s, _ in take.sites_with_shows(store)]
    return take.rank(store.place, wanted, service, progress, lambda: time.monotonic() - begun)


def test_every_model_and_band_at_every_site_then_mixes_the_best_first(store, monkeypatch):
    quick(monkeypatch)
    found = rank(store)
    assert [k.site.name for k in found.sites] == ["Marrowby Harbour", "Orchard Ground", "Kiln Yard"]
    assert found.sites[0].rests_on == "2 sweeps"
    assert "listed stations" in found.sites[1].rests_on
    singles = [f for f in found.fits if len(f.models) == 1]
    assert len(singles) == len(take.combos(store, "in-ear"))
    assert any(len(f.models) == 2 for f in found.fits)
    counts = [f.everywhere for f in found.fits]
    assert counts == sorted(counts, reverse=True)
    assert all(f.spares == -(-f.everywhere // 9) for f in found.fits)
    assert found.finished


def test_what_is_counted_can_be_planned_by_hand(store, monkeypatch):
    quick(monkeypatch)
    model = next(m for m in store.all(Model) if m.name == "In-ear stereo, FM")
    site, scope = take.sites_with_shows(store)[0]
    asked = take._asked(store, take.known_of(store, site, scope), [(model, "518–606")], (1.0,))
    from azven.rf.coordinate import coordinate

    plan = coordinate(asked, always)
    placed = {a.id: a.freq_hz for a in plan.assignments}
    assert not conflicts(asked, placed)[0]
    fit = next(f for f in rank(store, sites=[site.id]).fits if f.names == (model.name,) and f.bands == ("518–606",))
    assert fit.everywhere <= len(placed) + 1


def test_listed_stations_close_their_channels_where_nobody_has_swept(store):
    site, scope = take.sites_with_shows(store)[1]
    known = take.known_of(store, site, scope)
    model = next(m for m in store.all(Model) if m.name == "Body pack voice, companded FM")
    asked = take._asked(store, known, [(model, "470–542")], (1.0,))
    place = ground.here(store, scope)
    channel = next(c for c in place.channels() if c.name == place.stations()[0])
    middle = (channel.low_hz + channel.high_hz) // 2
    assert not any(r.low_hz <= middle <= r.high_hz for r in asked.requests[0].allowed)


def test_stop_answers_with_what_was_found(store, monkeypatch):
    quick(monkeypatch)
    asked = []

    def progress(done, total):
        asked.append((done, total))
        return done < 5

    found = rank(store, progress=progress)
    assert not found.finished
    assert len(found.fits) <= 5
    assert all(done <= total for done, total in asked)


def test_a_site_without_a_show_is_not_offered(store):
    names = {s.name for s, _ in take.sites_with_shows(store)}
    assert "Tollgate Store" in {s.name for s in store.all(Site)}
    assert "Tollgate Store" not in names


@pytest.mark.parametrize(("power_db", "needed_db", "more"), [(10, 0, True), (0, 10, False)])
def test_range_grows_with_power_and_shrinks_with_need(power_db, needed_db, more):
    plain = range_m(Radio(), Room(exponent=20.0), 600_000_000)
    other = range_m(Radio(power_dbm=17.0 + power_db, needed_db=20.0 + needed_db), Room(exponent=20.0), 600_000_000)
    assert (other > plain) is more
    assert other / plain == pytest.approx(10 ** ((power_db - needed_db) / 20), rel=0.01)
    assert range_m(Radio(), Room(), 600_000_000, antennas=1) < range_m(Radio(), Room(), 600_000_000, antennas=2)


def choir(store):
    return [x for x in kit.links(store, here(store)) if x.name.startswith("Lamp Choir")]


def test_what_if_tries_every_model_and_keeps_the_chosen_one(store, monkeypatch):
    monkeypatch.setattr(otherwise, "EACH_S", 0.3)
    picture = listen.picture(store, here(store))
    found = otherwise.alternatives(store, here(store), picture, choir(store))
    assert found[0].name == "as it is"
    wanted = [a for a in found if a.model.name == "Voice, dense digital" and a.band == "470–606"]
    assert {a.share for a in wanted} == {1.0, 0.5}
    outcomes = otherwise.try_out([found[0], *wanted], always, time.monotonic)
    assert {o.wanted for o in outcomes} == {29}
    whole = next(o for o in outcomes if o.alternative.share == 1.0)
    assert (whole.of_group, whole.alternative.figures.delay_ms) == (8, 3.6)
    store.apply(otherwise.keep(store, here(store), choir(store), whole))
    assert {store.get(Model, x.model_id).name for x in choir(store)} == {"Voice, dense digital"}
    now = next(o for o in outcomes if not o.alternative.share)
    with pytest.raises(Refusal, match="how it is now"):
        otherwise.keep(store, here(store), choir(store), now)


def test_links_of_several_services_are_no_group(store):
    links = kit.links(store, here(store))
    mixed = [next(x for x in links if x.service == s) for s in ("voice", "in-ear")]
    with pytest.raises(Refusal, match="several services"):
        otherwise.alternatives(store, here(store), listen.picture(store, here(store)), mixed)
    with pytest.raises(Refusal, match="Choose"):
        otherwise.alternatives(store, here(store), listen.picture(store, here(store)), [])
    assert isinstance(mixed[0], Link)


def test_gear_of_shared_bands_is_not_ranked_by_spacing(store):
    names = {m.name for service in ("voice", "intercom") for m, _ in take.combos(store, service)}
    assert "Handheld voice, companded FM" in names
    assert not any("GHz" in n for n in names)
    guitars = [x for x in kit.links(store, here(store)) if x.name.startswith("Shanty guitar")]
    with pytest.raises(Refusal, match="see Other bands"):
        otherwise.alternatives(store, here(store), listen.picture(store, here(store)), guitars)
    narrator = [x for x in kit.links(store, here(store)) if x.name == "Narrator"]
    found = otherwise.alternatives(store, here(store), listen.picture(store, here(store)), narrator)
    assert not any("GHz" in a.model.name for a in found)
