"""Makes the pictures of docs/screenshots anew from the demonstration book: ./run shots."""

import sys
from collections.abc import Callable, Sequence
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QEventLoop, QRect, QTimer
from PyQt6.QtGui import QPainter, QPixmap
from PyQt6.QtWidgets import QApplication

from azven.book.records import Link as LinkRecord
from azven.book.records import Person, Unit, Wideband
from azven.desk.app import start
from azven.desk.watch.far import FarView
from azven.desk.window import Window
from azven.work import ids, kit, plan
from azven.work.chosen import Case, Channel, Link, Rule
from azven.work.register import Asked, do
from azven.work.register.astray import worn_units

if TYPE_CHECKING:
    from azven.desk.prove.racks import RackDesk

FOLDER = Path(__file__).parent / "screenshots"
VIEWS = (
    ("ground-daylight", "", Rule(1)),
    ("listen-daylight", "", Channel("in-ear", "35")),
    ("kit-daylight", "", "Brass ear 1"),
    ("kit-persons-daylight", "kit-1", ""),
    ("kit-wideband-daylight", "kit-2", ""),
    ("kit-intercom-daylight", "kit-4", ""),
    ("plan-daylight", "", "Lamp Choir 4"),
    ("plan-backstage", "", "Lamp Choir 4"),
    ("plan-margins-daylight", "plan-2", "Brass 1"),
    ("plan-level-daylight", "", "Lamp Choir 3"),
    ("chain-daylight", "", ""),
    ("chain-venue-daylight", "chain-4", ""),
    ("reach-daylight", "", ""),
    ("prove-daylight", "", ""),
    ("prove-walk-backstage", "", ""),
    ("watch-daylight", "", ""),
    ("watch-far-backstage", "", ""),
    ("watch-rehearse-daylight", "rehearse-1", ""),
    ("register-daylight", "", ""),
)
"""Picture name (stage, anything, theme), an action to run first, and what is selected: a link by its name, or another
thing as it is."""
_SEEN_S, _NEVER_FOLLOW, _RUNS = 130.0, 6, 4
"""So long the watch is looked at before its picture; so many settings units of the demonstration do not take."""
SCHOOLS = {"spacing": "spacing", "excused": "both", "level": "level"}


def wait(until: Callable[[], bool]) -> None:
    """Let the window work until a condition holds for a moment."""
    loop = QEventLoop()
    timer = QTimer()
    timer.setInterval(60)
    quiet = 0

    def look() -> None:
        nonlocal quiet
        quiet = quiet + 1 if until() else 0
        if quiet >= 3:
            loop.quit()

    timer.timeout.connect(look)
    timer.start()
    loop.exec()


def link_named(window: Window, name: str) -> str:
    """The id of the link of this name."""
    return ids.of(next(x for x in kit.links(window.session.store, window.session.scope) if x.name == name))


def prepare(window: Window, name: str) -> None:
    """What has to be done in the window before its picture is taken."""
    session, store, scope = window.session, window.session.store, window.session.scope
    kind = name.split("-")[1]
    if kind in SCHOOLS:
        at = session.board.frequencies
        who = "Lamp Choir" if kind == "level" else "Brass"
        one, two, three = (link_named(window, f"{who} {n}") for n in (1, 2, 3))
        product = 2 * at[two] - at[one]
        session.do(lambda: plan.set_frequencies(store, scope, {three: product}, "Move"))
        session.do(lambda: plan.set_school(store, scope, SCHOOLS[kind]))  # type: ignore[arg-type]
    if kind == "venue":
        row = window.stage.heard.row  # type: ignore[attr-defined]
        row.kind.setCurrentIndex(1)
        row.zone.setCurrentIndex(1)
        row.distance.setValue(20)
        row._move()
    elif name.startswith("chain"):
        window.stage._pick("Rope Hall mast")  # type: ignore[attr-defined]
    if name.startswith("prove"):
        prove(window, kind == "walk")
    if name.startswith("reach"):
        window.stage.run_primary()
        wait(lambda: session.jobs.idle)
        stage = window.stage
        stage.view.selected = stage.room().antennas[-1].id  # type: ignore[attr-defined]
        stage._pick(stage.view.selected)  # type: ignore[attr-defined]
    if kind == "persons":
        tove = next(p.id for p in store.all(Person) if p.name == "Tove")
        window.stage.persons.chart.rows.choose({tove})  # type: ignore[attr-defined]
    if kind == "wideband":
        ferry = next(c.id for c in store.all(Wideband) if c.name == "Ferry")
        window.stage.wideband.choose_rows({ferry})  # type: ignore[attr-defined]
    if kind == "intercom":
        window.stage.intercom.base.setCurrentIndex(6)  # type: ignore[attr-defined]
    if name.startswith("register"):
        register(window)
    if kind == "rehearse":
        rehearse(window)
    elif name.startswith("watch"):
        watch(window)
    window.tell("")


