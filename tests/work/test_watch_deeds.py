"""Deeds of a watch by values: what each would set, from what to what, within limits; the evening; reports."""

import gzip
import json
from datetime import timedelta
from pathlib import Path

import pytest

from azven.book.formats import status_log
from azven.book.place import File, Server
from azven.book.records import Act, Link
from azven.gear.racks.card import ChannelCard
from azven.refusal import Refusal
from azven.rf.diagnose.record import Incident
from azven.rf.running import Left
from azven.work import kit, plan
from azven.work.prove import sending, signing
from azven.work.scope import opening
from azven.work.watch import deeds, evening, report, said, swaps
from azven.work.watch.batteries import Charge
from azven.work.watch.cases import Case
from azven.work.watch.deeds import Channel
from azven.work.watch.keeping import Keeping, folder_of, logs
from azven.work.watch.watched import Watched

LOGS = Path(__file__).parents[2] / "bench" / "logs"
KEY = ("r-1", "1")
CAN = frozenset({"freq_hz", "gain_db", "mute_lock", "volume_db", "volume_max_db", "sync", "locate"})


def link(number, name, **more):
    return Link(id=number, show_id=1, name=name, model_id=1, band="", zone_id=1, **more)


@pytest.fixture
def show():
    return Watched(document={"links": [{"name": "Narrator"}, {"name": "Spare"}]}, start=None,
                   links=(link(1, "Narrator"), link(2, "Spare", spare=True)))  # fmt: skip


def channel(can=CAN, limits=None, **settings):
    card = ChannelCard(id="1", low_hz=470_000_000, high_hz=542_000_000, can=can,
                       limits=limits or {"gain_db": (-12, 30, 3)})  # fmt: skip
    return Channel(KEY, card, {"freq_hz": 470_800_000, "gain_db": 0, "mute_lock": False, **settings}, {})


def case(cause, *links, ahead=False, spare="", **detail):
    it = Incident(from_s=0, to_s=1, links=links or ("Narrator",), cause=cause, sure=0.95, detail=detail, spare=spare)
    return Case(number=1, incident=it, since_s=0, last_s=1, ahead=ahead)


def offered(show, about, there=None, planned=None):
    return deeds.offers(show, about, {1: there or channel()}, planned or {1: 470_800_000, 2: 511_725_000})


def test_a_stranger_offers_the_spare_that_was_tried_and_exchanges_the_plan(show):
    first = offered(show, case("foreign", spare="Spare"))[0]
    assert first.title == "Go to spare 511.725"
    assert (first.values, first.expect) == ({"freq_hz": 511_725_000}, {"freq_hz": 470_800_000})
    assert first.spare == 2
    assert "511.725" in first.order
    assert offered(show, case("foreign")) == []


def test_a_spare_that_the_receiver_cannot_be_tuned_to_is_not_offered(show):
    assert offered(show, case("foreign", spare="Spare"), planned={2: 600_000_000}) == []
    assert offered(show, case("foreign", spare="Spare"), channel(can=frozenset({"locate"}))) == []


def test_each_cause_has_its_deed(show):
    assert [d.title for d in offered(show, case("muted"))] == ["Lock its switch", "Blink its lamp"]
    assert offered(show, case("clip"))[0].values == {"gain_db": -6}
    assert offered(show, case("headphone"))[0].method == "locate"
    assert [d.method for d in offered(show, case("frequency"))] == ["sync"]
    sent = offered(show, case("unsent"), channel(freq_hz=471_000_000))[0]
    assert (sent.values, sent.expect) == ({"freq_hz": 470_800_000}, {"freq_hz": 471_000_000})
    assert offered(show, case("battery", ahead=True)) == []
    assert deeds.offers(show, case("muted"), {}, {}) == []


def test_steps_stay_inside_limits_and_none_is_offered_at_the_end():
    there = channel(gain_db=-11)
    assert deeds.gain(link(1, "N"), there, -6).values == {"gain_db": -12}
    assert deeds.gain(link(1, "N"), channel(gain_db=-12), -6) is None
    ear = channel(volume_db=-20, volume_min_db=-40, volume_max_db=-18)
    titles = {d.title: d for d in deeds.of_link(link(1, "Ear"), ear, 470_800_000)}
    assert titles["Volume +2 dB"].values == {"volume_db": -18}
    assert "hearing" in titles["Volume +2 dB"].caution
    assert titles["Volume −3 dB"].caution == ""
    assert titles["Loudest allowed −3 dB"].values == {"volume_max_db": -21}


