"""The same sweep through every dialect, and dialect files that cannot be used."""

import json

import numpy as np
import pytest

from azven.gear import dialects
from azven.gear.dialects import DialectError
from azven.gear.instrument import DialectInstrument
from azven.gear.standin import StandInAnalyser
from azven.gear.transport import InstrumentError
from azven.rf.sweep import SweepSettings
from azven.rf.venue import Antenna, Multiplex, Venue

WORLD = Venue(multiplexes=(Multiplex(low_hz=566_000_000, high_hz=574_000_000, level_dbm=-60.0, bearing_deg=0.0),))
SETTINGS = SweepSettings(start_hz=550_000_000, stop_hz=600_000_000, points=20_001, rbw_hz=30_000)


@pytest.fixture(params=["block", "list", "plain"])
def speech(request):
    return request.param


@pytest.fixture
def analyser(speech):
    made = StandInAnalyser(lambda s, n: WORLD.sweep(Antenna(), s, n), pace=0, speech=speech).start()
    yield made
    made.stop()


def test_each_stand_in_is_understood_by_what_it_calls_itself(analyser, speech):
    instrument = DialectInstrument.at(analyser.resource, 5)
    instrument.find_dialect()
    kinds = {"block": "block", "list": "list", "plain": "lines"}
    assert instrument.dialect.kind == kinds[speech]
    used = instrument.configure(SETTINGS)
    assert (used.start_hz, used.stop_hz, used.points, used.rbw_hz) == (550_000_000, 600_000_000, 20_001, 30_000)
    wanted = WORLD.sweep(Antenna(), SETTINGS, 1)
    assert np.abs(instrument.sweep() - wanted.level_dbm).max() < 0.02
    instrument.close()


def test_a_wrong_dialect_is_one_clear_error(analyser, speech):
    wrong = next(d for d in dialects.shipped() if d.kind != {"plain": "lines"}.get(speech, speech))
    instrument = DialectInstrument.at(analyser.resource, 0.5, wrong)

    def swept():
        instrument.configure(SETTINGS)
        instrument.sweep()

    with pytest.raises(InstrumentError, match=r"instrument at|did not answer|block|closed"):
        swept()
    instrument.close()


def test_what_is_wrong_at_the_instrument_is_passed_on():
    made = StandInAnalyser(lambda s, n: WORLD.sweep(Antenna(), s, n), pace=0, speech="plain").start()
    instrument = DialectInstrument.at(made.resource, 2)
    instrument.find_dialect()
    instrument._transport.send("NONSENSE")
    with pytest.raises(InstrumentError, match="ERR unknown word"):
        instrument.configure(SETTINGS)
    instrument.close()
    made.stop()


GOOD = {
    "format": "azven-dialect", "version": 1, "name": "Quay meter", "identify": "ID", "setup": ["S {start_mhz}"],
    "sweep": ["GO"], "read": {"kind": "lines"}, "detectors": {},
}  # fmt: skip


@pytest.mark.parametrize(
    ("change", "path"),
    [
        ({"format": "other"}, "format"), ({"version": 2}, "version"), ({"name": 3}, "name"), ({"setup": "S"}, "setup"),
        ({"setup": ["{__class__}"]}, "__class__"), ({"setup": ["{start_ghz}"]}, "start_ghz"),
        ({"ask": {"x": "?"}}, "x"),
        ({"read": {"kind": "magic"}}, "read.kind"), ({"read": {"kind": "block", "type": "i2"}}, "read.type"),
        ({"level": "furlongs"}, "level"), ({"errors": {"ask": "E?"}}, "errors.none"), ({"read": []}, "read"),
        ({"read": {"kind": "list", "separator": ""}}, "separator"),
    ],
)  # fmt: skip
def test_a_file_that_cannot_be_used_says_where(change, path):
    document = {**GOOD, **change}
    with pytest.raises(DialectError, match=path):
        dialects.read(document, "quay.json")


def test_a_file_of_the_user_is_read(tmp_path):
    path = tmp_path / "quay.json"
    path.write_text(json.dumps(GOOD))
    found = dialects.load(path)
    assert found.lines(SETTINGS) == ["S 550"]
    path.write_text("{")
    with pytest.raises(DialectError, match="cannot be read"):
        dialects.load(path)


def test_figures_are_filled_in_every_unit():
    line = "{start_hz} {start_khz} {start_mhz} {centre_mhz} {span_mhz} {rbw_khz} {points} {detector} {attenuation_db}"
    assert dialects.filled(line, SETTINGS, {"average": "AVG"}) == "550000000 550000 550 575 50 30 20001 AVG 0"
