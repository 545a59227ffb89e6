"""Steps of the bring-up judged by values: what is heard now outranks what was said before."""

import pytest

from azven.book.records import Model
from azven.gear.racks.card import ChannelCard
from azven.work.prove import judging
from azven.work.prove.need import Need
from azven.work.prove.steps import Seen

MODEL = Model(name="Body pack", service="voice", bands=(("470–542", 470_000_000, 542_000_000),))
CARD = ChannelCard(id="1", service="voice", low_hz=470_000_000, high_hz=542_000_000, step_hz=25_000)


def seen(**more):
    given = {
        "name": "Narrator", "freq_hz": 470_800_000, "model": MODEL, "card": CARD, "status": {}, "traces": None,
        "settings": {"freq_hz": 470_800_000, "name": "Narrator"}, "need": Need(-100.0, 20.0, ""), "heard": True,
        "on_channel": True,
    }  # fmt: skip
    return Seen(**{**given, **more})


AGREED = {"txf": 470_800_000, "txn": "Narrator"}


@pytest.mark.parametrize(
    ("synced", "status", "state"),
    [
        ({}, {}, "waits"), (AGREED, {}, "holds"), ({}, AGREED, "holds"), (AGREED, {"txf": None, "txn": None}, "holds"),
        (AGREED, {"txf": 471_000_000, "txn": "Narrator"}, "fails"), (AGREED, {"txn": "Somebody"}, "fails"),
        ({"txf": 471_000_000, "txn": "Narrator"}, AGREED, "holds"),
    ],
)  # fmt: skip
def test_both_ends_agree_by_what_is_heard_now(synced, status, state):
    assert judging.judge("sync", seen(synced=synced, status=status)).state == state


@pytest.mark.parametrize("step", ["band", "network", "frequency", "off", "sync", "on", "tone", "gain"])
def test_nothing_holds_that_is_not_heard_or_has_no_channel(step):
    for lost in ({"heard": False}, {"on_channel": False}):
        assert (
            judging.judge(step, seen(synced=AGREED, status={**AGREED, "tx": "on", "q": 100}, **lost)).state == "waits"
        )


def test_a_frequency_outside_the_band_and_one_that_was_not_sent_fail():
    assert judging.judge("band", seen(freq_hz=600_000_000)).state == "fails"
    assert judging.judge("frequency", seen(freq_hz=471_000_000)).state == "fails"
    assert judging.judge("frequency", seen(settings={})).state == "waits"
