"""Notes of the desktop, as whoever shows them hears them on the bus."""

import shutil
import subprocess
from types import SimpleNamespace

import pytest
from PyQt6.QtDBus import QDBusConnection

from azven.desk.watch.notes import Notes

needs_a_bus = pytest.mark.skipif(
    shutil.which("dbus-daemon") is None or shutil.which("dbus-monitor") is None,
    reason="no dbus-daemon on this machine; `./run test` installs it from Debian",
)


@pytest.fixture
def bus():
    """A session bus of our own, and the program that overhears it."""
    piped = {"stdout": subprocess.PIPE, "stderr": subprocess.DEVNULL, "text": True}
    with subprocess.Popen(["dbus-daemon", "--session", "--print-address", "--nofork"], **piped) as daemon:
        address = daemon.stdout.readline().strip()
        with subprocess.Popen(["dbus-monitor", "--address", address, "member=Notify"], **piped) as monitor:
            for line in monitor.stdout:
                if "NameLost" in line:  # it listens now
                    break
            connection = QDBusConnection.connectToBus(address, "test-notes")
            yield SimpleNamespace(connection=connection, heard=monitor.stdout)
            QDBusConnection.disconnectFromBus("test-notes")
            monitor.terminate()
        daemon.terminate()


@needs_a_bus
def test_a_note_goes_over_the_bus_with_marks_made_harmless(qapp, bus):
    assert Notes(bus=bus.connection).tell("Narrator", "muted <b>& gone")
    said = []
    for line in bus.heard:
        said.append(line.strip())
        if line.strip() == "int32 -1":
            break
    text = " ".join(said)
    assert "member=Notify" in text
    assert 'string "Azven" uint32 0 string "" string "Narrator" string "muted &lt;b>&amp; gone"' in text.replace(
        "&gt;", ">"
    )


def test_where_nobody_shows_notes_none_is_shown(qapp, monkeypatch):
    nowhere = QDBusConnection("a bus that is not there")
    assert Notes(bus=nowhere).tell("Narrator", "muted") is False
