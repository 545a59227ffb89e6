"""Prove as a user does it: racks taken in, links put on channels, brought up one by one, walked, signed off."""

import pytest

from azven.book.records import Link, ListedRack, Mapped, Proof, SignOff, WalkTest
from azven.work.prove import channels, network, proofs, signing
from azven.work.scope import opening as here


@pytest.fixture
def proving(window, hear_racks):
    """Prove with the stand-in racks of the demonstration heard, and every link on its channel."""
    return hear_racks(window)


def link_of(window, name):
    return next(x for x in window.session.store.all(Link, show_id=window.session.scope.show) if x.name == name)


def helper(window, name):
    return window.session.surroundings.racks().pack(link_of(window, name).id)


def test_without_racks_the_page_says_what_to_do(empty_window):
    stage = empty_window.open_stage("prove")
    empty_window.show_stage("prove")
    assert "No rack is in the list" in stage.racks.words.text()
    stage.pages.show_page(0)
    assert "no links to prove" in stage.bring_up.panel.order.text()
    stage.pages.show_page(1)
    stage.run_primary()
    stage.pages.show_page(4)
    stage.signed.sign()
    assert not empty_window.session.store.all(SignOff)


def test_an_address_that_is_none_is_told_and_not_listed(window):
    stage = window.open_stage("prove")
    stage.racks.where.setText("http://quay")
    stage.racks.add_address()
    assert not window.session.store.all(ListedRack)
    stage.racks.where.setText("rack://127.0.0.1:9")
    stage.racks.add_address()
    assert [r.address for r in window.session.store.all(ListedRack)] == ["rack://127.0.0.1:9"]
    window.session.step_back()
    assert not window.session.store.all(ListedRack)


def test_what_announces_itself_is_dialled_only_when_taken_in(window, monkeypatch):
    from azven.gear.racks import discovery
    from azven.gear.racks.address import Address

    class Looking:
        stopped = False

        def stop(self):
            self.stopped = True

    looking, found = Looking(), []
    monkeypatch.setattr(discovery, "look", lambda tell: found.append(tell) or looking)
    page = window.open_stage("prove").racks.announced
    window.show_stage("prove")
    page.look()
    found[0](discovery.Announced(Address("127.0.0.1", 9), "r-0001", "Rope Hall 1", "receivers"))
    assert "Rope Hall 1 at rack://127.0.0.1:9" in page.heard_of.text()
    assert not window.session.racks.here.hub.links
    page.take()
    assert [r.name for r in window.session.store.all(ListedRack)] == ["Rope Hall 1"]
    page.look()
    assert looking.stopped
    assert not page.isVisible()


def test_a_token_is_asked_for_and_the_rack_is_dialled_with_it(window, qtbot, monkeypatch):
    from PyQt6.QtWidgets import QInputDialog

    from azven.gear.racks import tokens
    from azven.gear.standins.house import RackHouse
    from gear.racks.standing import rack

    kept = {}
    monkeypatch.setattr(tokens, "store", lambda where, token: kept.update({where: token}) or True)
    monkeypatch.setattr(QInputDialog, "getText", staticmethod(lambda *a: ("quay", True)))
    made = rack(1)
    made.token = "quay"
    house = RackHouse([made]).start()
    stage = window.open_stage("prove")
    window.show_stage("prove")
    stage.racks.where.setText(house.servers[0].address)
    stage.racks.add_address()
    hub = window.session.racks.here.hub
    qtbot.waitUntil(lambda: any(x.next_try_s is None and not x.up for x in hub.links), timeout=20_000)
    stage.racks.refresh()
    assert "refused" in stage.racks.racks.records.records[0].said
    stage.racks.racks.choose({window.session.store.all(ListedRack)[0].id})
    stage.racks.ask_token()
    qtbot.waitUntil(lambda: any(x.state == "live" for x in hub.links), timeout=20_000)
    assert kept == {house.servers[0].address: "quay"}
    house.stop()


