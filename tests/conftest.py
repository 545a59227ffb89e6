"""Shared fixtures. The offscreen platform is chosen before Qt is imported."""

import os
import sys
import tempfile
from pathlib import Path

import pytest
from hypothesis import settings

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
_HOME = tempfile.TemporaryDirectory(prefix="azven-tests-")
for _kind in ("XDG_STATE_HOME", "XDG_CONFIG_HOME"):  # the log and the settings of whoever runs the tests stay alone
    os.environ[_kind] = _HOME.name
sys.path.insert(0, str(Path(__file__).parent))
settings.register_profile("repeatable", derandomize=True, deadline=None, max_examples=60)
settings.load_profile("repeatable")


@pytest.fixture(scope="session")
def server():
    """A PostgreSQL server of this test run's own."""
    import postgres

    if reason := postgres.missing():
        pytest.skip(reason)
    made = postgres.TestServer()
    yield made
    made.close()
