"""Steps of the bring-up judged by values: what is heard now outranks what was said before."""

import numpy as np
import pytest

from azven.book.records import Model
from azven.gear.racks.card import ChannelCard
from azven.work.prove import judging
from azven.work.prove.need import Need
from azven.work.prove.steps import Seen, order
from azven.work.watch.traces import Traces

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


def traces(level, q=100.0, n=40):
    row = np.full(n, level, np.float32)
    return Traces((np.arange(1 - n, 1) / 10).astype(np.float32), row, row - 3, np.full(n, q, np.float32), row * 0 - 20)


def on(level=-50.0, **more):
    status = {"tx": "on", "a": level, "b": level - 3, "q": 100, "bat": 80, **more.pop("status", {})}
    return judging.judge("on", seen(status=status, traces=traces(more.pop("before", level)), **more))


def test_full_is_measured_against_need_and_against_what_reach_reckons():
    assert on().state == "holds"
    assert on(-75.0).state == "fails"  # 5 dB over need, 10 are wanted
    assert on(-50.0, reckoned_db=44.0).state == "holds"  # 14 dB less than reckoned
    doubtful = on(-50.0, reckoned_db=46.0)
    assert doubtful.state == "by hand"  # 16 dB less: somebody looks
    assert "16 dB less than Reach reckons" in doubtful.said


def test_a_transmitter_that_has_just_come_on_is_not_called_weak():
    assert on(-50.0, before=-118.0).state == "waits"


@pytest.mark.parametrize(
    ("status", "word"),
    [({"bat": 15}, "battery"), ({"bat": 60, "left_min": 40}, "battery"), ({"enc": "differs"}, "encryption")],
)
def test_a_full_signal_that_would_fail_the_show_does_not_hold(status, word):
    found = on(status=status)
    assert found.state == "fails"
    assert word in found.said
    assert on(status={"bat": None, "enc": "ok"}).state == "holds"


def test_an_in_ear_whose_transmitter_is_off_waits_and_its_pack_looks():
    ear = Model(name="Ear", service="in-ear", bands=MODEL.bands)
    off = {"freq_hz": 470_800_000, "name": "Narrator", "power_mw": 0}
    assert "transmitter is off" in on(model=ear, settings=off, status={"tx": "off", "q": 0}).said
    blind = judging.judge("off", seen(model=ear, settings=off, traces=traces(float("nan"))))
    assert (blind.state, "switch it on" in blind.said) == ("waits", True)


def test_the_tone_step_names_the_input_or_says_that_none_is_written_down():
    assert "Quay desk 7" in order("tone", seen(at_console="Quay desk 7"))[1]
    assert "not written down" in order("tone", seen())[1]
    ear = Model(name="Ear", service="in-ear", bands=MODEL.bands)
    what, must = order("tone", seen(model=ear, at_console="Quay desk 3/4"))
    assert "left tone, then the right" in what
    assert "Quay desk 3/4" in must


@pytest.mark.parametrize(
    ("heard", "reckoned", "state"),
    [(-110.0, None, "holds"), (-85.0, None, "fails"), (-85.0, 25.0, "by hand"), (-85.0, 24.0, "fails"),
     (-37.0, 45.0, "fails")],
)  # fmt: skip
def test_what_is_heard_with_the_transmitter_off_never_holds_by_itself(heard, reckoned, state):
    given = seen(traces=traces(heard, n=80), status={"tx": "off"}, reckoned_db=reckoned)
    found = judging.judge("off", given)  # need is −80 dBm: 30 dB over −85 are 25 dB over need
    assert (found.state, found.disturbed) == (state, state != "holds")