def test_racks_are_taken_in_and_links_follow_their_units(proving, window):
    store, scope = window.session.store, window.session.scope
    assert len(store.all(Mapped)) == 44
    keys = channels.mapped(store, scope)
    named = {x.name: keys[x.id] for x in store.all(Link, show_id=scope.show) if x.id in keys}
    assert named["Harbour Master"][0] == named["Lamp Choir 8"][0] != named["Narrator"][0]
    assert len(set(named.values())) == 44
    proving.racks.take_over()
    assert {r.kind for r in network.racks(store, scope)} == {
        "receivers",
        "ears",
        "intercom",
        "wideband",
        "charger",
        "switch",
    }
    proving.racks.refresh()
    assert set(proving.racks.findings.buttons()) == {"Set its band", "Send names", "Give another number"}


def test_what_differs_is_sent_as_a_batch_and_read_back(proving, window, qtbot):
    racks = window.session.racks
    assert len(racks.here.differences(racks.now)) > 60
    proving.pages.show_page(0)
    proving.run_primary()
    preview = proving.bring_up.preview
    assert preview.isVisible()
    assert len(preview.table.records.records) == len(racks.here.differences(racks.now))
    preview.accept()
    qtbot.waitUntil(lambda: not racks.here.differences(racks.now), timeout=120_000)
    member = window.session.surroundings.racks().members[link_of(window, "Narrator").id]
    assert member.channel.settings["name"] == "Narrator"
    assert member.channel.settings["freq_hz"] == racks.now.freq_hz[link_of(window, "Narrator").id]


def test_what_changed_at_the_panel_meanwhile_is_not_written_over(proving, window, qtbot):
    racks, said = window.session.racks, []
    window.session.said.connect(lambda text, trouble: said.append((text, trouble)))
    rows = [d for d in racks.here.differences(racks.now) if d.link.name == "Narrator"]
    member = window.session.surroundings.racks().members[link_of(window, "Narrator").id]
    member.channel.settings = {**member.channel.settings, "name": "Panel"}
    racks.send(rows, proving.bring_up._sent)
    qtbot.waitUntil(lambda: any(trouble for _, trouble in said), timeout=10_000)
    assert member.channel.settings["name"] == "Panel"
    assert member.channel.settings["freq_hz"] == member.channel.low_hz


def brought_to(proving, window, qtbot, name, step):
    racks, link = window.session.racks, link_of(window, name)
    for _ in range(
        3
    ):  # on a machine that is busy an answer may come too late: what is not answered is not taken as done
        ended = []
        racks.send(racks.here.differences(racks.now, {link.id}), ended.append)
        qtbot.waitUntil(lambda ended=ended: bool(ended), timeout=120_000)
        if not racks.here.differences(racks.now, {link.id}):
            break
    assert not racks.here.differences(racks.now, {link.id})
    lane, session = racks.now.lane(link.id), window.session
    for before in lane.steps[: lane.steps.index(step)]:
        session.do(lambda s=before: proofs.record(session.store, session.scope, link, s, "held", session.now()))
    proving.pages.show_page(0)
    proving.bring_up.lanes.choose({link.id})
    return link


def test_a_link_goes_from_off_to_full_by_itself(proving, window, qtbot):
    link = brought_to(proving, window, qtbot, "Lamp Choir 2", "off")
    racks, page = window.session.racks, proving.bring_up

    def at():
        return racks.now.lane(link.id).at

    assert at() == "off"
    qtbot.waitUntil(lambda: at() == "sync", timeout=120_000)
    (proof,) = [p for p in window.session.store.all(Proof) if p.link_id == link.id and p.step == "off"]
    assert "under the limit" in proof.measured["said"]
    assert proof.made_by
    for _ in range(4):  # the window fails now and then
        page._said("send")
        qtbot.waitUntil(lambda: not page._busy, timeout=15_000)
        if at() != "sync" or racks.here.judged(racks.now, racks.now.lane(link.id), "sync").state == "holds":
            break
    qtbot.waitUntil(lambda: at() == "on", timeout=15_000)
    helper(window, "Lamp Choir 2").on = True
    qtbot.waitUntil(lambda: at() == "tone", timeout=120_000)
    page._said("held")
    assert at() == "level"


