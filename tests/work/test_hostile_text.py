"""Text from anywhere, read by what people paste or open: it is used or refused in a sentence, never worse."""

import json

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from azven.book.edits import BookError
from azven.book.formats.errors import FormatError
from azven.book.formats.reading import read_json
from azven.work import chain, ground, kit
from azven.work.ground import hours
from azven.work.plan import group_tables
from azven.work.scope import opening as here

LINES = st.lists(
    st.one_of(
        st.text(max_size=20),
        st.builds(
            lambda *c: ",".join(c), *[st.sampled_from(["1", "A", "500.25", "5e8", "", '"', "nan", "−3", "x;y"])] * 3
        ),
    ),
    max_size=8,
).map("\n".join)
calmly = settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])


@calmly
@given(LINES)
def test_group_tables(tmp_path, text):
    path = tmp_path / "groups.csv"
    path.write_text(text, encoding="utf-8", newline="")
    refusal, table = "", {}
    try:
        table, _ = group_tables.read(path)
    except ValueError as error:
        refusal = str(error)
    assert bool(table) != ("nothing was read" in refusal)
    assert all(1e6 <= f <= 1e11 for freqs in table.values() for f in freqs)


@calmly
@given(LINES)
def test_pasted_links(store, text):
    model, zone = ground.models(store)[0], ground.zones(store, here(store))[0]
    pasted = kit.paste(store, here(store), text, model, zone)
    assert all(c.after is None or c.after.name.strip() for c in pasted.edit.changes)


@calmly
@given(st.text(max_size=12))
def test_hours_and_moments(text):
    found = hours.read(text)
    assert found is None or (0 <= found[0] < 1440 and 0 < found[1] <= 1440)
    refusal = ""
    try:
        hours.Clock("CET").moment(text)
    except ValueError as error:
        refusal = str(error)
    assert not refusal or "is no date and time" in refusal or "does not exist" in refusal


KEYS = st.sampled_from(["format", "version", "nodes", "edges", "zones"])
VALUES = st.recursive(
    st.none() | st.booleans() | st.floats() | st.text(max_size=5),
    lambda x: st.lists(x, max_size=3) | st.dictionaries(KEYS, x, max_size=4),
)


@calmly
@given(VALUES)
def test_designs(document):
    if isinstance(document, dict):
        document = {"format": "azven-chain", "version": 1} | document
    with pytest.raises(FormatError):
        chain.read(document)


@calmly
@given(st.one_of(st.binary(max_size=40), st.just(b"9" * 5_000), st.just(b"[" * 100_000)))
def test_json_files(tmp_path, data):
    path = tmp_path / "x.json"
    path.write_bytes(data)
    try:
        wanted = json.loads(data)
    except (ValueError, RecursionError):
        with pytest.raises((FormatError, BookError)):
            read_json(path)
        return
    assert repr(read_json(path)) == repr(wanted)
