"""What holds for every link and for levels of products; the shared vectors are in `tests/work/test_calc.py`."""

from dataclasses import replace

import numpy as np
import pytest

from azven.rf import imlevels, levels, links
from azven.rf.links import End
from vectors import load


def test_thermal_noise_constant():
    assert pytest.approx(load("links.json")["constants"]["kt0_dbm_hz"], abs=1e-4) == levels.KT0_DBM_HZ


def test_a_link_without_any_distance_is_refused():
    with pytest.raises(ValueError, match="a distance, or a position of both"):
        links.budget(600e6, End(), End())


def test_links_are_reciprocal():
    a = End(gain_dbi=6.5, kind="beam", beamwidth_deg=100, pos_m=(0, 0, 3), aim_m=(0, 20, 1.5), psi_deg=45)
    b = End(gain_dbi=2.15, kind="fixed", pos_m=(6, 12, 1.5), body_db=10)
    forward = links.budget(600e6, replace(b, power_dbm=17), a).level_dbm
    back = links.budget(600e6, replace(a, power_dbm=17, gain_dbi=a.gain_at(links.angle_at(a, b.pos_m))), b).level_dbm
    assert forward == pytest.approx(back, abs=1e-9)


def test_mesh():
    wave = links.SPEED_OF_LIGHT_M_S / 600e6
    assert links.mesh_db(600e6, wave / 10, 0.001) == pytest.approx(9, abs=2)
    assert links.mesh_db(600e6, wave / 30, 0.0005) == pytest.approx(19, abs=3)
    assert links.mesh_db(600e6, wave / 2, 0.001) == 0
    assert np.all(np.diff([links.mesh_db(600e6, a, 0.0005) for a in (0.01, 0.02, 0.05, 0.1)]) < 0)


@pytest.mark.parametrize("wrong", [("2h-x", (1.0, 2.0)), ("h+x-y", (1.0,)), ("3h-2x", (1.0,))])
def test_products_of_unknown_form_are_refused(wrong):
    with pytest.raises(ValueError, match="kind must be"):
        imlevels.in_transmitter_dbm(wrong[0], 17.0, wrong[1])
