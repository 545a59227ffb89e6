"""What goes wrong with stand-ins, on request and by script."""

import numpy as np
import pytest

from azven.gear.racks.address import address
from azven.gear.racks.hub import Hub
from azven.gear.standins.breaking import OF_GEAR, Break, happen, script
from azven.gear.standins.house import RackHouse
from azven.refusal import Refusal
from azven.work import demo, demo_story
from azven.work.scope import opening as here
from azven.work.simulated_racks import SimulatedRacks
from gear.racks.standing import Hearer, rack
from patience import until


@pytest.fixture
def heard():
    house, hearer = RackHouse([rack(1), rack(2)]).start(), Hearer()
    hub = Hub(hearer)
    for server in house.servers:
        hub.add(address(server.address))
    until(lambda: all(x.state == "live" for x in hub.links) and len(hub.links) == 2)
    yield house, hub, hearer
    hub.stop()
    house.stop()


def test_a_script_is_read_in_the_order_of_its_times():
    lines = ['{"at": 5, "rack": "r-1", "fault": "silence", "for": 4}', "",
             '{"rack": "r-1", "channel": "2", "fault": "muted"}']  # fmt: skip
    assert script(lines) == [Break(0.0, "r-1", "muted", "2"), Break(5.0, "r-1", "silence", "", 4.0)]


@pytest.mark.parametrize(
    "line",
    ["quay", "[]", '{"fault": "silence"}', '{"rack": "r-1", "fault": "muted"}', '{"rack": "r-1", "fault": "storm"}',
     '{"rack": "r-1", "channel": "1", "fault": "silence"}', '{"rack": "r-1", "fault": "cut", "at": "now"}'],
)  # fmt: skip
def test_a_line_that_is_no_fault_is_told_by_its_number(line):
    with pytest.raises(Refusal, match="Line 2"):
        script(["", line])


def test_silence_passes_and_the_other_rack_goes_on(heard):
    house, _, hearer = heard
    happen(house, Break(0.0, "r-0001", "silence", seconds=4.0))
    until(lambda: "silent" in hearer.kinds("r-0001"))
    assert "silent" not in hearer.kinds("r-0002")
    until(lambda: "back" in hearer.kinds("r-0001"))


def test_lies_are_left_out_and_a_cut_heals(heard):
    house, hub, hearer = heard
    happen(house, Break(0.0, "r-0001", "lies", seconds=1.0))
    until(lambda: any(t.kind == "bad" and t.rack == "r-0001" for t in hearer.told_all))
    assert hub.link("r-0001").up  # values left out do not close a link
    happen(house, Break(0.0, "r-0002", "cut", seconds=0.5))
    until(lambda: "cut" in hearer.kinds("r-0002"))
    until(lambda: hub.link("r-0002") is not None and hub.link("r-0002").ready)


def test_a_card_that_is_wrong_from_now_on_is_read_anew(heard):
    house, hub, _ = heard
    happen(house, Break(0.0, "r-0002", "same number"))
    happen(house, Break(0.0, "r-0001", "old firmware"))
    until(lambda: (x := hub.link("r-0002")) is not None and x.ready and x.card.network.console_id == 1)
    until(lambda: (x := hub.link("r-0001")) is not None and x.ready and x.card.firmware == "1.0")


@pytest.mark.parametrize("what", [Break(0.0, "r-9", "cut"), Break(0.0, "r-0001", "muted", "9"),
                                  Break(0.0, "r-0001", "wrong band", "1")])  # fmt: skip
def test_what_is_not_there_cannot_break(heard, what):
    with pytest.raises(Refusal):
        happen(heard[0], what)


def test_every_fault_of_gear_changes_what_somebody_sees(heard):
    channel = heard[0].servers[0].rack.channels[0]
    channel.bands = {"K": (470_000_000, 542_000_000), "L": (606_000_000, 678_000_000)}
    channel.settings = {**channel.settings, "band": "K"}
    for fault in OF_GEAR.values():
        before = dict(vars(channel.pack)), dict(channel.settings)
        fault(channel)
        assert (vars(channel.pack), channel.settings) != before


@pytest.fixture(scope="module")
def demo_racks(tmp_path_factory):
    store = demo.build(tmp_path_factory.mktemp("demo"))
    there = SimulatedRacks(store, here(store), demo_story.venue()).start()
    yield there
    there.stop()
    store.close()


def test_packs_of_one_wideband_carrier_do_not_disturb_each_other(demo_racks):
    wide = [i for i, seat in enumerate(demo_racks.air.seats) if seat.channel.service == "wideband"]
    names = [demo_racks.air.reception.receivers[i].carrier for i in wide]
    for i in wide:
        demo_racks.air.seats[i].channel.pack.on = True
    shown = demo_racks.air.reception.shown(3.0, demo_racks.air.tuned_hz(), demo_racks.air.carried())
    ratios = np.nanmax(shown.ratio_db[wide], axis=1)
    assert len(wide) >= 8
    assert set(names) == {"Ferry", "Barge"}
    assert (ratios > 12.0).all()
    fields = demo_racks.air.seats[wide[0]].channel.show()
    assert fields["tx"] == "on"
    assert fields["enc"] == "ok"
