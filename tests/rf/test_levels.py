"""Levels and sweeps against the shared vectors."""

import numpy as np
import pytest

from azven.rf import levels
from azven.rf.sweep import Sweep, band_power_dbm
from vectors import load

LINKS = load("links.json")


def cases(kind):
    return [pytest.param(c["input"], c["expect"], id=c["id"]) for c in LINKS["cases"] if c["kind"] == kind]


FAR_PATHS = [case for case in cases("path") if "touching" not in case.values[0]]


@pytest.mark.parametrize(("given", "expect"), FAR_PATHS)
def test_path(given, expect):
    def path_db():
        if given.get("model") == "indoor":
            return levels.indoor_db(given["freq_hz"], given["distance_m"], given["n"])
        return levels.free_space_db(given["freq_hz"], given["distance_m"])

    if "error" in expect:
        with pytest.raises(ValueError, match="negative"):
            path_db()
    else:
        assert path_db() == pytest.approx(expect["path_db"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("pattern"))
def test_pattern(given, expect):
    if given.get("kind") == "omni":
        found = levels.omni_gain_dbi(given["gain_dbi"], given["angle_deg"])
    else:
        found = levels.beam_gain_dbi(
            given["gain_dbi"], given["angle_deg"], given["beamwidth_deg"], given.get("front_back_db", 15)
        )
    assert found == pytest.approx(expect["gain_dbi"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("band_power"))
def test_band_power(given, expect):
    freq, level = np.array(given["bins"]).T
    sweep = Sweep(freq.astype(np.int64), level, given["spacing_hz"], noise_bandwidth_hz=given.get("noise_bandwidth_hz"))
    inside = sweep.level_dbm[sweep.between(given["low_hz"], given["high_hz"])]
    assert band_power_dbm(sweep, given["low_hz"], given["high_hz"]) == pytest.approx(expect["power_dbm"], abs=0.01)
    assert len(inside) == expect["bins"]
    assert np.quantile(inside, 0.2) == pytest.approx(expect["floor_dbm"], abs=0.01)


@pytest.mark.parametrize(("given", "expect"), cases("whip"))
def test_whip(given, expect):
    assert levels.whip_length_mm(given["freq_hz"]) == pytest.approx(expect["length_mm"], abs=0.1)


def test_thermal_noise_constant():
    assert pytest.approx(LINKS["constants"]["kt0_dbm_hz"], abs=1e-4) == levels.KT0_DBM_HZ
