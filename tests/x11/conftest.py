"""Real windows on a virtual screen with a small window manager; keys and clicks go through the X server."""

import os
import shutil
import sys
from pathlib import Path

import pytest

sys.path.insert(0, str(Path(__file__).parent))
from x11_screen import Desk, virtual_screen

NEEDED = ("Xvfb", "openbox", "xdotool")


def missing():
    found = os.environ.get("PATH", "") + ":/usr/bin:/usr/sbin"
    return [name for name in NEEDED if shutil.which(name, path=found) is None]


def pytest_collection_modifyitems(items):
    if gone := missing():
        reason = f"no {' and no '.join(gone)} on this machine; `./run test` installs them from Debian"
        for item in items:
            if "x11" in Path(str(item.fspath)).parts:
                item.add_marker(pytest.mark.skip(reason=reason))


@pytest.fixture(scope="session")
def display():
    with virtual_screen("1280x800") as name:
        yield name


@pytest.fixture
def start(display, tmp_path):
    """Start applications on the screen; all are closed afterwards."""
    opened = []

    def make(book="demo", stage="plan", screen=display):
        desk = Desk(screen, tmp_path, book, stage)
        opened.append(desk)
        return desk

    yield make
    for desk in opened:
        desk.close()
