"""The demonstration's person at the pack: what somebody in the room would do, and what may go wrong there."""

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QWidget

from azven.desk.session import Session
from azven.desk.stage import button, choice, label, row
from azven.gear.standins.breaking import OF_GEAR, Break, happen
from azven.refusal import Refusal
from azven.work.prove.proofs import Lane

_HELPERS = (("on", "Switch on"), ("off", "Switch off"), ("unmute", "Unmute"), ("battery", "Fresh battery"),
            ("quieter", "6 dB quieter"))  # fmt: skip
_TROUBLES: list[tuple[str, object]] = [
    ("Let go wrong …", ""), ("its rack is silent for 5 s", "silence"), ("its rack floods for 5 s", "flood"),
    ("its rack lies for 5 s", "lies"), ("its cable is cut for 5 s", "cut"),
    ("pack on another frequency", "another frequency"), ("another key", "encryption differs"),
    ("battery nearly empty", "low battery"), ("hardly any power", "weak"), ("muted", "muted"),
]  # fmt: skip
_TROUBLE_S = 5.0


class AtThePack(QWidget):
    """Buttons for the link that `shown` gives; of use only where the racks are stand-ins."""

    def __init__(self, session: Session, shown: Callable[[], Lane | None]) -> None:
        super().__init__()
        self._session, self._shown = session, shown
        words = label("At the pack:", "dim")
        words.setToolTip("Demonstration: what somebody in the room does with the pack of this link")
        parts: list[QWidget | int] = [words]
        parts += [button(title, partial(self.help, what), name="flat") for what, title in _HELPERS]
        self.trouble = choice(_TROUBLES, "Let something go wrong with this link or its rack")
        self.trouble.activated.connect(self._chosen)
        self.setLayout(row(*parts, self.trouble, 1, spacing=4))

    def help(self, what: str) -> None:
        """Do at the pack what the person there would do."""
        there, lane = self._session.surroundings, self._shown()
        pack = there.racks().pack(lane.link.id) if there is not None and lane is not None else None
        if pack is None:
            return
        if what in ("on", "off"):
            pack.on = what == "on"
        elif what == "unmute":
            pack.mute = False
        elif what == "battery":
            pack.fresh_battery()
        else:
            pack.gain_db -= 6.0

    def _chosen(self) -> None:
        fault = str(self.trouble.currentData())
        self.trouble.setCurrentIndex(0)
        if fault:
            self.let(fault)

    def let(self, fault: str) -> None:
        """Let something go wrong with the link's gear, or with its rack for a while."""
        there, lane = self._session.surroundings, self._shown()
        member = there.racks().members.get(lane.link.id) if there is not None and lane is not None else None
        if there is None or member is None:
            return
        of_gear = fault in OF_GEAR
        channel, seconds = (member.channel.id, 0.0) if of_gear else ("", _TROUBLE_S)
        try:
            happen(there.racks().house, Break(0.0, member.rack, fault, channel, seconds))
        except Refusal as refusal:
            self._session.say(str(refusal), trouble=True)
