"""Prove as a user does it: racks taken in, links put on channels, brought up one by one, walked, signed off."""

import pytest

from azven.book.records import Link, ListedRack, Mapped, Proof, SignOff, WalkTest
from azven.work.prove import channels, network, proofs, signing
from azven.work.scope import opening as here


@pytest.fixture
def proving(window, qtbot):
    """Prove with the stand-in racks of the demonstration heard, and every link on its channel."""
    stage = window.open_stage("prove")
    window.show_stage("prove")
    stage.racks.add_simulated()
    racks = window.session.racks
    qtbot.waitUntil(lambda: sum(x.state == "live" for x in racks.here.hub.links) == 14, timeout=30_000)
    qtbot.waitUntil(lambda: all(len(x.settings) == len(x.card.channels) for x in racks.here.hub.links), timeout=30_000)
    stage.racks.map_all()
    return stage


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
    page = window.open_stage("prove").racks
    window.show_stage("prove")
    page.look()
    found[0](discovery.Announced(Address("127.0.0.1", 9), "r-0001", "Rope Hall 1", "receivers"))
    assert "Rope Hall 1 at rack://127.0.0.1:9" in page.heard_of.text()
    assert not window.session.racks.here.hub.links
    page.take_announced()
    assert [r.name for r in window.session.store.all(ListedRack)] == ["Rope Hall 1"]
    page.look()
    assert looking.stopped
    assert not page.announced.isVisible()


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
    assert {r.kind for r in network.racks(store, scope)} == {"receivers", "ears", "intercom", "charger", "switch"}
    proving.racks.refresh()
    assert "Nothing is wrong" in proving.racks.findings.text()


def test_what_differs_is_sent_as_a_batch_and_read_back(proving, window, qtbot):
    racks = window.session.racks
    assert len(racks.here.differences(racks.now)) > 60
    proving.pages.show_page(0)
    proving.run_primary()
    preview = proving.bring_up.preview
    assert preview.isVisible()
    assert len(preview.table.records.records) == len(racks.here.differences(racks.now))
    preview.accept()
    qtbot.waitUntil(lambda: not racks.here.differences(racks.now), timeout=30_000)
    member = window.session.surroundings.racks().members[link_of(window, "Narrator").id]
    assert member.channel.settings["name"] == "Narrator"
    assert member.channel.settings["freq_hz"] == racks.now.freq_hz[member.link.id]


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
    racks.send([d for d in racks.here.differences(racks.now) if d.link.id == link.id], lambda calls: None)
    qtbot.waitUntil(lambda: not racks.here.differences(racks.now, {link.id}), timeout=10_000)
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
    qtbot.waitUntil(lambda: at() == "sync", timeout=30_000)
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
    qtbot.waitUntil(lambda: at() == "tone", timeout=30_000)
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

    qtbot.waitUntil(lambda: judged().state == "fails", timeout=30_000)
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