def test_the_plan_is_exchanged_and_can_be_taken_back(store):
    scope = opening(store)
    placed = plan.assignments(store, scope)
    one, other = list(placed)[:2]
    deed = deeds.Deed(title="", effect="", key=KEY, link=one, spare=other)
    landed = store.apply(deeds.exchanged(store, scope, deed))
    now = plan.assignments(store, scope)
    assert (now[one].freq_hz, now[other].freq_hz) == (placed[other].freq_hz, placed[one].freq_hz)
    store.apply(landed.inverse())
    assert plan.assignments(store, scope)[one].freq_hz == placed[one].freq_hz


def test_acts_without_times_are_laid_out_from_the_one_that_runs(store):
    scope = opening(store)
    acts = kit.acts(store, scope)
    from dataclasses import replace

    from azven.book.edits import Edit, replace_record

    store.apply(Edit("t", tuple(c for a in acts for c in replace_record(a, replace(a, starts_at=None, ends_at=None)))))
    now = acts[0].starts_at
    store.apply(evening.runs_now(store, scope, store.get(Act, acts[1].id), now))
    first, second, third = kit.acts(store, scope)
    assert second.starts_at == now.replace(second=0, microsecond=0)
    assert second.ends_at - second.starts_at == evening.LENGTH
    assert third.starts_at - second.ends_at == evening.BREAK
    assert second.starts_at - first.ends_at == evening.BREAK
    assert not evening.runs_now(store, scope, store.get(Act, acts[1].id), now + timedelta(seconds=20))


def charge(gauge):
    return Charge(link=0, name="Narrator", gauge=gauge, left=Left(None, None), full_min=None, needed_min=None)


def test_a_swap_is_told_by_the_jump_and_only_once():
    seen = swaps.Swaps()
    found = []
    for t, gauge in enumerate([30, 29, 29, 96, 95, 95, 94, 40, 94, 93]):
        found += seen.look([charge(gauge)], t * 60.0)
    (one,) = found
    assert (one.t, one.before, one.after) == (240.0, 29, 95)


def test_swaps_of_all_logs_are_read_and_damage_is_passed_over(tmp_path):
    keeping = Keeping(tmp_path / "logs", lambda text: None)
    keeping.begin(0.0, {"site": "s"})
    keeping.event(1.0, {"kind": "battery", "link": "Narrator", "before": 20.0, "after": 97.0})
    keeping.begin(2.0, {"site": "s"})
    keeping.event(5.0, {"kind": "battery", "link": "Choir", "before": 10.0, "after": 99.0})
    keeping.close()
    (tmp_path / "logs" / "broken.jsonl").write_text('{"start": 3}\n"kind":"battery"\n')
    found = swaps.history(logs(tmp_path / "logs"), lambda done, total: True)
    assert [x.split(" ", 2)[2] for x in found] == ["Choir: 10 → 99 %", "Narrator: 20 → 97 %"]
    times = [json.loads(x)["t"] for p in logs(tmp_path / "logs") for x in p.read_text().splitlines()[1:] if "{" in x]
    assert times[0] == 3.0, "times of a file count from its own start"
    last = logs(tmp_path / "logs")[1]
    Path(f"{last}.gz").write_bytes(gzip.compress(last.read_bytes()))
    last.unlink()
    assert swaps.history(logs(tmp_path / "logs"), lambda done, total: True) == found, "one that was packed is read too"


def test_where_logs_are(tmp_path):
    assert folder_of(File(tmp_path / "show.azven"), None) == tmp_path / "show.azven.logs"
    assert folder_of(Server("postgresql://host/show"), tmp_path) == tmp_path / "logs" / "show"
    assert folder_of(Server("postgresql://host/show"), None) is None
    assert logs(None) == logs(tmp_path / "nothing") == []


