"""Whatever a block of a template offers can be carried out, does what it says, and is undone."""

import re
from itertools import pairwise

import pytest

from azven.rf.chain.design import solve_design
from azven.work import chain
from azven.work.chain import edits, threats, troubles
from azven.work.chain import heard as chain_heard
from azven.work.chain import parts as chain_parts
from azven.work.chain.templates import TEMPLATES
from azven.work.scope import opening as here


@pytest.fixture(params=sorted(TEMPLATES))
def design(request, store):
    store.apply(chain.add_design(store, here(store), TEMPLATES[request.param](store, here(store))))
    return chain.designs(store, here(store))[-1]


def of(store, record):
    return next(d for d in chain.designs(store, here(store)) if d.id == record.id)


def figures(record):
    side = chain.side("", chain.read(chain.document_of(record)))
    return {
        "weakest link over noise": min(side.snr_db.values(), default=None), "headroom": side.headroom_db,
        "strongest product": side.products_dbm, "sent in all, EIRP": side.eirp_dbm,
    }  # fmt: skip


def test_every_option_of_every_block_does_what_it_says_and_is_undone(store, design):
    before = figures(design)
    document, tried = chain.document_of(design), 0
    for name in chain.read(document).blocks:
        for option in edits.options(design, name):
            landed = store.apply(option.edit())
            after = figures(of(store, design))
            for what, now in re.findall(rf"({'|'.join(before)}) \S+ → (−?[\d.]+)", option.effect):
                assert after[what] == pytest.approx(float(now.replace("−", "-")), abs=0.051), (name, option.title)
            if "→" not in option.effect:
                assert all(_alike(after[k], before[k]) for k in before), (name, option.title)
            store.apply(landed.inverse())
            tried += 1
    assert tried >= 4
    assert chain.document_of(of(store, design)) == document


def _alike(a, b):
    return a is None or b is None or abs(a - b) < 0.05


def test_every_block_is_in_the_parts_list_and_every_cable_has_its_label(design):
    read = chain.read(chain.document_of(design))
    parts, cables = chain_parts.parts(read), chain_parts.cables(read)
    listed = [name for part in parts for name in part.where.split(", ")]
    counted = {n for n, b in read.blocks.items() if not b.left_out and not (b.kind == "loss" and b.steps_db)}
    assert sorted(listed) == sorted(counted)
    assert sum(part.count for part in parts) == len(counted)
    assert [c.label for c in cables] == [f"C{i}" for i in range(1, len(cables) + 1)]
    assert len(cables) == sum(b.kind == "cable" for b in read.blocks.values())
    for row in cables:
        assert row.loss_db > 0
        assert " → " in row.where


def test_a_template_can_be_solved_and_says_what_is_wrong_in_words(design):
    read = chain.read(chain.document_of(design))
    for trouble in troubles.warnings(read, solve_design(read)):
        assert trouble.text.endswith(".")
        assert re.search(r"\d", trouble.text) or "not known" in trouble.text
        assert trouble.remedy.strip()
        assert trouble.block in read.blocks
    for line in troubles.keep_away(read):
        assert "local code decides" in line


def test_a_threat_is_weaker_the_farther_it_is_and_never_stronger_behind_the_filter(store, design):
    document = chain.document_of(design)
    read = chain.read(document)
    for room in read.zones:
        for threat in (threats.RADIO, threats.BASE):
            heard = [threats.behind_filter_dbm(document, room, threat, d) for d in (1.0, 3.0, 10.0, 30.0)]
            assert all(a[0] > b[0] for a, b in pairwise(heard))
            assert all(behind <= at for at, behind in heard)
            keyed = threats.with_threat(document, room, threat, 3.0)
            assert threats.with_threat(keyed, room, threat, None) == document


def test_every_antenna_that_leads_to_a_receiver_has_a_front(design):
    read = chain.read(chain.document_of(design))
    for name in read.antennas:
        if name in read.receive_antennas():
            front = chain_heard.front(read, name)
            assert front.noise_figure_db > 0
            assert float(front.loss_before_db(600e6)) == 0
        else:
            with pytest.raises(ValueError, match="leads to no receiver"):
                chain_heard.front(read, name)
