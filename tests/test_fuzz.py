"""A short run of mutated input through every reader; `./run bench fuzz` does ten thousand for each."""

import numpy as np
import pytest

import fuzzing

TIMES = {"request": 60, "book": 60, "package": 60}
"""Fewer where one takes long; 150 for the others."""


@pytest.fixture(scope="module")
def readers(tmp_path_factory):
    bench = fuzzing.Bench(tmp_path_factory.mktemp("fuzz"))
    yield bench
    bench.close()


@pytest.mark.filterwarnings(
    "error::RuntimeWarning", "ignore:Mean of empty slice:RuntimeWarning", "ignore:All-NaN:RuntimeWarning"
)
@pytest.mark.parametrize(
    "name",
    [
        "CSV",
        "request",
        "plan",
        "design",
        "region",
        "bundle",
        "rows",
        "group table",
        "catalogue",
        "kit list",
        "patch",
        "book",
        "status log",
        "package",
    ],
)
def test_mutated_input_is_read_or_refused_in_a_sentence(readers, name):
    sound, read = readers.readers[name]
    rng = np.random.default_rng(2_026)
    faults = []
    for number in range(TIMES.get(name, 150)):
        data = fuzzing.mutated(name, sound, rng, readers.folder)
        outcome = fuzzing.attempt(read, data, trace_memory=number % 20 == 0)
        if outcome.fault:
            faults.append((number, outcome.fault))
    assert faults == []


def test_a_reader_that_breaks_is_found():
    """The harness itself: tracebacks, long quotes and empty messages are faults, a sentence is none."""

    def fails(error):
        def read(data):
            raise error

        return fuzzing.attempt(read, b"", trace_memory=False).fault

    assert fails(KeyError("x"))
    assert fails(ValueError(""))
    assert fails(ValueError("a" * 500))
    assert not fails(ValueError("line 3: is no number"))