def test_a_pack_that_never_follows_is_found(proving, window, qtbot):
    link = brought_to(proving, window, qtbot, "Lamp Choir 3", "sync")
    racks, page = window.session.racks, proving.bring_up
    for _ in range(4):
        page._said("send")
        qtbot.waitUntil(lambda: not page._busy, timeout=15_000)
        judged = racks.here.judged(racks.now, racks.now.lane(link.id), "sync")
        if judged.state == "fails":
            break
    assert judged.state == "fails"
    assert "sync again" in judged.said
    assert racks.now.lane(link.id).at == "sync"


@pytest.mark.parametrize(
    ("name", "step", "word"),
    [("Brass 4", "on", "less than wanted"), ("Brass 2", "tone", "muted"), ("Narrator", "gain", "less gain"),
     ("Lamp Choir 6", "tone", "Nothing is heard")],
)  # fmt: skip
def test_each_fault_is_told(proving, window, qtbot, name, step, word):
    link = brought_to(proving, window, qtbot, name, step)
    racks, pack = window.session.racks, helper(window, name)
    pack.on, pack.freq_hz = True, racks.now.freq_hz[link.id]
    qtbot.waitUntil(
        lambda: word in racks.here.judged(racks.now, racks.now.lane(link.id), step).said, timeout=40_000
    )  # fmt: skip
    assert racks.now.lane(link.id).at == step


def test_a_strange_carrier_fails_the_step_by_name(proving, window, qtbot):
    link = brought_to(proving, window, qtbot, "Lamp Choir 2", "off")
    racks, other = window.session.racks, helper(window, "Lamp Choir 4")
    other.on, other.freq_hz = True, racks.now.freq_hz[link.id]
    proving.bring_up.by_itself.setChecked(False)

    def judged():
        return racks.here.judged(racks.now, racks.now.lane(link.id), "off")

    qtbot.waitUntil(lambda: judged().state == "fails", timeout=120_000)
    assert "not free" in judged().said
    proving.bring_up.tick()
    assert not proving.bring_up.panel.holds.isEnabled()


def test_nothing_is_left_open_without_a_reason(proving, window):
    page, session = proving.bring_up, window.session
    proving.pages.show_page(0)
    lane, step = page._shown
    page._said("left open")
    assert page.reason.isVisible()
    page.why.setText("  ")
    page._with_reason()
    assert not session.store.all(Proof)
    page.why.setText("comes with the second truck")
    page._with_reason()
    (proof,) = session.store.all(Proof)
    assert (proof.link_id, proof.step, proof.outcome) == (lane.link.id, step, "left open")
    assert not page.reason.isVisible()
    session.step_back()
    assert not session.store.all(Proof)


def test_all_links_hold_a_common_step_in_one_edit(proving, window):
    session = window.session
    proving.pages.show_page(0)
    proving.bring_up.by_itself.setChecked(False)
    proving.bring_up.all_hold()
    assert {p.step for p in session.store.all(Proof)} == {"reset"}
    assert len(session.store.all(Proof)) == 44
    session.step_back()
    assert not session.store.all(Proof)
    session.step_forward()
    proving.bring_up.lanes.choose({link_of(window, "Narrator").id})
    proving.bring_up.again()
    assert len(session.store.all(Proof)) == 43


def test_a_walk_is_recorded_sorted_and_kept(proving, window, qtbot):
    link = brought_to(proving, window, qtbot, "Narrator", "on")
    racks, pack, page = window.session.racks, helper(window, "Narrator"), proving.walk
    pack.on, pack.freq_hz = True, racks.now.freq_hz[link.id]
    proving.pages.show_page(1)
    page.zone.setCurrentIndex([page.zone.itemData(i) for i in range(page.zone.count())].index(link.zone_id))
    page.refresh()
    page.run_primary()
    assert window.session.held()

    def rows():
        return page.recording.rows.get(link.id, [])

    qtbot.waitUntil(lambda: sum(r[3] is not None and r[3] > 90 for r in rows()) > 10, timeout=20_000)
    page.run_primary()
    pack.on = False
    before = len(rows())
    qtbot.waitUntil(lambda: len(rows()) > before + 10, timeout=20_000)
    page.end_walk()
    (kept,) = window.session.store.all(WalkTest)
    assert [m[3] for m in kept.marks] == ["a"]
    page.link.setCurrentIndex([page.link.itemData(i) for i in range(page.link.count())].index(link.id))
    page.refresh()
    assert page.lost.records.records[-1].advice == "its transmitter was off"
    assert "dropout" in page.words.text()


