"""Open formats: round trips, and what is done with files that mean harm."""

import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from azven.book import regions
from azven.book.formats import plan as plan_format
from azven.book.formats import plan_request, region, sweep_csv
from azven.book.formats.errors import FormatError
from azven.rf.coordinate import coordinate
from vectors import REQUESTS


def load(path):
    return json.loads(path.read_text(encoding="utf-8"))


@pytest.mark.parametrize("path", REQUESTS, ids=lambda p: p.stem)
def test_plan_request_round_trip(path):
    request = plan_request.read(load(path))
    assert plan_request.read(json.loads(json.dumps(plan_request.write(request)))) == request


def small():
    return {
        "format": "azven-plan-request", "version": 2, "seed": 3,
        "profiles": {"v": {"spacing_hz": 350_000, "guard_hz": {"2a-b": 100_000}}},
        "zones": {"hall": {}},
        "requests": [
            {"id": "a", "profile": "v", "zone": "hall", "step_hz": 25_000,
             "ranges": [{"low_hz": 5 * 10**8, "high_hz": 51 * 10**7}]},
        ],
    }  # fmt: skip


@pytest.mark.parametrize(
    ("path", "value", "message"),
    [
        (("format",), "other", "format: 'azven-plan-request' expected"),
        (("version",), 3, "version: 3 is newer"),
        (("version",), "1", "version: a whole number expected"),
        (("requests", 0, "step_hz"), "25", r"requests\[0\].step_hz: "),
        (("requests", 0, "step_hz"), 25.5, r"requests\[0\].step_hz: "),
        (("requests", 0, "zone"), "attic", r"requests\[0\].zone: unknown zone"),
        (("requests", 0, "allowed"), [], r"requests\[0\].allowed: is empty"),
        (("blocked",), [{"low_hz": 1, "high_hz": 2, "zones": []}], r"blocked\[0\].zones: is empty"),
        (("relations",), [{"zones": ["hall", "attic"], "relation": "near"}], r"relations\[0\].zones: unknown zone"),
        (("profiles", "v", "guard_hz"), {"4T4O": 1}, "profiles.v.guard_hz.4T4O: unknown product kind"),
        (("effort",), 0, "effort: "),
    ],
)
def test_a_fault_is_named_with_its_path(path, value, message):
    document = small()
    at = document
    for key in path[:-1]:
        at = at[key]
    at[path[-1]] = value
    with pytest.raises(FormatError, match=message) as caught:
        plan_request.read(document)
    assert "\n" not in str(caught.value)


def test_relations_listed_twice_are_refused_and_unknown_keys_ignored():
    document = small() | {"zones": {"hall": {}, "foyer": {}}, "surprise": 1}
    plan_request.read(document)
    document["relations"] = [{"zones": z, "relation": "near"} for z in (["hall", "foyer"], ["foyer", "hall"])]
    with pytest.raises(FormatError, match=r"relations\[1\].zones: .* stand twice"):
        plan_request.read(document)


def test_plan_round_trip():
    plan = coordinate(plan_request.read(small()))
    document = json.loads(json.dumps(plan_format.write(plan)))
    assert plan_format.read(document) == {a.id: a.freq_hz for a in plan.assignments}
    assert document["stats"]["placed"] == 1
    with pytest.raises(FormatError, match=r"assignments\[0\].freq_hz"):
        plan_format.read(document | {"assignments": [{"id": "a"}]})


@pytest.mark.parametrize("document", regions.shipped(), ids=lambda d: d["key"])
def test_shipped_regions_are_valid_dated_and_have_a_raster(document):
    checked = region.read(document)
    territory = regions.territory(document)
    assert checked.dated
    assert territory.channels
    assert any(r.kind == "reserved" for r in territory.rules)
    assert all(a.low_hz <= b.low_hz for a, b in zip(territory.channels, territory.channels[1:], strict=False))


def test_raster_edges_follow_the_definitions():
    by_key = {d["key"]: {c.name: c.low_hz for c in regions.territory(d).channels} for d in regions.shipped()}
    assert by_key["europe-8mhz"]["21"] == 470_000_000
    assert by_key["europe-8mhz"]["48"] == 686_000_000
    assert by_key["north-america-6mhz"]["14"] == 470_000_000
    assert by_key["north-america-6mhz"]["36"] == 602_000_000
    assert by_key["north-america-6mhz"]["7"] == 174_000_000


