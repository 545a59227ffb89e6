"""An emission wider than a line is told with its edges, and the plan keeps away from both of them."""

import numpy as np

from azven.book import regions
from azven.rf.levels import dbm, milliwatts
from azven.rf.sweep import Sweep
from azven.work import ground, ids, kit, listen, plan
from azven.work.listen.taking import About
from azven.work.plan import search
from azven.work.reasons import spectrum
from azven.work.scope import opening as here

LOW, HIGH = 552_300_000, 552_850_000


def test_no_link_is_planned_into_or_beside_a_wide_emission(empty):
    document = next(r for r in regions.shipped() if r["key"] == "europe-8mhz")
    empty.apply(ground.choose_region(empty, here(empty), document))
    freq = np.arange(470_000_000, 694_000_000, 30_000)
    power = np.full(len(freq), milliwatts(-117.0))
    power[(freq >= LOW) & (freq < HIGH)] += milliwatts(-80.0)
    level = dbm(power * np.random.default_rng(4).gamma(10, 0.1, len(freq)))
    sweep = Sweep(freq, np.asarray(level), 30_000.0)
    empty.apply(listen.keep(empty, here(empty), sweep, About("Hall", "omni", own_on=False, hears="everyone"), "test"))
    picture = listen.picture(empty, here(empty))
    (line,) = picture.lines
    assert abs(line.edges_hz[0] - LOW) <= 60_000
    assert abs(line.edges_hz[1] - HIGH) <= 60_000
    rows = dict(spectrum.for_line(empty, here(empty), line).arithmetic)
    assert rows["from"].startswith("552.")
    model = next(m for m in ground.models(empty) if m.service == "voice" and m.bands[0][1] < LOW < m.bands[-1][2])
    band = next(b[0] for b in model.bands if b[1] < LOW < b[2])
    empty.apply(kit.add_links(empty, here(empty), "Voice 1", 12, model, band, ground.zones(empty, here(empty))[0]))
    board = plan.board_of(empty, here(empty))
    found = search.plan_all(board, lambda done, total: True, lambda: 0.0, effort=1)
    assert len(found.assignments) == 12
    for a in found.assignments:
        assert a.freq_hz <= LOW - 140_000 or a.freq_hz >= HIGH + 140_000
    into = plan.try_at(board, next(iter(board.input.links)), (LOW + HIGH) // 2 // 25_000 * 25_000)
    assert not into.clean


def test_what_is_kept_clear_of_an_emission_is_200_khz_from_both_of_its_edges(store):
    board = plan.board_of(store, here(store))
    (line,) = listen.picture(store, here(store)).lines
    carrier = next(c for c in board.input.request.carriers if c.id == ids.line(line.freq_hz))
    low, high = line.edges_hz
    profile = board.input.request.profiles[carrier.profile]
    assert profile.spacing_hz == 200_000 + (high - low) // 2
    assert abs(carrier.freq_hz - (low + high) // 2) <= 1
    assert not any(profile.guard_hz.values())