def hear(window: Window) -> "RackDesk":
    """The stand-in racks are heard, and every link is on a channel."""
    session, stage = window.session, window.open_stage("prove")
    wait(lambda: session.surroundings is not None)
    stage.racks.add_simulated()  # type: ignore[attr-defined]
    racks = session.racks
    wait(lambda: sum(x.state == "live" for x in racks.here.hub.links) == 16)
    stage.racks.map_all()  # type: ignore[attr-defined]
    wait(lambda: all(x.settings for x in racks.here.hub.links if x.card and x.card.channels))
    return racks


def prove(window: Window, walk: bool) -> None:
    """Racks heard, a few links brought up, and a short walk."""
    session, stage = window.session, window.stage
    racks = hear(window)
    there = session.surroundings.racks()  # type: ignore[union-attr]
    page = stage.bring_up  # type: ignore[attr-defined]
    racks.send(racks.here.differences(racks.now), lambda calls: None)
    wait(lambda: not racks.here.differences(racks.now))
    for link in (lane.link for lane in racks.now.lanes):
        pack = there.pack(link.id)
        if pack is not None and link.priority < 3:
            pack.on, pack.freq_hz, pack.name = True, there.members[link.id].channel.tuned_hz, link.name
    stage.pages.show_page(0)  # type: ignore[attr-defined]
    page.all_hold()
    wait(lambda: racks.now.lanes[-1].at not in ("reset", "band", "network", "frequency"))
    narrator = next(x.link for x in racks.now.lanes if x.link.name == "Narrator")
    if walk:
        stage.pages.show_page(1)  # type: ignore[attr-defined]
        _walk(window, narrator)
        return
    page.lanes.choose({narrator.id})
    there.pack(narrator.id).on = False  # type: ignore[union-attr]
    wait(lambda: racks.now.lane(narrator.id).at != "off")  # type: ignore[union-attr]


def register(window: Window) -> None:
    """The board while a pack is on the air that is written to be in its case."""
    session, store = window.session, window.session.store
    racks = hear(window)
    worn = worn_units(store, session.scope)
    link = next(x for x in kit.links(store, session.scope) if x.id in worn and x.id in racks.now.keys)
    unit = store.get(Unit, worn[link.id])
    told = Asked(deed="take back", at=session.now() - timedelta(minutes=40), by="Ibo")
    session.do(lambda: do(store, [unit], told))
    pack = session.surroundings.racks().pack(link.id)  # type: ignore[union-attr]
    assert pack is not None
    pack.on, pack.name = True, link.name
    board = window.stage.board  # type: ignore[attr-defined]
    wait(lambda: any(c.cause == "state" for c in board.cases.cases))
    board.cases.picked.emit(board.cases.cases[0])


def rehearse(window: Window) -> None:
    """The show played twice, the worst incident chosen, and what was tried against it."""
    wait(lambda: window.session.surroundings is not None)
    page = window.stage.rehearsal.foretold  # type: ignore[attr-defined]
    page.runs.setValue(_RUNS)
    page.rehearse()
    wait(lambda: page.found is not None)
    page.line.chosen.emit(page.found.production.acts[1].id)
    page.find_help()
    wait(page.help.isEnabled)
    page.troubles.choose({0})
    page._select(page.troubles.chosen()[0].trouble)