def test_a_sign_off_falls_for_what_changes_afterwards(proving, window):
    session = window.session
    proving.pages.show_page(4)
    proving.signed.who.setText("Jory")
    proving.run_primary()
    (signed,) = session.store.all(SignOff)
    assert signed.made_by == "Jory"
    assert len(signed.left_open) == 44
    assert signing.standing(session.store, session.scope).changed == ()
    narrator = link_of(window, "Narrator")
    from azven.work import ids, plan

    freq = session.racks.now.freq_hz[narrator.id] + 100_000
    session.do(lambda: plan.set_frequencies(session.store, session.scope, {ids.of(narrator): freq}, "Moved"))
    assert [x.name for x in signing.standing(session.store, session.scope).changed] == ["Narrator"]
    proving.signed.refresh()
    assert "Narrator" in proving.signed.changed.text()
    session.step_back()
    assert signing.standing(session.store, session.scope).changed == ()


def test_settings_are_wanted_compared_and_sent(proving, window, qtbot):
    session, page, racks = window.session, proving.settings, window.session.racks
    proving.pages.show_page(3)
    rows = {r.link.name: r for r in page.table.records.records}
    page.table.choose({rows["Narrator"].id})
    page.use_template()
    narrator = next(r for r in page.read() if r.link.name == "Narrator")
    assert narrator.wanted["low_cut_hz"] == 80
    assert narrator.there["low_cut_hz"] == 0
    assert "1 links differ" in page.words.text()
    proving.run_primary()
    proving.bring_up.preview.accept()
    qtbot.waitUntil(lambda: not racks.here.differences(racks.now), timeout=20_000)
    member = session.surroundings.racks().members[narrator.id]
    assert (member.channel.settings["low_cut_hz"], member.channel.settings["mute_lock"]) == (80, True)
    gain = next(c for c in page.table.records.columns if c.title.startswith("Gain"))
    assert not gain.change(narrator, "loud")
    assert gain.change(narrator, "12")
    assert session.racks.now.wanted[narrator.id]["gain_db"] == 12
    member.channel.settings = {**member.channel.settings, "squelch_db": 9}
    racks.ask((member.rack, member.channel.id), "get", lambda call: None)
    qtbot.waitUntil(lambda: racks.here.settings((member.rack, member.channel.id))["squelch_db"] == 9, timeout=10_000)
    page.refresh()
    page.table.choose({narrator.id})
    page.take_over()
    assert session.racks.now.wanted[narrator.id]["squelch_db"] == 9
    session.step_back()
    assert session.racks.now.wanted[narrator.id]["squelch_db"] == 6


def test_a_tone_begins_low_and_goes_to_one_ear(proving, window, qtbot):
    page, session = proving.settings, window.session
    proving.pages.show_page(3)
    rows = {r.link.name: r for r in page.table.records.records}
    page.table.choose({rows["Narrator"].id})
    page.tone("left")
    assert page._tone is None
    page.table.choose({rows["Brass ear 1"].id})
    page.tone("left")
    member = session.surroundings.racks().members[rows["Brass ear 1"].id]
    rack = next(r for r in session.surroundings.racks().racks if r.id == member.rack)
    qtbot.waitUntil(lambda: rack.tones.get(member.channel.id) == {"dbfs": -60, "side": "left"}, timeout=10_000)
    for _ in range(20):
        page.louder()
    qtbot.waitUntil(lambda: rack.tones[member.channel.id]["dbfs"] == -18, timeout=10_000)
    page.tone_off()
    qtbot.waitUntil(lambda: not rack.tones, timeout=10_000)