# -- sweep CSV ---------------------------------------------------------------------------------------------


@given(
    st.lists(
        st.tuples(st.integers(1, 6 * 10**9), st.floats(-150, 20)), min_size=2, max_size=60, unique_by=lambda r: r[0]
    )
)
def test_sweep_csv_round_trip(tmp_path_factory, rows):
    path = tmp_path_factory.mktemp("sweep") / "s.csv"
    freq = np.array(sorted(f for f, _ in rows), np.int64)
    level = np.array([v for _, v in rows])
    sweep_csv.write(path, freq, level, {"place": "Rope Hall\nriser", "rbw_hz": "30000"})
    back = sweep_csv.read(path)
    assert np.array_equal(back.freq_hz, freq)
    assert np.abs(back.level_dbm() - level).max() <= 0.0051
    assert back.metadata == {"place": "Rope Hall riser", "rbw_hz": "30000"}
    assert not back.unit_inferred


@pytest.mark.parametrize(
    ("text", "freq", "unit", "inferred"),
    [
        ("470000000,-90\n470025000,-91\n", 470_000_000, "Hz", True),
        ("freq MHz;level\n470,5;-90,25\n471;-91\n", 470_500_000, "MHz", False),
        ("470.5\t-90\n471\t-91\n", 470_500_000, "MHz", True),
        ("Frequency (kHz) , dBm\n470500 , -90\n470600, -91\n", 470_500_000, "kHz", False),
        ("0.4705 -90\n0.471 -91\n", 470_500_000, "GHz", True),
        ('"frequency_hz","level_dbm"\r\n"470500000","-90"\r\n"470600000","-91"\r\n', 470_500_000, "Hz", False),
        ("\ufefffrequency_hz,level_dbm,\n470500000,-90,\n470600000,-91,\n", 470_500_000, "Hz", False),
    ],
)
def test_sweep_csv_dialects(tmp_path, text, freq, unit, inferred):
    path = tmp_path / "s.csv"
    path.write_text(text, encoding="utf-8")
    found = sweep_csv.read(path)
    assert (int(found.freq_hz[0]), found.unit, found.unit_inferred) == (freq, unit, inferred)
    assert found.level_dbm()[1] == -91


def test_sweep_csv_says_what_it_mended():
    found = sweep_csv.parse("f_hz,a,b\n300,-3,-9\n100,-1,-1\nrubbish\n300,-5,-2\n200,nan,-1\n400,-1\n500,-5,-5\n")
    assert found.freq_hz.tolist() == [100, 300, 500]
    assert found.columns["a"].tolist() == [-1, -3, -5]
    assert found.level_dbm().tolist() == [-1, -2, -5]
    remarks = " ".join(found.remarks)
    assert "sorted" in remarks
    assert "1 rows repeated" in remarks
    assert "3 rows were not numbers and were left out (lines 4, 6, 7)" in remarks


@pytest.mark.parametrize("text", ["", "hello\n", "1,2\n", "nan,1\ninf,2\n", "\0\0\0", "5,-1\n5,-2\n", "a,b\n" * 50])
def test_sweep_csv_refuses_what_holds_no_sweep(text):
    with pytest.raises(FormatError, match="nothing was read"):
        sweep_csv.parse(text)


@given(st.text(max_size=300))
def test_sweep_csv_never_fails_in_another_way(text):
    try:
        found = sweep_csv.parse(text)
    except FormatError:
        return
    assert np.all(np.diff(found.freq_hz) > 0)


def test_a_missing_file_is_one_line(tmp_path):
    with pytest.raises(FormatError, match="No such file"):
        sweep_csv.read(tmp_path / "none.csv")


def test_large_file_is_read_whole():
    rows = "\n".join(f"{470_000_000 + 100 * i},-{90 + i % 7}.5" for i in range(100_000))
    assert len(sweep_csv.parse(rows).freq_hz) == 100_000


def test_shipped_schemas_are_what_the_readers_say():
    from importlib.resources import files

    from azven.book.formats.schemas import schemas

    folder = files("azven") / "data" / "schemas"
    assert {f.name: json.loads(f.read_text("utf-8")) for f in folder.iterdir()} == schemas()
