"""What is looked at beside a running show: nothing that diagnosis would find passes unlooked at."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from azven.book.formats import status_log
from azven.rf.diagnose.record import Record
from azven.rf.diagnose.remarkable import remarkable, unexplained, usual
from azven.rf.diagnose.weigh import diagnose, filling

LOGS = Path(__file__).parents[2] / "bench" / "logs"
_ROWS = ("a", "b", "q", "af", "bat", "noise", "tx", "mute", "clip", "hp", "txf", "differs", "named_s")


@pytest.fixture(scope="module", params=["lantern-1-hall", "lantern-6-double"])
def evening(request):
    return status_log.read(LOGS / f"{request.param}.jsonl.gz")


def part(record: Record, first: int, end: int) -> Record:
    """Moments first to end of a record."""
    rows = {k: getattr(record, k)[:, max(first, 0) : end] for k in _ROWS}
    return replace(record, at_s=record.at_s[max(first, 0) : end], **rows)


def test_whoever_is_in_an_incident_is_looked_at_while_it_lasts(evening):
    found = [x for x in diagnose(evening) if x.cause != "crowd"]
    assert len(found) > 5
    for it in found:
        end = int(np.searchsorted(evening.at_s, min(it.from_s + 15.0, it.to_s))) + 1
        before = part(evening, end - evening.steps(600), end)
        looked = remarkable(part(evening, end - evening.steps(16), end), usual(before))
        names = {x.name for x, is_looked in zip(evening.head.links, looked, strict=True) if is_looked}
        assert names & set(it.links), it


def test_looking_at_some_finds_what_looking_at_all_finds_of_them(evening):
    every = diagnose(replace(evening))
    names = {n for x in every for n in x.links}
    only = [i for i, x in enumerate(evening.head.links) if x.name in names]
    assert len(only) < len(evening.head.links) or len(names) == len(evening.head.links)
    some = diagnose(replace(evening, only=only), filling(evening))
    assert [(x.cause, x.links, x.from_s) for x in some] == [(x.cause, x.links, x.from_s) for x in every]


def test_trouble_that_nothing_explains_is_unknown_and_not_silent(evening):
    i = next(k for k, x in enumerate(evening.head.links) if not x.spare and not x.is_ear)
    record = part(evening, 0, evening.steps(100))
    q = record.q.copy()
    q[i, -record.steps(2.0) :] = 20.0
    record = replace(record, q=q, tx=np.ones_like(q), named_s=np.repeat(record.at_s[None], len(q), axis=0))
    (one,) = [x for x in unexplained(record, []) if x.links == (record.head.links[i].name,)]
    assert one.cause == "unknown"
    assert one.sure < 0.4
    told = replace(one, cause="foreign")
    assert one.links not in [x.links for x in unexplained(record, [told])]