def test_the_rail_counts_what_is_to_prove(window):
    from azven.desk.points import of_prove

    assert of_prove(window.session) == (("44 to prove", "ochre_text"),)
    assert here(window.session.store) == window.session.scope


def test_a_wrong_band_is_mended_with_one_button(proving, window, qtbot):
    racks, page = window.session.racks, proving.racks
    link = link_of(window, "Lamp Choir 7")
    key = racks.now.keys[link.id]
    assert racks.here.card(key).low_hz == 606_000_000
    page.refresh()
    page.mend(next(t for t in page.findings.troubles if t.title == "Set its band"))
    qtbot.waitUntil(lambda: racks.here.card(key).low_hz == 470_000_000, timeout=10_000)
    page.refresh()
    assert "Set its band" not in page.findings.buttons()
    names = [t for t in page.findings.troubles if t.title == "Send names" and t.asks[0].rack == key[0]]
    page.mend(names[0])
    qtbot.waitUntil(lambda: not any(d.setting == "name" and d.key[0] == key[0]
                                    for d in racks.here.differences(racks.now)), timeout=10_000)  # fmt: skip
    page.refresh()
    assert not [t for t in page.findings.troubles if t.title == "Send names" and t.asks[0].rack == key[0]]


def test_a_batch_sets_bands_before_frequencies(proving, window, qtbot):
    racks = window.session.racks
    link = link_of(window, "Lamp Choir 7")
    rows = racks.here.differences(racks.now, {link.id})
    assert {d.setting for d in rows} >= {"band", "freq_hz", "name"}
    ended = []
    racks.send(rows, ended.append)
    qtbot.waitUntil(lambda: bool(ended), timeout=15_000)
    assert all(c.outcome == "done" for c in ended[0])
    assert not racks.here.differences(racks.now, {link.id})


def test_the_network_is_told_in_fields_and_judged(proving, window, qtbot):
    page, session = proving.racks, window.session
    page.show_network()
    dialog = page.dialog
    dialog.subnets["control"].setText("169.254.10.0/24")
    dialog.keep_subnets()
    dialog.subnets["audio"].setText("quay")
    dialog.keep_subnets()
    told = network.settings(session.store, session.scope)
    assert told.subnets == {"control": "169.254.10.0/24"}
    dialog.add_console()
    limit = dialog.consoles.records.columns[1]
    assert not limit.change(dialog.consoles.records.records[0], "many")
    assert limit.change(dialog.consoles.records.records[0], "1")
    dialog.add_cable()
    told = network.settings(session.store, session.scope)
    assert told.consoles[0][1] == 1
    assert len(told.cables) == 1
    page.refresh()
    said = " ".join(t.said for t in page.findings.troubles)
    assert "shows fewer" in said
    assert "mask" in said
    masks = next(t for t in page.findings.troubles if t.title.startswith("Set mask"))
    page.mend(masks)
    rack = masks.asks[0].rack
    qtbot.waitUntil(
        lambda: session.racks.here.hub.link(rack).card.network.control.mask == "255.255.255.0", timeout=10_000
    )
    dialog.remove_consoles()
    for _ in range(6):
        session.step_back()
    dialog.accept()


def test_a_rack_that_moves_by_our_own_call_is_followed_to_its_new_address(window, qtbot):
    from azven.gear.standins.house import RackHouse
    from azven.work.prove.troubles import Ask
    from gear.racks.standing import rack

    here_, there = RackHouse([rack(1)]).start(), RackHouse([rack(1)])
    there.servers[0].host = "127.0.0.9"
    port = here_.servers[0].port
    there.start(port)
    stage, racks = window.open_stage("prove"), window.session.racks
    window.show_stage("prove")
    stage.racks.where.setText(f"rack://127.0.0.1:{port}")
    stage.racks.add_address()
    qtbot.waitUntil(lambda: any(x.state == "live" for x in racks.here.hub.links), timeout=20_000)
    stage.racks.take_over()
    ended = []
    racks.carry_out([Ask("r-0001", "network", {"control": {"mode": "fixed", "ip": "127.0.0.9"}})], ended.append)
    qtbot.waitUntil(lambda: bool(ended), timeout=10_000)
    here_.stop()
    moved = f"rack://127.0.0.9:{port}"
    qtbot.waitUntil(lambda: [r.address for r in window.session.store.all(ListedRack)] == [moved], timeout=120_000)
    qtbot.waitUntil(lambda: [x.address for x in racks.here.hub.links] == [moved], timeout=10_000)
    there.stop()


