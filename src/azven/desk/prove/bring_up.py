"""The bring-up: the step that is due above, every link on its way below."""

from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QLineEdit, QVBoxLayout, QWidget

from azven.book.records import Outcome, ProofStep
from azven.desk.prove.at_the_pack import AtThePack
from azven.desk.prove.lanes import LanesView, StepHeads
from azven.desk.prove.now_panel import NowPanel
from azven.desk.prove.sending import SendingDialog
from azven.desk.session import Session
from azven.desk.stage import FittedLabel, button, choice, row, rule, scrolled
from azven.desk.tabs import Page
from azven.gear.racks.calls import Call
from azven.gear.racks.card import ChannelCard
from azven.work import chosen, ids
from azven.work.prove import offers, proofs
from azven.work.prove.here import goes_on
from azven.work.prove.offers import Offer
from azven.work.prove.proofs import Lane
from azven.work.prove.steps import TOGETHER, Judged

_SYNC_S = 8
_TOGETHER_EVERY = 5
"""Ticks between two looks at the steps that many links do at once."""
_SCHOOLS: list[tuple[str, object]] = [
    ("together, then one by one", False), ("link by link, sweep between", True),
]  # fmt: skip
_SCHOOL_TIP = (
    "All together: quickest, and every transmitter is looked for beside those that are on already. "
    "Link by link with a sweep between: slower, and shows which one brings something up."
)
_GAINS: list[tuple[str, object]] = [("low at transmitter", "low"), ("loud in the air", "loud")]
_GAIN_TIP = (
    "Low at the transmitter, more at the console: room for a shout, a little more noise. "
    "Loud in the air: the better ratio, and a shout may clip where nobody can turn it down."
)
_WRITES: dict[str, tuple[str, ...]] = {
    "network": ("name",), "frequency": ("freq_hz",), "band": ("band",), "level": ("level",), "lock": ("mute_lock",),
    "squelch": ("squelch_db", "tone_key"),
}  # fmt: skip