def watch(window: Window) -> None:
    """Racks heard, packs on, an act that runs, and what is wrong in the demonstration told."""
    session, stage = window.session, window.stage
    wait(lambda: session.surroundings is not None)
    window.show_stage("prove")
    window.stage.racks.add_simulated()  # type: ignore[attr-defined]
    racks = session.racks
    wait(lambda: sum(x.state == "live" for x in racks.here.hub.links) == 16)
    window.stage.racks.map_all()  # type: ignore[attr-defined]
    window.show_stage("watch")
    there = session.surroundings.racks()  # type: ignore[union-attr]
    wait(lambda: all(x.settings for x in racks.here.hub.links if x.card and x.card.channels))
    racks.send(racks.here.differences(racks.now), lambda calls: None)
    wait(lambda: len(racks.here.differences(racks.now)) < _NEVER_FOLLOW)
    stage._runs_now(kit.acts(session.store, session.scope)[1])  # type: ignore[attr-defined]
    for lane in racks.now.lanes:
        pack = there.pack(lane.link.id)
        if pack is not None and not lane.link.spare:
            pack.on, pack.freq_hz, pack.name = True, there.members[lane.link.id].channel.tuned_hz, lane.link.name
    begun = racks.watch.live.t
    wait(lambda: racks.watch.live.t > begun + _SEEN_S and len(racks.watch.seen.open) > 2)
    calm = [c for c in racks.watch.seen.open if c.incident.cause == "clip"]
    for case in calm[:1]:
        racks.watch.take(case)
    session.select(Case(racks.watch.seen.open[0].number))
    stage.refresh()


def _walk(window: Window, link: LinkRecord) -> None:
    session, page = window.session, window.stage.walk  # type: ignore[attr-defined]
    there = session.surroundings.racks()  # type: ignore[union-attr]
    page.zone.setCurrentIndex(page.zone.findData(link.zone_id))
    page.refresh()
    page.run_primary()
    number = list(there.members).index(link.id)
    for k in range(8):
        x, y, _ = there.air.reception.places(there.clock())[0][number]
        page._pointed(float(x), float(y))
        there.pack(link.id).on = k != 5  # type: ignore[union-attr]
        enough = len(page.recording.rows.get(link.id, [])) + 15
        wait(lambda n=enough: len(page.recording.rows.get(link.id, [])) > n)  # type: ignore[misc]
    page.end_walk()
    page.link.setCurrentIndex(page.link.findData(link.id))
    page.refresh()


def picture(window: Window) -> QPixmap:
    """The window with what is open over it."""
    shown = window.grab()
    painter = QPainter(shown)
    for over in QApplication.topLevelWidgets():
        if over is not window and over.isVisible():
            at = window.mapFromGlobal(over.pos())
            painter.drawPixmap(at, over.grab())
            painter.setPen(window.session.theme.color("dim"))
            painter.drawRect(QRect(at, over.size()))
            over.close()
    painter.end()
    return shown


def far_view(window: Window) -> QPixmap:
    """The far view in a window of its own."""
    window.stage.far_view()  # type: ignore[attr-defined]
    view = window.findChild(FarView)
    assert view is not None
    view.resize(1280, 800)
    shown = view.grab()
    view.close()
    return shown


def main(wanted: Sequence[str] = ()) -> None:
    """All pictures, or those whose names begin as wanted."""
    FOLDER.mkdir(exist_ok=True)
    for name, action, selection in VIEWS:
        if wanted and not name.startswith(tuple(wanted)):
            continue
        stage, theme = name.split("-")[0], name.split("-")[-1]
        window = start(True, None, stage, theme)
        sys.excepthook = sys.__excepthook__  # a picture that cannot be taken ends it
        window.tell("")
        if action:
            window.actions_table.run(action)
        prepare(window, name)
        if selection:
            what = Link(link_named(window, selection)) if isinstance(selection, str) else selection
            window.session.select(what)
        wait(lambda w=window: w.session.jobs.idle)  # type: ignore[misc]
        path = FOLDER / f"{name}.png"
        (far_view(window) if "-far-" in name else picture(window)).save(str(path))
        print(path.relative_to(FOLDER.parent.parent))
        window.close()


if __name__ == "__main__":
    main(sys.argv[1:])
