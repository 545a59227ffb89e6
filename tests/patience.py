"""Waiting for what another thread or process does, without Qt."""

import time


def until(true, seconds=60.0):
    """Wait until `true()` holds."""
    end = time.monotonic() + seconds
    while not true():
        assert time.monotonic() < end, "it did not happen"
        time.sleep(0.01)