class BringUp(Page):
    """What is due is the first step that has not ended; a lane that is chosen is looked at instead."""

    elsewhere = pyqtSignal(str)
    """What is to be done about a step is done elsewhere: in Plan, or on the page of the racks."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.panel, self.lanes, self.heads = NowPanel(session), LanesView(session), StepHeads(session)
        self.school = choice(_SCHOOLS, "Order")
        self.school.setToolTip(_SCHOOL_TIP)
        self.gain = choice(_GAINS, "Gain")
        self.gain.setToolTip(_GAIN_TIP)
        self.by_itself = QCheckBox("measured steps go on")
        self.by_itself.setChecked(True)
        self.by_itself.setToolTip("What is measured and has held for 5 s is written down, noted as measured")
        self.count = FittedLabel("dim")
        self.why = QLineEdit()
        self.why.setPlaceholderText("Why? It stands on the sign-off.")
        self.why.setAccessibleName("Reason")
        self._asked: Outcome | None = None
        self._shown: tuple[Lane, ProofStep] | None = None
        self._judged: Judged | None = None
        self._busy = False
        self._ticks = 0
        self._pinned: int | None = None
        self.preview: SendingDialog | None = None
        self._lay_out()
        self.panel.said.connect(self._said)
        self.panel.offered.connect(self._take_offer)
        self.lanes.chosen_changed.connect(self._lane_chosen)
        self.school.activated.connect(self.refresh)
        self.why.returnPressed.connect(self._with_reason)

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 2, 0, 0)
        box.setSpacing(5)
        box.addWidget(self.panel)
        self.reason = QWidget()
        write = button("Write down", self._with_reason)
        never = button("Never mind", self._no_reason, name="flat")
        self.reason.setLayout(row(self.why, write, never))
        self.reason.setVisible(False)
        box.addWidget(self.reason)
        self.helper = AtThePack(self._session, lambda: self._shown[0] if self._shown else None)
        box.addWidget(self.helper)
        box.addWidget(rule())
        box.addLayout(row(self.count, self.by_itself, self.school, self.gain, spacing=6))
        box.addWidget(self.heads)
        self.lanes.within = scrolled(self.lanes)
        box.addWidget(self.lanes.within, 1)

    # -- showing -------------------------------------------------------------------------------------

    def read(self) -> Any:
        return self._session.racks.now

    def show_view(self, view: Any) -> None:
        due = self._due()
        self.lanes.show_lanes(view.lanes, (due[0].link.id, due[1]) if due else None)
        self.heads.show_due(due[1] if due else None)
        done = sum(x.proven for x in view.lanes)
        left = sum(bool(x.open) for x in view.lanes)
        self.count.setText(f"{done} of {len(view.lanes)} proven" + (f", {left} with something open" if left else ""))
        self._show_now()

    def _due(self) -> tuple[Lane, ProofStep] | None:
        """The lane that somebody looks at, while it has something to prove, else what comes next."""
        now = self._session.racks.now
        pinned = now.lane(self._pinned) if self._pinned is not None else None
        if pinned is not None and pinned.at is not None:
            return pinned, pinned.at
        return proofs.due(now.lanes, bool(self.school.currentData()))

    def tick(self) -> None:
        """Five times a second: judge what is shown anew, and go on where that was agreed to."""
        if not self.isVisible():
            return
        self._show_now()
        if not self.by_itself.isChecked() or self._busy:
            return
        self._ticks += 1
        if self._ticks % _TOGETHER_EVERY == 0 and self._together_goes_on():
            return
        if self._shown and self._judged and self._shown[1] not in TOGETHER and goes_on(self._judged):
            self._write("held", self._judged, "")

    def _together_goes_on(self) -> bool:
        """Write down the common steps that are measured and hold, for all links that stand at them: one that does not
        answer does not hold up the rest."""
        return any(self._all_at(step, measured=True) for step in TOGETHER)

    def _show_now(self) -> None:
        due = self._due()
        before = (self._shown[0].link.id, self._shown[1]) if self._shown is not None else None
        if due is not None and before != (due[0].link.id, due[1]):
            self.lanes.point_at(due[0].link.id, due[1])
            self.heads.show_due(due[1])
        self._shown = due
        there = self._session.surroundings
        self.helper.setVisible(there is not None and due is not None)
        if due is None:
            lanes = self._session.racks.now.lanes
            self.panel.show_nothing(
                "Everything has been gone through." if lanes else "There are no links to prove yet."
            )
            return
        here, now = self._session.racks.here, self._session.racks.now
        school = str(self.gain.currentData())
        seen = here.seen(now, due[0], school)
        self._judged = here.judged_of(now, *due, seen)
        self.panel.show_step(*due, seen, self._judged, self.by_itself.isChecked())
        self.panel.show_offers(offers.offers(here, now, *due, self._judged))

    def _lane_chosen(self) -> None:
        picked = self.lanes.chosen()
        self._pinned = picked[0] if len(picked) == 1 else None
        lane = self._session.racks.now.lane(self._pinned) if self._pinned is not None else None
        if lane is not None:
            self._session.select(chosen.Link(ids.of(lane.link)))
        self._no_reason()
        self._show_now()

    def next_due(self) -> None:
        """Look at what comes next by the order."""
        self._pinned = None
        self.lanes.choose(set())
        self._show_now()

    # -- saying --------------------------------------------------------------------------------------

    def _said(self, word: str) -> None:
        if self._shown is None or self._judged is None:
            return
        if word == "send":
            self._send()
        elif word == "all":
            self.all_hold()
        elif word == "held":
            self._write("held", self._judged, "")
        else:
            self._asked = "failed" if word == "failed" else "left open"
            self.why.setText(self._judged.said if word == "failed" else "")
            self.reason.setVisible(True)
            self.why.setFocus()

    def _take_offer(self, offer: Offer) -> None:
        """Do what was offered because a step fails."""
        now = self._session.racks.now
        other = now.lane(offer.link_id)
        if other is None:
            return
        key = now.keys.get(offer.link_id)
        if offer.deed == "sync" and key is not None:
            self._sync(other, key)
        elif offer.deed == "look at":
            self.lanes.choose({offer.link_id})
        elif offer.deed in ("plan", "racks"):
            self._session.select(chosen.Link(ids.of(other.link)))
            self.elsewhere.emit(offer.deed)
        elif self._shown is not None and self._judged is not None:
            self._asked = "left open"
            self.why.setText(f"{other.link.name} is taken instead: {self._judged.said}")
            self.reason.setVisible(True)
            self.why.setFocus()

    def _with_reason(self) -> None:
        if (
            self._asked is not None
            and self._judged is not None
            and self._write(self._asked, self._judged, self.why.text())
        ):
            self._no_reason()

    def _no_reason(self) -> None:
        self._asked = None
        self.reason.setVisible(False)

    def _write(self, outcome: Outcome, judged: Judged, note: str) -> bool:
        if self._shown is None:
            return False
        lane, step = self._shown
        measured = _measured(judged)
        session = self._session
        return session.do(
            lambda: proofs.record(session.store, session.scope, lane.link, step, outcome, session.now(), measured, note)
        )

    def all_hold(self) -> None:
        """Write down at once that the step which is due holds, for every link that stands at it and where it does."""
        if self._shown is None:
            return
        self._all_at(self._shown[1], measured=False)

    def _all_at(self, step: ProofStep, measured: bool) -> bool:
        """Whether anything was written down: that a step holds, for the links that stand at it and where it does."""
        session, racks = self._session, self._session.racks
        held: dict[int, dict[str, str]] = {}
        for lane in racks.now.lanes:
            judged = racks.here.judged(racks.now, lane, step) if lane.at == step else None
            if judged is not None and (goes_on(judged) if measured else judged.state in ("holds", "by hand")):
                held[lane.link.id] = _measured(judged)
        if not held:
            return False
        return session.do(
            lambda: proofs.record_all(session.store, session.scope, held, racks.now.lanes, step, session.now())
        )

    def again(self) -> None:
        """Prove the step that is pointed at, and all after it, anew."""
        picked = self.lanes.chosen()
        lane = self._session.racks.now.lane(picked[0]) if picked else None
        step = self.lanes.step or (lane.steps[0] if lane else None)
        session = self._session
        if lane is None or step is None:
            session.say("Choose a lane first; pointing at a step says from where on.", trouble=True)
            return
        session.do(lambda: proofs.again(session.store, session.scope, lane.link, step))

    # -- sending -------------------------------------------------------------------------------------

    def _send(self) -> None:
        assert self._shown is not None
        lane, step = self._shown
        key = self._session.racks.now.keys.get(lane.link.id)
        if key is None:
            self._session.say(f"{lane.link.name} has no channel of a rack yet: see Racks.", trouble=True)
        elif step == "sync" or (step == "off" and self._is_off(lane)):
            self._sync(lane, key)
        elif step in ("off", "on"):
            power = 0 if step == "off" else max(lane.link.power_step_mw or lane.model.power_mw, 1.0)
            ask = {"power_mw": _nearest(power, self._session.racks.here.card(key))}
            self._session.racks.ask(key, "set", lambda call: self._sent([call]), values=ask)
        else:
            racks = self._session.racks
            rows = [d for d in racks.here.differences(racks.now, {lane.link.id}) if d.setting in _WRITES.get(step, ())]
            racks.send(rows, self._sent)

    def _is_off(self, lane: Lane) -> bool:
        """Whether an in-ear transmitter is off, so that its pack may be synced and look."""
        seen = self._session.racks.here.seen(self._session.racks.now, lane)
        return seen.is_ear and bool(seen.off)

    def _sync(self, lane: Lane, key: tuple[str, str]) -> None:
        racks = self._session.racks
        self._busy = True

        def ended(call: Call) -> None:
            self._busy = False
            if call.outcome == "done":
                racks.here.synced[key] = dict(call.result)
            else:
                self._session.say(f"{lane.link.name}: {_why(call)} Try again; it fails now and then.", trouble=True)
            self._show_now()

        self._session.say(f"{lane.link.name}: the window waits for its transmitter.")
        racks.ask(key, "sync", ended, seconds=_SYNC_S)

    def send_all(self) -> None:
        """Show what every unit that is not as it should be would be sent, and send it."""
        racks = self._session.racks
        rows = racks.here.differences(racks.now)
        if not rows:
            self._session.say("Every unit that is heard is as it should be.")
            return
        self.preview = SendingDialog(self._session, rows, lambda: racks.send(rows, self._sent), self)
        self.preview.show()

    def _sent(self, calls: list[Call]) -> None:
        """Say what became of a batch; each unit answers with its settings, and those are compared."""
        bad = [c for c in calls if c.outcome != "done"]
        racks = self._session.racks
        left = racks.here.differences(racks.now)
        if bad:
            self._session.say(f"{len(calls) - len(bad)} of {len(calls)} units took it. {_why(bad[0])}", trouble=True)
        else:
            more = f"; {len(left)} settings still differ" if left else ", read back and as they should be"
            self._session.say(f"{len(calls)} units set{more}.", trouble=bool(left))
        self._show_now()


def _nearest(power_mw: float, card: ChannelCard | None) -> float:
    """The power that a unit can be set to, next to the one that is wanted."""
    steps = [x for x in (card.limits.get("power_mw", ()) if card else ()) if not isinstance(x, str)]
    return min(steps, key=lambda x: abs(x - power_mw), default=power_mw) if power_mw else 0


def _measured(judged: Judged) -> dict[str, str]:
    figures = ", ".join(p for p in (judged.figure, judged.beside) if p)
    return {"said": figures or ("said so" if judged.state == "by hand" else judged.said), "how": judged.state}


def _why(call: Call) -> str:
    said = {"unanswered": "No answer came.", "cut": "The rack is not connected."}
    return said.get(call.outcome, call.message or "The rack refused it.")
