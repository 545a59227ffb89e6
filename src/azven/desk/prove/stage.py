"""Prove: racks found, links brought up in order, rooms walked, the show signed off."""

from functools import partial

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from azven.desk.actions import Action
from azven.desk.prove.bring_up import BringUp
from azven.desk.prove.racks_page import RacksPage
from azven.desk.prove.settings_page import SettingsPage
from azven.desk.prove.signed_page import SignedPage
from azven.desk.prove.walk_page import WalkPage
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, Stage, row
from azven.desk.tabs import Pages

BRING_UP, WALK, RACKS, SETTINGS, SIGNED = range(5)


class ProveStage(Stage):
    """Five pages; racks stay connected while others are in view."""

    name, title = "prove", "Prove"

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.bring_up, self.racks = BringUp(session), RacksPage(session)
        self.walk, self.settings, self.signed = WalkPage(session), SettingsPage(session), SignedPage(session)
        self.pages = Pages([
            ("Bring-up", self.bring_up), ("Walk", self.walk), ("Racks", self.racks), ("Settings", self.settings),
            ("Open and signed", self.signed),
        ])  # fmt: skip
        self.heard = FittedLabel("dim")
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 8, 12, 6)
        box.setSpacing(4)
        box.addLayout(row(self.pages.tabs, self.heard, spacing=14))
        box.addWidget(self.pages, 1)
        self.pages.tabs.chosen.connect(self.primary_changed)
        self.bring_up.elsewhere.connect(self._elsewhere)
        session.racks.ticked.connect(self._tick)
        if not session.racks.now.keys:
            self.pages.show_page(RACKS)

    def primary(self) -> tuple[str, bool]:
        return [
            ("Send what differs", True), self.walk.primary(), ("Put links on channels", True),
            ("Send what differs", True), ("Sign off", True),
        ][self.pages.currentIndex()]  # fmt: skip

    def run_primary(self) -> None:
        deeds = (
            self.bring_up.send_all,
            self.walk.run_primary,
            self.racks.map_all,
            self.bring_up.send_all,
            self.signed.sign,
        )
        deeds[self.pages.currentIndex()]()
        self.primary_changed.emit()

    def actions_offered(self) -> list[Action]:
        return [
            *self.pages.tabs.as_actions("prove"),
            Action("send-all", "Send names and frequencies to all units", self.bring_up.send_all),
            Action("next-due", "Go to the step that is due", self._next_due),
            Action("prove-again", "Prove the chosen link again", self.bring_up.again),
            Action("stand-in-racks", "Take in the stand-in racks of the demonstration", self.racks.add_simulated),
            Action("map-all", "Put links on the channels that are proposed", self.racks.map_all),
            Action("tone-off", "Switch the test tone off", self.settings.tone_off),
            Action("take-racks", "Let the list of racks follow what they say", self.racks.take_over),
            Action("sign-off", "Sign the show off", partial(self.pages.show_page, SIGNED)),
        ]  # fmt: skip

    def refresh(self) -> None:
        self.pages.refresh()
        self._show_heard()

    def held(self) -> str:
        return self.walk.held()

    def take_focus(self) -> None:
        page = self.pages.currentIndex()
        fields: dict[int, QWidget] = {
            BRING_UP: self.bring_up.lanes, WALK: self.walk.zone, RACKS: self.racks.where, SETTINGS: self.settings.table,
            SIGNED: self.signed.who,
        }  # fmt: skip
        fields[page].setFocus()

    def _elsewhere(self, where: str) -> None:
        if where == "racks":
            self.pages.show_page(RACKS)
        else:
            self.window().show_stage(where)  # type: ignore[union-attr]

    def _next_due(self) -> None:
        self.pages.show_page(BRING_UP)
        self.bring_up.next_due()

    def _tick(self) -> None:
        for page in (self.bring_up, self.racks, self.walk):
            page.tick()
        self._show_heard()

    def _show_heard(self) -> None:
        links = self.session.racks.here.hub.links
        live = sum(x.ready and x.state == "live" for x in links)
        self.heard.setText(f"{live} of {len(links)} racks are heard" if links else "no racks yet")