def test_racks_are_reset_only_after_asking(proving, window, qtbot):
    page, racks = proving.racks, window.session.racks
    member = window.session.surroundings.racks().members[link_of(window, "Narrator").id]
    racks.send([d for d in racks.here.differences(racks.now) if d.key[0] == member.rack], lambda calls: None)
    qtbot.waitUntil(lambda: member.channel.settings["name"] == "Narrator", timeout=20_000)
    page.ask_reset()
    row = next(r for r in page.racks.records.records if r.rack.rack == member.rack)
    page.racks.choose({row.id})
    page.ask_reset()
    assert member.channel.settings["name"] == "Narrator"
    page.reset_button.click()
    qtbot.waitUntil(lambda: member.channel.settings["name"] == "CH 1", timeout=10_000)


def test_the_address_sheet_is_written_as_pages_and_as_a_list(proving, window, tmp_path):
    for name in ("racks.pdf", "racks.csv"):
        proving.racks.write_sheet(tmp_path / name)
    assert (tmp_path / "racks.pdf").read_bytes().startswith(b"%PDF")
    assert "r-0401" in (tmp_path / "racks.csv").read_text("utf-8")
    assert not window.session.store.all(ListedRack)[0].rack  # the list itself was not changed by it


def test_a_pack_of_ours_on_a_foreign_frequency_is_offered_by_name(proving, window, qtbot):
    link = brought_to(proving, window, qtbot, "Lamp Choir 2", "off")
    racks, page = window.session.racks, proving.bring_up
    page.by_itself.setChecked(False)
    brought_to(proving, window, qtbot, "Lamp Choir 4", "off")
    member = window.session.surroundings.racks().members[link_of(window, "Lamp Choir 4").id]
    member.channel.settings = {**member.channel.settings, "freq_hz": racks.now.freq_hz[link.id]}
    member.channel.pack.on, member.channel.pack.freq_hz = True, racks.now.freq_hz[link.id]
    page.lanes.choose({link.id})

    def offered():
        page.tick()
        return [o.title for o in page.panel._offers]

    qtbot.waitUntil(lambda: "See Lamp Choir 4, which is on it" in offered(), timeout=120_000)
    assert "Another frequency, in Plan" in offered()
    page._take_offer(page.panel._offers[0])
    assert page._shown[0].link.name == "Lamp Choir 4"
    page.lanes.choose({link.id})
    page._take_offer(page.panel._offers[-1])
    assert window.stage.name == "plan"


def test_what_goes_wrong_on_request_is_seen_and_passes(proving, window, qtbot):
    racks, page = window.session.racks, proving.bring_up
    proving.pages.show_page(0)
    lane = page._shown[0]
    page.helper.let("silence")
    key = racks.now.keys[lane.link.id]
    qtbot.waitUntil(lambda: racks.here.hub.link(key[0]).state == "silent", timeout=15_000)
    assert racks.here.judged(racks.now, lane, "frequency").state == "waits"
    qtbot.waitUntil(lambda: racks.here.heard(key[0]), timeout=15_000)


def test_a_rack_sweeps_for_listen_at_its_own_antennas(proving, window, qtbot, settle):
    from azven.book.records import Sweep

    stage = window.open_stage("listen")
    window.show_stage("listen")
    panel = stage.instrument
    panel.look_round()
    at = next(i for i in range(panel.address.count()) if "Lamp Choir 2" in panel.address.itemText(i))
    panel.address.setCurrentIndex(at)
    assert panel.place.text() == "Rope Hall, receive antennas"
    assert not panel.rbw.isVisible()
    panel.start.setText("470")
    panel.stop.setText("486")
    panel.take()
    settle(window)
    newest = max(window.session.store.all(Sweep), key=lambda s: s.id)
    assert (newest.low_hz, newest.high_hz, newest.points, newest.hears) == (470_000_000, 486_000_000, 641, "receivers")
    helper(window, "Lamp Choir 2").on = True
    panel.take()
    settle(window)
    assert max(s.id for s in window.session.store.all(Sweep)) == newest.id  # its transmitter is on: no sweep


