"""A window over the demonstration book, its stand-ins sweeping at once."""

import pytest
from PyQt6.QtCore import QCoreApplication, QEvent

import quiet
from azven.desk import app as desk_app
from azven.desk.session import Session
from azven.desk.window import Window
from azven.work import books, demo
from azven.work.scope import opening as here
from azven.work.simulation import SimulatedVenue


@pytest.fixture(scope="session")
def qapp():
    return desk_app.application()


@pytest.fixture
def open_window(qapp, qtbot):
    """Make windows; close them, their jobs and their stand-ins afterwards."""
    opened = []

    def make(store, venue=None, stage="plan"):
        window = Window(Session(store, here(store), venue))
        qtbot.addWidget(window)
        window.show_stage(stage)
        window.show()
        opened.append((window, venue, store))
        return window

    yield make
    for window, venue, store in opened:
        window.close()
        window.session.jobs.wait()
        if venue:
            venue.stop()
        store.close()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture
def window(open_window, tmp_path, request):
    store = (quiet if request.node.get_closest_marker("quiet") else demo).build(tmp_path)
    return open_window(store, SimulatedVenue(store, here(store), pace=0).start())


@pytest.fixture
def empty_window(open_window, tmp_path):
    return open_window(books.new_book(tmp_path / "new.azven"))


@pytest.fixture
def settle(qtbot):
    """Wait until nothing runs any more."""

    def wait(window):
        qtbot.waitUntil(lambda: window.session.jobs.idle, timeout=120_000)

    return wait


@pytest.fixture
def hear_racks(qtbot):
    """Have the stand-in racks of the demonstration heard in a window, every link on its channel; the stage Prove."""

    def hear(window):
        stage = window.open_stage("prove")
        window.show_stage("prove")
        stage.racks.add_simulated()
        links = window.session.racks.here.hub
        qtbot.waitUntil(lambda: sum(x.state == "live" for x in links.links) == 16, timeout=120_000)
        qtbot.waitUntil(lambda: all(len(x.settings) == len(x.card.channels) for x in links.links), timeout=120_000)
        stage.racks.map_all()
        return stage

    return hear


@pytest.fixture
def watching(window, hear_racks, qtbot):
    """Watch with the stand-in racks of the demonstration heard, every link on its channel, the Narrator's pack on."""
    hear_racks(window)
    stage = window.open_stage("watch")
    window.show_stage("watch")
    qtbot.waitUntil(lambda: any(stage.watch.seen.watched.keys), timeout=60_000)
    return stage
