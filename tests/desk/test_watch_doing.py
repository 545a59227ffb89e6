"""Deeds of Watch as a user does them: going to a spare, levels at the ear, everything back as it was signed off."""

import json
from dataclasses import replace

import pytest

from azven.book.records import Act, Link
from azven.desk.prove.sending import SendingDialog
from azven.desk.watch.stage import LINKS, NOW
from azven.rf.venue.things import Emitter
from azven.work import plan

_LONG = 120_000


@pytest.fixture
def gear(watching):
    return watching.session.surroundings.racks()


def link_of(session, name):
    return next(x for x in session.store.all(Link, show_id=session.scope.show) if x.name == name)


def sent(session, link, qtbot):
    """Have a link's receiver set as planned."""
    session.racks.send(session.racks.here.differences(session.racks.now, {link.id}), lambda calls: None)
    qtbot.waitUntil(lambda: not session.racks.here.differences(session.racks.now, {link.id}), timeout=_LONG)


def switched_on(gear, link):
    pack, channel = gear.pack(link.id), gear.members[link.id].channel
    pack.on, pack.freq_hz, pack.name = True, channel.tuned_hz, link.name
    return pack, channel


def written(stage):
    lines = stage.watch.keeping.path.read_text().splitlines()
    return [json.loads(x)["event"] for x in lines if '"kind":"deed"' in x]


def test_a_link_with_a_stranger_on_it_goes_to_its_spare_and_the_plan_with_it(watching, gear, qtbot):
    session, window = watching.session, watching.window()
    watching._runs_now(session.store.all(Act, show_id=session.scope.show)[1])
    link, spare = link_of(session, "Lamp Choir 1"), link_of(session, "Spare voice 1")
    for one in (link, spare):
        sent(session, one, qtbot)
    pack, channel = switched_on(gear, link)
    key = session.racks.now.keys[link.id]
    qtbot.waitUntil(lambda: watching.watch.board.now(key).get("q", 0) > 80, timeout=_LONG)
    before = {i: plan.assignments(session.store, session.scope)[i].freq_hz for i in (link.id, spare.id)}
    air = gear.air.reception
    stranger = Emitter(name="somebody", freq_hz=channel.tuned_hz + 20_000, power_dbm=17.0, position=(0.0, 5.0, 2.0),
                       arrives_dbm=-50.0)  # fmt: skip
    air.venue = replace(air.venue, emitters=(*air.venue.emitters, stranger))

    def case():
        return next((c for c in watching.watch.seen.open if c.links == (link.name,) and c.incident.spare), None)

    qtbot.waitUntil(lambda: case() is not None, timeout=_LONG)
    assert (case().incident.cause, case().incident.spare) == ("foreign", "Spare voice 1")
    watching.pages.show_page(NOW)
    qtbot.waitUntil(lambda: case() is not None and case().number in watching.now.rows, timeout=_LONG)
    step = watching.now.rows[case().number].step
    qtbot.waitUntil(step.isVisible, timeout=_LONG)
    step.click()
    qtbot.waitUntil(watching.now.asking.isVisible, timeout=_LONG)
    assert channel.tuned_hz == before[link.id]
    watching.now.asking.yes.click()
    qtbot.waitUntil(lambda: "done and read back" in window.said(), timeout=_LONG)
    assert channel.tuned_hz == before[spare.id]
    after = plan.assignments(session.store, session.scope)
    assert (after[link.id].freq_hz, after[spare.id].freq_hz) == (before[spare.id], before[link.id])
    assert f"{before[spare.id] / 1e6:.3f}" in watching.now.order.words.text()
    qtbot.waitUntil(lambda: bool(written(watching)), timeout=_LONG)
    (event,) = written(watching)
    assert (event["before"], event["values"]) == ({"freq_hz": before[link.id]}, {"freq_hz": before[spare.id]})
    pack.freq_hz = channel.tuned_hz  # the person at the pack does what the order says
    qtbot.waitUntil(lambda: watching.watch.board.now(key).get("q", 0) > 80, timeout=_LONG)
    session.step_back()
    assert plan.assignments(session.store, session.scope)[link.id].freq_hz == before[link.id]


def test_volume_at_the_ear_is_asked_with_a_caution_and_only_when_it_gets_louder(watching, gear, qtbot):
    session, window = watching.session, watching.window()
    ear = link_of(session, "Brass ear 1")
    channel = gear.members[ear.id].channel
    before = channel.settings["volume_db"]
    watching.pages.show_page(LINKS)
    page = watching.links
    page.refresh()
    row = next(r for r in page._rows() if r.head.name == "Brass ear 1")
    page.table.choose({row.id})
    qtbot.waitUntil(lambda: len(buttons(page)) > 2, timeout=_LONG)
    by_title = {b.text(): b for b in buttons(page)}
    by_title["Volume −3 dB"].click()
    assert "harms hearing" not in page.asking.caution.text()
    page.asking.yes.click()
    qtbot.waitUntil(lambda: channel.settings["volume_db"] == before - 3, timeout=_LONG)
    qtbot.waitUntil(lambda: "done and read back" in window.said(), timeout=_LONG)
    page.refresh()
    {b.text(): b for b in buttons(page)}["Volume +3 dB"].click()
    assert "harms hearing" in page.asking.caution.text()
    page.asking.no.click()
    assert channel.settings["volume_db"] == before - 3


def test_units_are_put_back_as_they_were_signed_off_and_what_came_of_each_is_written(watching, gear, qtbot):
    session, window = watching.session, watching.window()
    choir, brass = link_of(session, "Lamp Choir 1"), link_of(session, "Brass 1")
    for one in (choir, brass):
        sent(session, one, qtbot)
    prove = window.open_stage("prove")
    prove.signed.who.setText("Ona")
    prove.signed.sign()
    mine, other = (gear.members[x.id].channel for x in (choir, brass))
    before = mine.settings["gain_db"]
    for one in (choir, brass):
        key = session.racks.now.keys[one.id]
        session.racks.ask(key, "set", lambda call: None, values={"gain_db": before + 6})
    qtbot.waitUntil(lambda: all(
        session.racks.here.settings(session.racks.now.keys[x.id]).get("gain_db") == before + 6 for x in (choir, brass)
    ), timeout=_LONG)  # fmt: skip
    watching.put_back()
    (dialog,) = watching.findChildren(SendingDialog)
    assert not dialog.isModal()
    other.settings["gain_db"] = before + 9  # somebody turns it while the question is up
    dialog.send_button.click()
    qtbot.waitUntil(lambda: len(written(watching)) == 2, timeout=_LONG)
    assert (mine.settings["gain_db"], other.settings["gain_db"]) == (before, before + 9)
    came = {e["link"]: (e["before"], e["values"], e["outcome"]) for e in written(watching)}
    was, will = {"gain_db": before + 6}, {"gain_db": before}
    assert came == {"Lamp Choir 1": (was, will, "done"), "Brass 1": (was, will, "not done")}
    assert "1 of 2 units" in window.said()


def buttons(page):
    return [page._line.itemAt(k).widget() for k in range(page._line.count()) if page._line.itemAt(k).widget()]
