"""Sizes that no event has are refused in a sentence before they cost time and memory."""

import json
import time
import zipfile

import pytest

from azven.book.formats import chain, plan_request, reading, region, rows, site_bundle, sweep_csv
from azven.book.formats.errors import FormatError
from azven.rf.chain.design import solve_design
from azven.rf.coordinate import coordinate

SHORT_S = 2.0


@pytest.fixture(autouse=True)
def quick():
    started = time.process_time()
    yield
    assert time.process_time() - started < SHORT_S


def asked(**more):
    return {
        "format": "azven-plan-request", "version": 2, "profiles": {"v": {"spacing_hz": 350_000}}, "zones": {"h": {}},
        "requests": [], **more,
    }  # fmt: skip


def wish(i=0, low=470_000_000, high=694_000_000, step=25_000):
    ranges = [{"low_hz": low, "high_hz": high}]
    return {"id": f"l{i}", "profile": "v", "zone": "h", "ranges": ranges, "step_hz": step}


def test_a_raster_of_two_thousand_million_channels():
    data = {"format": "azven-region", "version": 1, "key": "k", "title": "t", "dated": "d", "rules": []}
    raster = {"first": 1, "last": 2_000_000_000, "start_hz": 0, "width_hz": 1}
    with pytest.raises(FormatError, match="2000000000 channels in all; at most 1000"):
        region.read(data | {"rasters": [raster]})
    with pytest.raises(FormatError, match="above last"):
        region.read(data | {"rasters": [raster | {"first": 5, "last": 4}]})


def test_a_range_of_a_million_million_steps():
    with pytest.raises(FormatError, match=r"requests\[0\].ranges: hold 1000000000000 steps"):
        plan_request.read(asked(requests=[wish(low=1, high=10**12, step=1)]))
    with pytest.raises(FormatError, match="reach over"):
        plan_request.read(asked(requests=[wish(low=1, high=10**12, step=10**8)]))


def test_twenty_thousand_requests():
    with pytest.raises(FormatError, match=r"requests: .*at most 5000"):
        plan_request.read(asked(requests=[wish(i) for i in range(20_000)]))


def test_as_many_requests_as_are_read_end_with_their_time():
    request = plan_request.read(asked(requests=[wish(i) for i in range(2_000)], time_limit_s=0.2, effort=1))
    started = time.monotonic()
    found = coordinate(request, lambda d, t: True, lambda: time.monotonic() - started)
    assert len(found.assignments) + len(found.unplaced) == 2_000


def test_a_file_larger_than_any_document(tmp_path):
    path = tmp_path / "large.json"
    with path.open("wb") as file:
        file.truncate(400_000_000)
    for read in (reading.read_json, sweep_csv.read):
        with pytest.raises(FormatError, match="larger than"):
            read(path)


def test_a_line_of_a_hundred_million_characters(tmp_path):
    path = tmp_path / "line.csv"
    path.write_bytes(b"1," * 25_000_000)
    with pytest.raises(FormatError, match="a line of more than 10000 characters"):
        sweep_csv.read(path)


def test_a_bundle_whose_sweep_unpacks_to_gigabytes(tmp_path):
    path = tmp_path / "bomb.zip"
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as bundle:
        bundle.writestr("site.json", json.dumps({"format": "azven-site-bundle", "version": 1, "name": "x"}))
        bundle.writestr("sweeps/1.csv", bytes(150_000_000))
    found = site_bundle.read(path)
    assert found.sweeps == []
    assert "larger than" in found.refused[0]


def test_a_table_of_a_million_rows():
    with pytest.raises(FormatError, match="More than 20000 rows"):
        rows.rows_of("x\n" * 1_000_000, ",")


def test_a_design_with_more_ways_than_anybody_builds():
    nodes = [{"id": f"a{i}", "type": "antenna"} for i in range(100)]
    nodes += [{"id": f"r{i}", "type": "receiver", "nf_db": 8} for i in range(100)]
    data = {"format": "azven-chain", "version": 1, "freq_hz": 1, "bandwidth_hz": 1, "nodes": nodes, "edges": []}
    with pytest.raises(FormatError, match="more than 2500 ways"):
        chain.read(data)
    diamonds = [{"id": "a", "type": "antenna"}]
    edges, last = [], "a"
    for i in range(60):
        names = [f"{i}{x}" for x in "spqj"]
        diamonds += [
            {"id": n, "type": t, "ports": 2} for n, t in zip(names, ("hybrid", "loss", "loss", "hybrid"), strict=True)
        ]
        edges += [[last, names[0]], *([names[0], n] for n in names[1:3]), *([n, names[3]] for n in names[1:3])]
        last = names[3]
    diamonds.append({"id": "r", "type": "receiver", "nf_db": 8})
    edges.append([last, "r"])
    assert solve_design(chain.read(data | {"nodes": diamonds, "edges": edges})).paths


def test_what_was_given_is_quoted_in_short():
    for value in ("x" * 5_000, " y" * 5_000):
        with pytest.raises(FormatError) as error:
            plan_request.read(asked(requests=[wish() | {"zone": value}]))
        assert len(str(error.value)) < 250