def walked(proving, window, name, ways):
    """A walk begun in the room of a link, with its pack on."""
    page, link, racks = proving.walk, link_of(window, name), window.session.racks
    pack = helper(window, name)
    pack.on, pack.freq_hz = True, racks.now.freq_hz[link.id]
    proving.pages.show_page(1)
    page.zone.setCurrentIndex([page.zone.itemData(i) for i in range(page.zone.count())].index(link.zone_id))
    page.ways.setCurrentIndex([page.ways.itemData(i) for i in range(page.ways.count())].index(ways))
    page.refresh()
    page.run_primary()
    return page, link


def test_a_walk_by_letters_with_a_survey_beside_an_earlier_one(proving, window, qtbot, tmp_path):
    brought_to(proving, window, qtbot, "Narrator", "on")
    page, link = walked(proving, window, "Narrator", "timed")
    qtbot.waitUntil(lambda: len(page.recording.rows.get(link.id, [])) > 15, timeout=20_000)
    page.run_primary()
    (first,) = window.session.store.all(WalkTest)
    assert len(first.marks) == 3
    page, _ = walked(proving, window, "Narrator", "letters")
    qtbot.keyClicks(page, "az")
    page.say("some")
    qtbot.waitUntil(lambda: len(page.recording.rows.get(link.id, [])) > 15, timeout=20_000)
    qtbot.keyClicks(page, "k")
    page.run_primary()
    second = max(window.session.store.all(WalkTest), key=lambda w: w.id)
    assert [(m[3], m[4]) for m in second.marks] == [("A", "some"), ("K", "")]
    assert page.walk.currentData() == second.id
    page.earlier.setCurrentIndex(1)
    page.link.setCurrentIndex([page.link.itemData(i) for i in range(page.link.count())].index(link.id))
    page.refresh()
    row = next(r for r in page.links.records.records if r.id == link.id)
    assert row.told is not None
    assert row.before is not None
    assert "1 mark" in page.words.text()
    page.write_report(tmp_path / "walk.pdf")
    assert (tmp_path / "walk.pdf").read_bytes().startswith(b"%PDF")
    window.session.step_back()
    assert len(window.session.store.all(WalkTest)) == 1


def test_other_firmware_takes_the_sign_off_back(proving, window, qtbot):
    session = window.session
    proving.pages.show_page(4)
    proving.signed.who.setText("Jory")
    proving.run_primary()
    assert signing.standing(session.store, session.scope, session.firmware()).changed == ()
    runs = {**session.firmware(), "r-0403": "1.9"}
    changed = signing.standing(session.store, session.scope, runs).changed
    assert {x.name for x in changed} >= {"Brass ear 1", "Brass ear 6"}
    assert all(session.racks.now.keys[x.id][0] == "r-0403" for x in changed)


def test_another_key_is_told_and_synced_again(proving, window, qtbot):
    link = brought_to(proving, window, qtbot, "Brass 3", "on")
    racks, page, pack = window.session.racks, proving.bring_up, helper(window, "Brass 3")
    page.by_itself.setChecked(False)
    pack.on, pack.freq_hz = True, racks.now.freq_hz[link.id]

    def offered():
        page.tick()
        return [o.deed for o in page.panel._offers]

    qtbot.waitUntil(lambda: offered() == ["sync"], timeout=120_000)
    for _ in range(4):  # the window fails now and then
        page._take_offer(page.panel._offers[0])
        qtbot.waitUntil(lambda: not page._busy, timeout=15_000)
        if pack.enc == "ok":
            break
    qtbot.waitUntil(
        lambda: racks.here.judged(racks.now, racks.now.lane(link.id), "on").state == "holds", timeout=20_000
    )