def test_a_report_has_incidents_dropouts_and_what_to_change():
    found = report.of_log(LOGS / "lantern-3-tide.jsonl.gz")
    assert {x.cause for x in found.incidents} > {"branch"} or len(found.incidents) > 3
    assert found.tomorrow
    lost = {name: sum(x.values()) for name, x in found.dropouts.items()}
    assert lost
    assert all(seconds > 0 for seconds in lost.values())
    html = report.page(found, lambda s: f"{s:.0f}")
    for it in found.incidents:
        assert it.cause in html
    table = report.incidents_csv(found, lambda s: f"{s:.0f}")
    assert len(table.splitlines()) == len(found.incidents) + 1
    with pytest.raises(Refusal):
        report.of_log(LOGS / "README.md")


def test_a_log_is_exported_whole_and_a_table_that_is_stopped_leaves_nothing(tmp_path):
    log = LOGS / "lantern-4-blessing.jsonl.gz"
    report.export_gzip(log, tmp_path / "a.jsonl.gz")
    with gzip.open(tmp_path / "a.jsonl.gz") as a, gzip.open(log) as b:
        assert a.read() == b.read()
    assert status_log.head_document(tmp_path / "a.jsonl.gz")["format"] == "azven-status-log"
    assert report.export_csv(log, tmp_path / "a.csv", lambda done, total: done < 100) is False
    before = (tmp_path / "a.jsonl.gz").read_bytes()
    assert report.export_gzip(log, tmp_path / "a.jsonl.gz", lambda done, total: False) is False
    assert [p.name for p in tmp_path.iterdir()] == ["a.jsonl.gz"]
    assert (tmp_path / "a.jsonl.gz").read_bytes() == before
    plain = tmp_path / "plain.jsonl"
    plain.write_bytes(gzip.decompress(log.read_bytes()))
    shares = []
    assert report.export_gzip(plain, tmp_path / "b.jsonl.gz", lambda done, total: shares.append(done / total) or True)
    assert gzip.decompress((tmp_path / "b.jsonl.gz").read_bytes()) == plain.read_bytes()
    assert shares[-1] == 1.0


@pytest.mark.parametrize("name", sorted(p.name for p in LOGS.glob("*.jsonl.gz")))
def test_the_last_moment_is_found_from_the_end_alone(name, tmp_path):
    latest = max(x["t"] for x in status_log.lines(LOGS / name) if isinstance(x, dict) and "t" in x)
    assert status_log.last_moment(LOGS / name) == latest
    plain, cut = tmp_path / "plain.jsonl", tmp_path / "cut.jsonl.gz"
    plain.write_bytes(gzip.decompress((LOGS / name).read_bytes()))
    assert status_log.last_moment(plain) == latest
    cut.write_bytes((LOGS / name).read_bytes()[:-200])
    assert 0.9 * latest < status_log.last_moment(cut) <= latest


def test_every_cause_has_words_and_groups_have_a_title(show):
    assert said.who(case("branch", "A", "B", side="a")) == "2 links, antenna A"
    assert said.who(case("crowd", "A", "B", zone="Hall")) == "Hall"
    assert said.who(case("noise", "A", "B", low_hz=480_000_000, high_hz=490_000_000)) == "480 to 490 MHz"
    assert said.who(case("rack", "A", "B", "C")) == "A, B and 1 more"
    assert said.what(case("battery", ahead=True)) == "Battery too short."
    for cause in ("battery", "foreign", "product", "own", "overload", "system", "unknown", "sinks", "unsent"):
        assert said.what(case(cause)).endswith(".")
    assert [said.lasting(x) for x in (34, 95, 3600, 9000)] == ["34 s", "2 min", "60 min", "2 h"]


def test_units_are_put_back_as_they_were_signed_off_as_far_as_they_are_heard(store):
    scope = opening(store)
    links = kit.links(store, scope)[:3]
    keys = {x.id: ("r-1", str(k)) for k, x in enumerate(links)}
    told = {links[0].id: {"gain_db": 0, "name": "A"}, links[1].id: {"gain_db": 3}, links[2].id: {"gain_db": 6}}
    now = store.get(Act, kit.acts(store, scope)[0].id).starts_at
    store.apply(signing.sign(store, scope, "Ona", now, settings=told))
    signed = signing.standing(store, scope).signed
    there = {("r-1", "0"): {"gain_db": -6, "name": "A"}, ("r-1", "1"): {"gain_db": 3}}
    rows = sending.as_signed(links, keys, signed.settings, lambda key: there.get(key, {}))
    assert [(r.link.id, r.setting, r.there, r.wanted) for r in rows] == [(links[0].id, "gain_db", -6, 0)]
