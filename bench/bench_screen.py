"""Panning the spine over two 100 000-point sweeps, dragging among 200 links; against filling the window 40 times.
And how long the window lets one wait after edits."""

import time
from collections.abc import Callable, Iterator
from itertools import cycle
from pathlib import Path
from tempfile import mkdtemp
from typing import Any

import numpy as np
from PyQt6.QtCore import QCoreApplication, QEventLoop
from PyQt6.QtGui import QColor, QImage, QPainter

from azven.book.store import Store
from azven.desk import app as desk
from azven.desk import theme as look
from azven.desk.session import Session
from azven.desk.stages import STAGES
from azven.desk.window import Window
from azven.rf.sweep import SweepSettings
from azven.work import chain, demo, demo_story, ground, kit, listen, plan
from azven.work.listen import taking
from azven.work.plan import Board
from azven.work.scope import opening as here
from timing import least, row


def big_book() -> Store:
    """The demonstration with two sweeps of 100 000 points and 200 planned links."""
    store = demo.build(Path(mkdtemp()))
    world = demo_story.venue()
    for record in listen.sweeps(store, here(store)):
        store.apply(listen.set_used(record, False))
    settings = SweepSettings(start_hz=470_000_000, stop_hz=694_000_000, points=100_000, rbw_hz=10_000)
    for number, name in enumerate(("omni", "rack")):
        sweep = world.sweep(world.antennas[name], settings, number, own_on=False)
        store.apply(listen.keep(store, here(store), sweep, taking.About(name, name), "bench"))
    model = next(m for m in ground.models(store) if "dense" in m.name)
    store.apply(
        kit.add_links(store, here(store), "Crowd 1", 171, model, model.bands[0][0], ground.zones(store, here(store))[0])
    )
    board = plan.board_of(store, here(store))
    names = [v.id for v in board.verdicts]
    spread = {n: plan.nearest_step(board.input, n, 470e6 + 1.09e6 * (i * i % 199)) for i, n in enumerate(names)}
    store.apply(plan.set_frequencies(store, here(store), spread, "Spread"))
    return store


def main(_: list[str]) -> None:
    app = desk.application()
    store = big_book()
    window = Window(Session(store, here(store)))
    window.show_stage("plan")
    window.show()
    app.processEvents()
    session, spine = window.session, window.spine
    session.view.show(500e6, 600e6)
    canvas = QImage(spine.size(), QImage.Format.Format_RGB32)

    def fill() -> None:
        painter = QPainter(canvas)
        for i in range(40):
            painter.fillRect(canvas.rect(), QColor(i, i, i))
        painter.end()

    baseline = least(fill)
    steps = iter(np.tile([1e6, -1e6], 1_000))

    def pan() -> None:
        session.view.pan(float(next(steps)))
        spine.render(canvas)

    board: Board = session.board
    name = next(v.id for v in board.verdicts if v.freq_hz is not None)
    freqs = iter(range(470_000_000, 540_000_000, 25_000))

    def drag() -> None:
        plan.try_at(board, name, next(freqs))

    row("spine, one frame of panning", least(pan, 30), baseline, "(30 frames a second: 33 ms)")
    placed = len(board.frequencies)
    row(f"verdict while dragging, {placed} of 200 links placed", least(drag, 30), baseline, "(wanted under 50 ms)")
    row("lane chart, one frame of panning", least(lanes_panned(window, steps), 20), baseline, "(33 ms)")
    row("amplifier gain dragged by one step, drawn", least(gain_drag(window), 20), baseline, "(wanted under 50 ms)")
    for title, wait in edits(window):
        print(f"{title}: {wait:.0f} ms")
    window.show_stage("plan")
    settle(window)  # lanes are tinted first, as they would be when somebody reads them
    window.stage.run_primary()
    print(
        f"longest wait for the window while Plan all runs, 200 links: {longest_wait(window):.0f} ms (wanted under 100)"
    )
    window.session.jobs.stop()
    window.close()


def edits(window: Window) -> Iterator[tuple[str, float]]:
    """The longest wait [ms] for the window after edits of the 200 links, an undo in Chain, and another theme, all
    stages open."""
    session = window.session
    for stage in STAGES:
        window.show_stage(stage.name)
        settle(window)
    window.show_stage("plan")
    settle(window)
    store, scope, name = session.store, session.scope, next(iter(session.board.frequencies))

    def after(deed: Callable[[], object]) -> float:
        settle(window)
        return longest_wait(window, 1.0, deed)

    def move() -> object:
        return session.do(lambda: plan.set_frequencies(store, scope, {name: 470_025_000}, "Move"))

    def rename() -> object:
        return session.do(lambda: kit.change_links(store, kit.links(store, scope)[:1], name="Another"))

    yield "a link renamed, 200 links (wanted under 50)", after(rename)
    yield "a link moved, 200 links (wanted under 50)", after(move)
    yield "that undone (wanted under 50)", after(session.step_back)
    yield "the other theme, all stages open (wanted under 150)", after(lambda: session.set_theme(look.BACKSTAGE))
    window.show_stage("chain")
    stage: Any = window.stage
    document = chain.document_of(stage.record())
    amplifier = next(n["id"] for n in document["nodes"] if n["type"] == "amp")
    session.do(lambda: chain.set_field(stage.record(), amplifier, name="Another"))
    yield "undone in Chain (wanted under 150)", after(session.step_back)


def lanes_panned(window: Window, steps: Iterator[float]) -> Callable[[], None]:
    """One frame of the lane chart while the band is dragged, its lanes tinted."""
    settle(window)

    def step() -> None:
        window.session.view.pan(next(steps))
        window.stage.grab()

    return step


def settle(window: Window) -> None:
    """Let quiet work, such as the lanes' tints, come to its end."""
    while not window.session.jobs.idle:
        QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 20)


def gain_drag(window: Window) -> Callable[[], None]:
    """One step of the first adjustable amplifier of the demonstration's system, previewed and painted."""
    window.show_stage("chain")
    stage: Any = window.stage
    document = chain.document_of(stage.record())
    stage.strips.picked.emit(next(n["id"] for n in document["nodes"] if n["type"] == "amp"))
    stage.knob.setSliderDown(True)
    turn = cycle(range(stage.knob.maximum() + 1))

    def step() -> None:
        stage.knob.setValue(next(turn))
        stage.grab()

    return step


def longest_wait(window: Window, seconds: float = 6.0, deed: Callable[[], object] | None = None) -> float:
    """The longest time [ms] between two turns of the event loop, after a deed or while the spine is panned."""
    worst, last = 0.0, time.monotonic()
    end = last + seconds
    if deed is not None:
        deed()
    while time.monotonic() < end:
        QCoreApplication.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 5)
        now = time.monotonic()
        worst, last = max(worst, now - last), now
        if deed is None and int(now * 20) % 2:
            window.session.view.pan(1e5)
    return worst * 1e3
