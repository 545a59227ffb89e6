"""Every exchange of `rack-link.json`."""

import json
from typing import Any

import pytest

from gear.racks.exchange import Exchange, known, played
from vectors import DATA

DOCUMENT = json.loads((DATA / "rack-link.json").read_text())


@pytest.mark.parametrize("case", DOCUMENT["cases"], ids=lambda c: c["id"])
def test_an_exchange_ends_as_it_must(case: dict[str, Any]) -> None:
    expect = case["expect"]
    after = played(DOCUMENT, case)
    assert after.counted() == expect.get("counted", {})
    if "values" in expect:
        assert after.values() == known(expect["values"])
    if "told" in expect:
        assert after.kinds() == expect["told"]
    if "open" in expect:
        assert after.link.up == expect["open"]
    if "log" in expect:
        assert after.log == expect["log"]
    if "id" in expect:
        assert after.link.id == expect["id"]
    for method, n in expect.get("calls", {}).items():
        assert after.times()[method] == n
    _told_and_next(after, expect)
    _answers(after, expect)


def _told_and_next(after: Exchange, expect: dict[str, Any]) -> None:
    for kind, (low, high) in expect.get("told_at", {}).items():
        assert low <= next(t.at_s for t in after.told_all if t.kind == kind) <= high
    if "next_try_s" in expect:
        wanted = expect["next_try_s"]
        found = after.link.next_try_s
        assert found is None if wanted is None else found is not None and wanted[0] <= found <= wanted[1]


def _answers(after: Exchange, expect: dict[str, Any]) -> None:
    if "error" in expect and after.calls:
        assert after.calls[-1].error == expect["error"]
    for channel, settings in expect.get("settings", {}).items():
        assert after.link.settings[channel].items() >= settings.items()
    if "scan" in expect:
        found: dict[int, float | None] = {}
        for scan in after.link.scans.values():
            found |= scan.by_frequency()
        assert found == {int(f): level for f, level in expect["scan"].items()}
