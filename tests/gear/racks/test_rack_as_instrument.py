"""A rack scans for Listen: on its raster, within its band, and what it did not measure is not called quiet."""

import threading
import time

import numpy as np
import pytest

from azven.gear.racks.address import address
from azven.gear.racks.hub import Hub
from azven.gear.racks.instrument import COARSEST_HZ, RackInstrument
from azven.gear.standins.house import RackHouse
from azven.gear.transport import InstrumentError
from azven.rf.occupancy import judge, survey
from azven.rf.sweep import Channel, SweepSettings
from azven.work.listen import taking
from gear.racks.standing import Hearer, asked, rack
from patience import until

LEVEL_DBM = -93.0


@pytest.fixture
def there():
    house = RackHouse([rack(1)]).start()
    hub = Hub(Hearer())
    hub.add(address(house.servers[0].address))
    until(lambda: hub.link("r-0001") is not None and hub.link("r-0001").ready)
    house.servers[0].rack.channels[0].heard_dbm = lambda freq: np.where(freq % 6_000_000 < 25_000, -60.0, LEVEL_DBM)
    yield hub, house.servers[0].rack
    hub.stop()
    house.stop()


def asking(low_mhz, high_mhz, points=2_001):
    return SweepSettings(
        start_hz=int(low_mhz * 1e6), stop_hz=int(high_mhz * 1e6), points=points, rbw_hz=30_000.0
    )  # fmt: skip


def test_a_scan_in_parts_is_one_even_grid_within_the_band(there):
    hub, _ = there
    found = taking.take(RackInstrument(hub, "r-0001", "1", "a test"), asking(460, 530), lambda *part: True)
    sweep = found.sweep
    assert sweep.freq_hz[0] == 470_000_000
    assert np.unique(np.diff(sweep.freq_hz)).tolist() == [50_000]  # 35 kHz asked, the next step of the raster above it
    assert abs(int(sweep.freq_hz[-1]) - 530_000_000) <= 50_000
    assert sweep.level_dbm.max() == -60.0
    assert "begins at 470 MHz" in found.remark
    assert not hub.link("r-0001").scans  # nothing of it is kept with the link


def test_the_step_never_hides_a_link(there):
    hub, _ = there
    set_up = RackInstrument(hub, "r-0001", "1", "a test").configure(asking(470, 542, points=11))
    assert (set_up.stop_hz - set_up.start_hz) // (set_up.points - 1) == COARSEST_HZ


def test_what_was_not_measured_is_not_known(there):
    hub, stand_in = there
    noise = np.random.default_rng(5).exponential

    def heard(freq):
        return np.where((freq > 499e6) & (freq < 499.5e6), np.nan, LEVEL_DBM + 10 * np.log10(noise(size=len(freq))))

    stand_in.channels[0].heard_dbm = heard
    found = taking.take(RackInstrument(hub, "r-0001", "1", "a test"), asking(470, 542, 2_881), lambda *part: True)
    assert "were not measured" in found.remark
    channels = [Channel(str(k), 470_000_000 + 8_000_000 * k, 478_000_000 + 8_000_000 * k) for k in range(9)]
    classes = [r.occupancy for r in judge(survey(found.sweep, channels), -80.0)]
    assert classes[3] == "unknown"
    assert {c for k, c in enumerate(classes) if k != 3} == {"quiet"}


def test_a_scan_is_not_made_on_the_air_and_says_why(there):
    hub, stand_in = there
    stand_in.channels[0].pack.on = True
    with pytest.raises(InstrumentError, match="Its transmitter is on"):
        taking.take(RackInstrument(hub, "r-0001", "1", "a test"), asking(470, 542), lambda *part: True)


def test_an_instrument_that_is_closed_ends_its_scan_at_once(there):
    hub, stand_in = there
    instrument = RackInstrument(hub, "r-0001", "1", "a test")
    instrument.configure(asking(470, 542, 2_881))
    threading.Timer(0.3, instrument.close).start()
    begun = time.monotonic()
    with pytest.raises(InstrumentError, match="was stopped"):
        instrument.sweep()
    assert time.monotonic() - begun < 0.8
    until(lambda: not stand_in.channels[0].scanning)


def test_a_rack_that_goes_away_is_told(there):
    hub, _ = there
    instrument = RackInstrument(hub, "r-0001", "1", "a test")
    hub.remove(address(hub.links[0].address))
    until(lambda: not hub.links)
    with pytest.raises(InstrumentError, match="is not connected"):
        instrument.identify()


def test_a_band_that_is_set_brings_the_card_again(there):
    hub, stand_in = there
    channel = stand_in.channels[1]
    channel.bands = {"K": (470_000_000, 542_000_000), "L": (606_000_000, 678_000_000)}
    channel.settings = {**channel.settings, "band": "K"}
    channel.can = (*channel.can, "band")
    assert asked(hub, "r-0001", "set", channel="2", values={"band": "L"}).outcome == "done"
    until(lambda: hub.link("r-0001").card.channel("2").low_hz == 606_000_000)
