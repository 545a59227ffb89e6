"""The columns of a shared band: our links in it, others there, radar events."""

from collections.abc import Sequence
from typing import Any

from azven.book.edits import Edit
from azven.book.records import Link, Occupant, Zone
from azven.desk.kit import columns as typed
from azven.desk.kit.columns import Columns, yes_no
from azven.desk.session import Session
from azven.desk.tables import Column
from azven.refusal import Refusal
from azven.rf import bands
from azven.work import ground, ids, plan
from azven.work.bands import others, views
from azven.work.kit import persons
from azven.work.plan import Verdict
from azven.work.wording import mhz, over_need


class BandColumns(Columns):
    """What the tables of a shared band share."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self._verdicts: dict[int, Verdict] = {}

    def read(self, ours: Sequence[Verdict]) -> None:
        self._verdicts = {v.link.id: v for v in ours}

    def _verdict(self, link: Link) -> Verdict | None:
        return self._verdicts.get(link.id)

    # -- ours ------------------------------------------------------------------------------------------

    def ours(self) -> list[Column]:
        store, scope = self.session.store, self.session.scope

        def put(links: Sequence[Link], value: Any) -> Edit:
            if not isinstance(value, int):
                raise Refusal(f"{links[0].name} has no channel to choose from here.")
            return plan.set_frequencies(store, scope, {ids.of(links[0]): value}, f"Move {links[0].name}")

        def choices(link: Link) -> list[tuple[str, Any]]:
            found = self._verdict(link)
            return list(views.offers(self.session.board, found)) if found is not None else []

        return [
            Column(title="Link", width=146, show=lambda x: x.name, mark=self._state),
            self.editable("On", 52, lambda x: "on" if x.switched_on else "off", views.switch, yes_no("on", "off"),
                          hint="Ticked by hand by whoever has heard it: who looks next needs to hear all that are on."),
            Column(title="Room", width=104, show=lambda x: self.named(Zone, x.zone_id)),
            self.editable("Channel", 150, self._channel, put, choices, many=False,
                          hint="Channels that are open to it, the best first, with what each leaves over need."),
            Column(title="Interference", width=88, show=self._interference, right=True),
            Column(title="Over need", width=74, show=self._over, right=True),
            Column(title="Mostly from", width=150, show=self._loudest, prose=True),
        ]  # fmt: skip

    def _state(self, link: Link) -> str:
        found = self._verdict(link)
        return found.state if found is not None else ""

    def _channel(self, link: Link) -> str:
        found = self._verdict(link)
        if found is None or not found.settled:
            return "none yet"
        if found.freq_hz is None:
            return "hops" if found.shared is not None else "its own choice"
        number = bands.channel_at(found.freq_hz)
        return f"{number} · {mhz(found.freq_hz)}" if number else mhz(found.freq_hz)

    def _interference(self, link: Link) -> str:
        found = self._verdict(link)
        if found is None or found.shared is None or found.shared.interference_dbm is None:
            return ""
        return f"{found.shared.interference_dbm:.0f} dBm".replace("-", "−")

    def _over(self, link: Link) -> str:
        found = self._verdict(link)
        if found is None or found.shared is None:
            return f"{found.slots.taken} of {found.slots.there_are}" if found is not None and found.slots else ""
        return over_need(found.shared.spare_db)

    def _loudest(self, link: Link) -> str:
        found = self._verdict(link)
        if found is None or found.shared is None:
            return ""
        if found.shared.swept:
            return "what a sweep heard"
        return self.session.shown.input.name(found.shared.loudest) if found.shared.loudest else "nobody known"

    # -- others ----------------------------------------------------------------------------------------

    def others(self) -> list[Column]:
        store, scope = self.session.store, self.session.scope

        def channel(strangers: Sequence[Occupant], value: Any) -> Edit:
            centre, width = others.read_channel(str(value))
            if not bands.of(centre).shared:
                raise Refusal(f"{centre / 1e6:g} MHz lies in no band that is shared.")
            return persons.change_all(strangers, "channel", centre_hz=centre, width_hz=width)

        rooms = [("every room", None)]
        return [
            self.field("Who else", 176, "name", typed.name, lambda o: o.name, many=False),
            self.editable("Channel", 82, others.channel_text, channel,
                          hint="6, 6 40+, 44, 44 80, c5, or a centre and width in MHz: 2474 / 6"),
            self.field("Level dBm", 74, "level_dbm", lambda v: others.read_level(str(v)),
                       lambda o: f"{o.level_dbm:g}".replace("-", "−"), right=True, hint="At our antennas."),
            self.field("On the air %", 74, "duty", lambda v: others.read_duty(str(v)), lambda o: f"{100 * o.duty:g}",
                       right=True, hint="The share of the time that it sends; 100 where nobody knows."),
            self.field("Heard in", 98, "zone_id", lambda v: v, lambda o: self.named(Zone, o.zone_id) or "every room",
                       lambda _: [*rooms, *self.choices(Zone, ground.zones(store, scope))]),
            self.field("Stands at m", 92, "place_m", lambda v: others.read_place(str(v)),
                       lambda o: " ".join(f"{p:g}" for p in o.place_m).replace("-", "−"),
                       hint="x y z on the site's plan: receivers closer than 3 m are told."),
            self.field("Note", 120, "note", typed.text, lambda o: o.note, prose=True),
        ]  # fmt: skip

    def radars(self) -> list[Column]:
        return [
            self.field("Minute", 62, "minute", typed.whole(0, views.DAY_MIN), lambda e: str(e.minute), right=True,
                       hint="Minutes from the beginning of the show."),
            self.field("Radar on", 66, "channel", typed.whole(36, 165), lambda e: str(e.channel), right=True),
            self.field("Note", 130, "note", typed.text, lambda e: e.note, prose=True),
        ]  # fmt: skip
